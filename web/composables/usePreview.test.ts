import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, nextTick, shallowRef, type EffectScope } from 'vue';
import { resolveRecipe, type TierValues } from '@daxel/core/recipe/recipe';
import { cameraAt } from '@daxel/core/testing/scenes';
import { FakePool, settle } from '../testing/fakePool';
import { usePreview, type Wish } from './usePreview';

let pool: FakePool;
vi.mock('./useShot', () => ({ renderPool: () => pool }));

let scope: EffectScope;
beforeEach(() => {
  pool = new FakePool();
  scope = effectScope();
});
afterEach(() => scope.stop());

// few enough pixels that no coarse picture goes first
const SMALL: TierValues = { 'output.width': 32, 'output.height': 16, 'samples.pixel': 1 };
function wishOf(draft: TierValues = {}, more: Partial<Wish> = {}): Wish {
  return {
    sceneId: 'scene',
    recipe: resolveRecipe({ name: 'r', draft: { ...SMALL, ...draft }, final: {} }, 'draft'),
    camera: cameraAt([0, 1, 3], [0, 0, 0]),
    timeSeconds: 0,
    seed: 1,
    lighting: { lights: [], environment: { kind: 'none' } } as unknown as Wish['lighting'],
    view: 'picture',
    ...more,
  };
}
function previewOf(first: Wish | null) {
  const wish = shallowRef(first);
  return { wish, ...scope.run(() => usePreview(wish))! };
}

describe('the picture that follows the hand', () => {
  it('is drawn once for the same wish, however often that is made anew', async () => {
    const { wish, drawing, figures } = previewOf(wishOf());
    expect(drawing.value).toBe(true);
    await settle();
    expect([drawing.value, figures.value?.total]).toEqual([false, 0.6]);
    wish.value = wishOf();
    await settle();
    expect(pool.asked.length).toBe(1);
    wish.value = wishOf({ 'lens.exposure': 1 });
    await settle();
    expect(pool.asked.length).toBe(2);
  });

  it('is drawn anew when focus or shutter change, and again when that is taken back', async () => {
    const camera = { ...cameraAt([0, 1, 3], [0, 0, 0]), aperture: { radius: 0.1, focus: 2, blades: 0 } };
    const { wish } = previewOf(wishOf({}, { camera }));
    await settle();
    for (const [n, other] of [
      { ...camera, aperture: { ...camera.aperture, focus: 4 } },
      camera,
      { ...camera, shutter: { opens: 0, closes: 0.02 } },
    ].entries()) {
      wish.value = wishOf({}, { camera: other });
      await settle();
      expect(pool.asked.length).toBe(n + 2);
    }
  });

  it('keeps the one before it, to be held beside it', async () => {
    const { wish, before, settledPicture } = previewOf(wishOf());
    await settle();
    expect(before.value).toBeNull();
    const first = settledPicture.value;
    wish.value = wishOf({ 'samples.pixel': 2 });
    await settle();
    expect(before.value).toBe(first);
    // another scene has nothing to do with it
    wish.value = wishOf({}, { sceneId: 'other' });
    await nextTick();
    expect([before.value, settledPicture.value]).toEqual([null, null]);
  });

  it('tells the time of shadow maps that were kept from when they were drawn', async () => {
    const { wish, figures } = previewOf(wishOf());
    await settle();
    expect(figures.value?.seconds.shadows).toBe(0.2);
    pool.more = { keptShadows: true, stages: { geometry: 0, shadows: 0, samples: 0.3 } as never };
    wish.value = wishOf({ 'lens.exposure': 2 });
    await settle();
    expect([figures.value?.keptShadows, figures.value?.seconds.shadows]).toEqual([true, 0.2]);
  });

  it('knows how far away its middle is, unless there is only background', async () => {
    const { wish, middleDistance } = previewOf(null);
    expect(middleDistance()).toBe(3);
    wish.value = wishOf();
    await settle();
    expect(middleDistance()).toBe(5);
    pool.depth = 0;
    wish.value = wishOf({ 'lens.exposure': 2 });
    await settle();
    expect(middleDistance()).toBe(5);
  });

  it('is read by instruments only as a picture, not through a view', async () => {
    const { wish, readings } = previewOf(wishOf({}, { view: 'depth' }));
    await settle();
    expect(readings.value).toBeNull();
    wish.value = wishOf();
    await settle();
    expect(readings.value).toMatchObject({ width: 32, height: 16 });
  });

  it('of a sketch is coarse, quick and stands for nothing, and stays until the scene itself is drawn', async () => {
    const fine = { 'output.width': 320, 'output.height': 160, 'shadows.resolution': 2048 };
    const { wish, picture, settledPicture, figures } = previewOf(
      wishOf(fine, { sceneId: 'scene sketch', sketchOf: 'scene' }),
    );
    await settle();
    expect(pool.asked.map(({ sceneId, recipe }) => [sceneId, recipe['output.width']])).toEqual([['scene sketch', 80]]);
    expect(pool.asked[0].recipe['shadows.resolution']).toBe(512);
    expect([picture.value?.width, settledPicture.value, figures.value]).toEqual([80, null, null]);
    wish.value = wishOf(fine);
    await nextTick();
    expect(picture.value?.width).toBe(80);
    await settle();
    expect(pool.asked.at(-1)!.recipe['shadows.resolution']).toBe(2048);
    expect([picture.value?.width, settledPicture.value?.width]).toEqual([320, 320]);
  });

  it('that breaks says why, and the next one is drawn all the same', async () => {
    pool.failAt = 0;
    const { wish, failure, drawing } = previewOf(wishOf());
    await settle();
    expect([failure.value, drawing.value]).toEqual(['It broke.', false]);
    wish.value = wishOf({ 'samples.pixel': 2 });
    await settle();
    expect([failure.value, pool.asked.length]).toEqual([null, 2]);
  });
});
