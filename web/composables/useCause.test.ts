import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import type { Rect } from '@daxel/core/measure/rect';
import type { PlaceFlicker } from '@daxel/core/measure/stability/place';
import type { SequenceReport } from '@daxel/core/measure/stability/sequence';
import { resolveRecipe, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import { cameraAt, quad, sceneOf } from '@daxel/core/testing/scenes';
import type { FromStability } from '../render/stabilityWorker';
import type { Run } from '../stores/runs';
import { useCause } from './useCause';
import type { RunOrder, StabilityPort } from './useRun';

const [WIDTH, HEIGHT] = [256, 160];
let recipe: ResolvedRecipe;
let rendered = 0;
vi.mock('./useShot', () => ({
  renderPool: () => ({
    render: (request: FrameRequest) => {
      recipe = request.recipe;
      rendered++;
      const n = WIDTH * HEIGHT;
      const views = {
        beauty: new Float32Array(n * 3),
        depth: new Float32Array(n),
        objectId: new Uint32Array(n),
        overlaid: new Uint32Array(n),
        sums: new Float32Array(n * 16),
      };
      const frame = { finished: true, width: WIDTH, height: HEIGHT, samples: 1, seconds: 1, views };
      return { promise: Promise.resolve(frame), cancel: () => undefined, progress: () => 1 };
    },
  }),
}));

let scope: EffectScope;
beforeEach(() => {
  setActivePinia(createPinia());
  scope = effectScope();
});
afterEach(() => scope.stop());

const blame = {
  parts: { direct: 1, shadow: 0, bounce: 0, reflection: 0, emission: 0 },
  outlines: 1,
  points: 9,
} satisfies PlaceFlicker['blame'];
/** A thread that measures a place as the test says. */
function measurer(flicker: (recipe: ResolvedRecipe, rect: Rect) => number): () => StabilityPort {
  return () => {
    let handler: (m: FromStability) => void = () => undefined;
    return {
      post: (m) => {
        if (m.type !== 'place') return;
        handler({ type: 'place', place: { index: flicker(recipe, m.rect), passing: 0.1, blame } });
      },
      listen: (h) => (handler = h),
      terminate: () => undefined,
    };
  };
}
const here = { x: 0, y: 0, width: 64, height: 64 };
const there = { x: 160, y: 0, width: 64, height: 64 };
function run(): Run {
  const values = { 'output.width': WIDTH, 'output.height': HEIGHT };
  const order = {
    first: 0,
    last: 12,
    rate: 24,
    scene: compileScene(sceneOf([quad(1)])),
    cameraAt: () => cameraAt([0, 1, 1], [0, 0, 0]),
    patches: [],
    wish: {
      recipe: resolveRecipe({ name: 't', draft: values, final: {} }, 'draft'),
      lighting: { lights: [], environment: compileScene(sceneOf([quad(1)])).meta.environment },
      camera: cameraAt([0, 1, 1], [0, 0, 0]),
    },
  } as unknown as RunOrder;
  const worst = [here, { ...here, x: 20 }, there].map((r, i) => ({ ...r, frame: 4 + i, index: 9 - i }));
  return { order, report: { worst } as unknown as SequenceReport } as Run;
}
const accumulates = (r: ResolvedRecipe): boolean => (r['samples.history'] as number) > 1;

describe('the best cure', () => {
  it('is held against another place before it is recommended', async () => {
    const flicker = (r: ResolvedRecipe): number => (accumulates(r) ? 0.5 : (r['samples.pixel'] as number) > 4 ? 3 : 9);
    const cause = scope.run(() => useCause(measurer(flicker)))!;
    await cause.search(run(), 4, here);
    const { tried, best } = cause.found.value!;
    expect(tried[best].values).toHaveProperty('samples.history');
    // what overlaps the place itself is no other place
    expect(tried[best].elsewhere).toEqual([{ before: 9, after: 0.5 }]);
    expect(tried.filter((t) => t.elsewhere).length).toBe(1);
    expect(cause.running.value).toBeNull();
  });

  it('gives way to the next when it makes another place worse', async () => {
    const flicker = (r: ResolvedRecipe, rect: Rect): number => {
      if (accumulates(r)) return rect.x === there.x ? 20 : 0.5;
      return (r['samples.pixel'] as number) > 4 ? 3 : 9;
    };
    const cause = scope.run(() => useCause(measurer(flicker)))!;
    await cause.search(run(), 4, here);
    const { tried, best } = cause.found.value!;
    expect(tried.find((t) => 'samples.history' in t.values)!.elsewhere).toEqual([{ before: 9, after: 20 }]);
    expect(tried[best].values).toHaveProperty('samples.pixel');
    expect(tried[best].elsewhere).toEqual([{ before: 9, after: 3 }]);
  });
});

describe('a place over which something passes', () => {
  it('is not cured: nothing is tried once it is known not to flicker', async () => {
    rendered = 0;
    const cause = scope.run(() => useCause(measurer(() => 0.3)))!;
    await cause.search(run(), 6, here);
    expect(cause.found.value).toMatchObject({ tried: [], best: -1, before: { index: 0.3, passing: 0.1 } });
    expect(rendered).toBeLessThan(10);
  });

  it('is searched where it flickers too, and only what is of use is timed', async () => {
    const flicker = (r: ResolvedRecipe): number => (accumulates(r) ? 2 : 9);
    const cause = scope.run(() => useCause(measurer(flicker)))!;
    await cause.search(run(), 6, here);
    const { tried } = cause.found.value!;
    expect(tried.length).toBeGreaterThan(1);
    expect(tried.filter((t) => t.timed).map((t) => Object.keys(t.values))).toEqual([['samples.history']]);
  });
});
