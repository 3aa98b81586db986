import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { computed, effectScope, nextTick, ref, shallowRef, type EffectScope } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import type { Lighting } from '@daxel/core/scene/source';
import { cameraAt } from '@daxel/core/testing/scenes';
import { FakePool, settle } from '../testing/fakePool';
import { useBlend } from './useBlend';
import { useRigPictures } from './useRigPictures';

let pool: FakePool;
vi.mock('./useShot', () => ({ renderPool: () => pool }));

let scope: EffectScope;
beforeEach(() => {
  pool = new FakePool();
  scope = effectScope();
});
afterEach(() => {
  scope.stop();
  vi.useRealTimers();
});

const rig = (id: string, exposureEv = 0): StoredRig =>
  ({ id, name: id, lights: [], exposureEv }) as unknown as StoredRig;
const lightingOf = (r: { name: string }): Lighting => ({ lights: [], environment: { name: r.name } }) as never;
const base = (exposure = 0): Omit<FrameRequest, 'lighting'> => ({
  sceneId: 's',
  recipe: resolveRecipe(
    {
      name: 'r',
      draft: { 'output.width': 64, 'output.height': 32, 'lens.exposure': exposure, 'lens.tone': 'none' },
      final: {},
    },
    'draft',
  ),
  camera: cameraAt([0, 1, 3], [0, 0, 0]),
  timeSeconds: 0,
  seed: 1,
});

describe('two rigs mixed', () => {
  function blend() {
    const rigs = ref([rig('day', 1), rig('dusk')]);
    const activeId = ref('day');
    const wanted = shallowRef<Omit<FrameRequest, 'lighting'> | null>(base());
    const active = computed(() => rigs.value.find((r) => r.id === activeId.value) ?? null);
    return { rigs, activeId, wanted, ...scope.run(() => useBlend(rigs, active, wanted, lightingOf))! };
  }

  it('are drawn small at first and then at full size, each in its own exposure, without the lens', async () => {
    const { partnerId, picture, drawing } = blend();
    partnerId.value = 'dusk';
    await nextTick();
    expect(drawing.value).toBe(true);
    await settle();
    expect(
      pool.asked.map((r) => [r.recipe['output.width'], r.recipe['lens.exposure'], r.recipe['lens.bloom']]),
    ).toEqual([
      [32, 1, 0],
      [32, 0, 0],
      [64, 1, 0],
      [64, 0, 0],
    ]);
    expect([picture.value?.width, drawing.value]).toEqual([64, false]);
  });

  it('follow the slider without being drawn again', async () => {
    pool.light = 0.1;
    const { partnerId, picture, amount } = blend();
    partnerId.value = 'dusk';
    await settle();
    const codeAt = (share: number): number => {
      amount.value = share;
      return picture.value!.codes[0];
    };
    // light is mixed, not codes: a fifth of white, three tenths, and a quarter between them
    expect([codeAt(0), codeAt(1), codeAt(0.5)]).toEqual([124, 149, 137]);
    expect(pool.asked.length).toBe(4);
  });

  it('are nothing with itself, and stay when the shot is only saved', async () => {
    const { partnerId, partner, rigs } = blend();
    partnerId.value = 'day';
    await settle();
    expect([partner.value, pool.asked.length]).toEqual([null, 0]);
    partnerId.value = 'dusk';
    await settle();
    rigs.value = rigs.value.map((r) => ({ ...r }));
    await settle();
    expect(pool.asked.length).toBe(4);
  });

  it('are drawn for the newest wish alone', async () => {
    pool.held = true;
    const { partnerId, wanted, picture } = blend();
    partnerId.value = 'dusk';
    await settle();
    wanted.value = base(3);
    await settle();
    // the first of the old pair is answered late, and no second one is asked for
    pool.answer();
    await settle();
    expect(pool.asked.map((r) => r.recipe['lens.exposure'])).toEqual([1, 4]);
    expect(picture.value).toBeNull();
  });

  it('say why they cannot be drawn', async () => {
    pool.failAt = 0;
    const { partnerId, failure, drawing } = blend();
    partnerId.value = 'dusk';
    await settle();
    expect([failure.value, drawing.value]).toEqual(['It broke.', false]);
  });
});

describe('small pictures of all rigs', () => {
  it('are drawn one after the other once the large picture rests, and again only where something changed', async () => {
    const rigs = ref([rig('a'), rig('b')]);
    const wanted = shallowRef<Omit<FrameRequest, 'lighting'> | null>(base());
    const busy = ref(true);
    const { pictures } = scope.run(() => useRigPictures(rigs, wanted, lightingOf, busy))!;
    const rest = async (): Promise<void> => {
      await new Promise((done) => setTimeout(done, 280));
      await settle();
    };
    await rest();
    expect(pool.asked.length).toBe(0);
    busy.value = false;
    await rest();
    expect(pool.asked.map((r) => (r.lighting!.environment as unknown as { name: string }).name)).toEqual(['a', 'b']);
    expect([...pictures.value.keys()]).toEqual(['a', 'b']);
    const { recipe } = pool.asked[0];
    expect([recipe['output.width'], recipe['output.height'], recipe['samples.method']]).toEqual([208, 104, 'raster']);
    rigs.value = [rigs.value[0], rig('b', 2)];
    await rest();
    expect(pool.asked.length).toBe(3);
    expect(pool.asked[2].recipe['lens.exposure']).toBe(2);
  });
});
