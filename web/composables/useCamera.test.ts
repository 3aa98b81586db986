import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { computed, effectScope, nextTick, ref, shallowRef, type EffectScope } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { compileScene, rotationOf } from '@daxel/core/scene/compileScene';
import { addNode, cameraAt, quad, sceneOf } from '@daxel/core/testing/scenes';
import { api } from '../api/client';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { FakePool, settle } from '../testing/fakePool';
import { useCamera } from './useCamera';
import type { Wish } from './usePreview';
import { useCameraPath } from './useCameraPath';
import { useFocusPick } from './useFocusPick';
import { useShotTake } from './useShotTake';

let pool: FakePool;
vi.mock('./useShot', () => ({ renderPool: () => pool }));

/** A camera at (0, 1, 4) that looks at the origin. */
const compiled = (() => {
  const source = sceneOf([quad(2)]);
  source.cameras.push({ name: 'front', kind: 'perspective', yfovRad: 0.7, ymag: 1, near: 0.05 });
  const { world } = cameraAt([0, 1, 4], [0, 0, 0]);
  addNode(source, { name: 'front', camera: 0, translation: [0, 1, 4], rotation: rotationOf(world) });
  return compileScene(source);
})();
const stored = (more: Partial<Shot> = {}): Shot =>
  ({
    ...{ id: 's', sceneId: 'c', name: 'front', firstFrame: 0, lastFrame: 23, rate: 24, handles: 0, frame: 0, seed: 1 },
    ...{ recipe: { name: 'r', draft: {}, final: {} }, patches: [], version: 1, thumbnail: null, hint: null },
    ...{ rigs: [], rigId: null, optics: null, take: null, path: null, ...more },
  }) as unknown as Shot;

let scope: EffectScope;
beforeEach(() => {
  pool = new FakePool();
  scope = effectScope();
  vi.useFakeTimers({ toFake: ['Date'] });
  setActivePinia(createPinia());
  vi.spyOn(api, 'changeShot').mockImplementation((_id, change) => Promise.resolve({ ...stored(), ...change } as Shot));
});
afterEach(() => {
  scope.stop();
  vi.useRealTimers();
  vi.restoreAllMocks();
});

async function opened(more: Partial<Shot> = {}) {
  const document = useDocument();
  await document.open(stored(more));
  return { document, scene: shallowRef(compiled), shot: computed(() => document.shot) };
}

describe('the camera of the picture', () => {
  it('is the shot’s own until it is moved, and again once it goes back', async () => {
    const { scene, shot } = await opened();
    const camera = scope.run(() => useCamera(scene, shot, () => 4))!;
    const own = [...camera.view.value!.world];
    expect(own.slice(12, 15)).toEqual([0, 1, 4].map((v) => expect.closeTo(v, 5) as number));
    expect([camera.isFree.value, camera.place.value]).toEqual([false, null]);
    camera.dollyBy(0.5);
    expect(camera.isFree.value).toBe(true);
    const [x, y, z] = camera.place.value!.eye;
    expect(Math.hypot(x, y, z)).toBeLessThan(Math.hypot(0, 1, 4) * 0.6);
    camera.goBack();
    expect([...camera.view.value!.world]).toEqual(own);
  });

  it('turns about what the picture shows in its middle, as far away as before', async () => {
    const { scene, shot } = await opened();
    const camera = scope.run(() => useCamera(scene, shot, () => Math.hypot(1, 4)))!;
    camera.orbitBy(0.4, 0.1);
    const { eye, target } = camera.place.value!;
    for (const v of target) expect(v).toBeCloseTo(0, 4);
    expect(Math.hypot(eye[0], eye[1], eye[2])).toBeCloseTo(Math.hypot(1, 4), 4);
    camera.panBy(0.1, 0);
    expect(camera.place.value!.target[0]).not.toBeCloseTo(0, 3);
  });

  it('is let go with the shot it belongs to', async () => {
    const current = ref(stored());
    const camera = scope.run(() => useCamera(shallowRef(compiled), current, () => 4))!;
    camera.dollyBy(0.5);
    current.value = stored({ id: 'other' });
    await nextTick();
    expect(camera.isFree.value).toBe(false);
  });
});

