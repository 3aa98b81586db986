import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import { resolveRecipe, type TierValues } from '@daxel/core/recipe/recipe';
import { cameraAt } from '@daxel/core/testing/scenes';
import { FakePool, settle } from '../testing/fakePool';
import type { Wish } from './usePreview';
import { useTakes, type TakesOrder } from './useTakes';

let pool: FakePool;
vi.mock('./useShot', () => ({ renderPool: () => pool }));

let scope: EffectScope;
beforeEach(() => {
  pool = new FakePool();
  scope = effectScope();
});
afterEach(() => scope.stop());

function order(numbers: number[], last: number, draft: TierValues = {}): TakesOrder {
  const recipe = resolveRecipe({ name: 'r', draft, final: {} }, 'draft');
  const wish = { sceneId: 's', recipe, seed: 1, lighting: { lights: [] } } as unknown as Wish;
  return { numbers, first: 8, last, rate: 24, wish, cameraOf: (n) => (t) => cameraAt([n, t, 1], [0, 0, 0]) };
}
const takes = () => scope.run(useTakes)!;

describe('takes that are tried', () => {
  it('are rendered frame by frame over all of them, small and quick, each with its own camera', async () => {
    const { start, trials, progress } = takes();
    const heavy = { 'output.width': 1280, 'output.height': 720, 'samples.pixel': 64, 'samples.history': 8 };
    await start(order([3, 4], 9, { ...heavy, 'samples.method': 'path' }));
    expect(pool.asked.map((r) => [r.camera.world[12], r.timeSeconds * 24])).toEqual([
      [3, 8],
      [4, 8],
      [3, 9],
      [4, 9],
    ]);
    const { recipe } = pool.asked[0];
    expect([recipe['output.width'], recipe['output.height'], recipe['samples.pixel']]).toEqual([320, 180, 1]);
    expect([recipe['samples.method'], recipe['samples.history']]).toEqual(['raster', 1]);
    expect(trials.value?.map((t) => [t.number, t.pictures.length])).toEqual([
      [3, 2],
      [4, 2],
    ]);
    expect(progress.value).toBeNull();
  });

  it('keep a picture that is small already as it is, and stop after two seconds of frames', async () => {
    const { start, order: asked } = takes();
    await start(order([1], 1000, { 'output.width': 64, 'output.height': 40 }));
    expect(pool.asked.length).toBe(48);
    expect(asked.value?.last).toBe(55);
    expect(pool.asked[0].recipe['output.width']).toBe(64);
  });

  it('give way when they are closed or others are tried, and leave nothing behind', async () => {
    pool.held = true;
    const { start, close, trials, progress } = takes();
    void start(order([1], 20));
    await settle();
    expect(progress.value).toEqual({ done: 0, all: 13 });
    void start(order([2], 20));
    await settle();
    expect(pool.cancelled).toBe(1);
    pool.answer();
    await settle();
    // the answer for the first came too late to count
    expect(trials.value?.map((t) => [t.number, t.pictures.length])).toEqual([[2, 0]]);
    close();
    pool.answer();
    await settle();
    expect([trials.value, progress.value, pool.asked.length]).toEqual([null, null, 2]);
  });

  it('say what went wrong', async () => {
    pool.failAt = 1;
    const { start, failure, progress } = takes();
    await start(order([1], 20));
    expect([failure.value, progress.value]).toEqual(['It broke.', null]);
  });
});