describe('moves of the camera', () => {
  it('begin where it stands, end where they say, and are one step of undo', async () => {
    const { document, scene, shot } = await opened();
    const { path, makeMove } = useCameraPath(scene, shot, () => ({ first: 4, last: 20 }));
    expect(path.value).toBeNull();
    makeMove('dolly', 50);
    const keys = path.value!.keys;
    expect([keys[0].frame, keys.at(-1)!.frame]).toEqual([4, 20]);
    keys[0].eye.forEach((v, c) => expect(v).toBeCloseTo([0, 1, 4][c], 4));
    const distance = ({ eye, target }: (typeof keys)[0]): number => Math.hypot(...eye.map((v, c) => v - target[c]));
    expect(distance(keys.at(-1)!) / distance(keys[0])).toBeCloseTo(0.5, 3);
    document.undo();
    expect(path.value).toBeNull();
  });

  it('of one frame last two', async () => {
    const { scene, shot } = await opened();
    const { path, makeMove } = useCameraPath(scene, shot, () => ({ first: 4, last: 4 }));
    makeMove('orbit', 90);
    expect(path.value!.keys.at(-1)!.frame).toBe(5);
  });
});

describe('focus picked on the picture', () => {
  const recipe = resolveRecipe({ name: 'r', draft: { 'output.width': 64, 'output.height': 32 }, final: {} }, 'draft');
  const camera = { ...cameraAt([0, 1, 4], [0, 0, 0]), aperture: { radius: 1, focus: 1, blades: 0 } };
  const wish = { sceneId: 's', recipe, seed: 1, lighting: {} } as unknown as Wish;
  async function picker(known = true) {
    const { scene, shot, document } = await opened();
    const from = () => (known ? { wish, camera, timeSeconds: 0.5, width: 64, height: 32 } : null);
    return { document, ...useFocusPick(scene, shot, from) };
  }

  it('takes the object around the pixel, of a camera that is sharp everywhere, and stays on it', async () => {
    pool.depth = 7.12345;
    const { picking, pickFocus, optics } = await picker();
    // nothing happens until it is asked for
    await pickFocus({ x: 0.5, y: 0.5 });
    expect(pool.asked.length).toBe(0);
    picking.value = true;
    await pickFocus({ x: 0.5, y: 0.5 });
    expect(pool.asked[0].regions).toEqual([{ x: 28, y: 12, width: 9, height: 9 }]);
    expect(pool.asked[0].camera).not.toHaveProperty('aperture');
    expect(pool.asked[0].timeSeconds).toBe(0.5);
    expect([optics.value!.focusDistance, picking.value]).toEqual([7.123, false]);
    // on the way from the camera to the origin, as far as the pixel is
    const on = optics.value!.focusOn!;
    expect(on.name).toBe(compiled.meta.nodes[on.node].name);
    expect(useNotices().current?.text).toContain('7.12 m away');
  });

  it('stays where it is on the background, which is said, and within the picture at its border', async () => {
    pool.depth = 0;
    const { picking, pickFocus, document } = await picker();
    picking.value = true;
    await pickFocus({ x: 1, y: 1 });
    expect(pool.asked[0].regions).toEqual([{ x: 59, y: 27, width: 9, height: 9 }]);
    expect(useNotices().current?.text).toContain('only background');
    expect(document.canUndo).toBe(false);
  });

  it('does nothing where it is not known what the picture was rendered from', async () => {
    const { picking, pickFocus } = await picker(false);
    picking.value = true;
    await pickFocus({ x: 0.5, y: 0.5 });
    expect(pool.asked.length).toBe(0);
  });
});

describe('the take of a shot', () => {
  it('is tried by four numbers, and the one that is kept is written down', async () => {
    const { scene, shot, document } = await opened();
    const small = resolveRecipe({ name: 'r', draft: { 'output.width': 16, 'output.height': 16 }, final: {} }, 'draft');
    const wish = { sceneId: 's', recipe: small, seed: 1, lighting: {} } as never;
    const { take, takes, tryTakes, keepTake } = scope.run(() =>
      useShotTake(scene, shot, () => ({ first: 0, last: 0, wish })),
    )!;
    tryTakes(5);
    await settle();
    expect(takes.trials.value?.map((t) => t.number)).toEqual([5, 6, 7, 8]);
    keepTake(7);
    expect([take.value?.number, takes.trials.value]).toEqual([7, null]);
    document.undo();
    expect(take.value?.number).not.toBe(7);
  });
});
