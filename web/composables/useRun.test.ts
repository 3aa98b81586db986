import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import type { FrameStability } from '@daxel/core/measure/stability/meter';
import type { SequenceReport } from '@daxel/core/measure/stability/sequence';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import { cameraAt, environment, quad, sceneOf } from '@daxel/core/testing/scenes';
import type { FromStability, ToStability } from '../render/stabilityWorker';
import { useRuns } from '../stores/runs';
import { useRun, type RunOrder, type StabilityPort } from './useRun';

const [WIDTH, HEIGHT] = [8, 6];
const asked: FrameRequest[] = [];
let failAt = -1;
/** Scenes that are held, by how many. */
let holding = 0;
vi.mock('../stores/runShelf', () => ({
  keepRun: () => Promise.resolve('kept'),
  runsOnShelf: () => Promise.resolve([]),
  dropRun: () => Promise.resolve(),
}));
vi.mock('./useShot', () => ({
  holdScene: () => {
    holding++;
    return () => void holding--;
  },
  renderPool: () => ({
    render: (request: FrameRequest) => {
      asked.push(request);
      const number = asked.length - 1;
      let finished = true;
      const views = {
        beauty: new Float32Array(WIDTH * HEIGHT * 3).fill(number),
        depth: new Float32Array(WIDTH * HEIGHT),
        objectId: new Uint32Array(WIDTH * HEIGHT),
        overlaid: new Uint32Array(0),
        sums: new Float32Array(WIDTH * HEIGHT * 16).fill(number),
        display: new Uint8Array(WIDTH * HEIGHT * 4).fill(number),
      };
      return {
        promise: new Promise((resolve, reject) =>
          setTimeout(() => {
            if (number === failAt) reject(new Error('It broke.'));
            else resolve({ finished, width: WIDTH, height: HEIGHT, samples: 1, seconds: 0.5, views });
          }, 1),
        ),
        cancel: () => (finished = false),
      };
    },
  }),
}));

const figures = (frame: number): FrameStability => ({
  frame,
  index: frame / 10,
  largest: 1,
  visible: 0,
  certain: 0,
  coverage: 1,
  movingLight: 0,
});
/** A measuring thread that finds something in every frame. */
function measurer(): { port: () => StabilityPort; posts: ToStability[]; ended: () => number } {
  const posts: ToStability[] = [];
  let ended = 0;
  const port = (): StabilityPort => {
    let handler: (m: FromStability) => void = () => undefined;
    return {
      post: (m) => {
        posts.push(m);
        const map = { width: 2, height: 2, eighths: new Uint8Array(4) };
        if (m.type === 'frame')
          handler({ type: 'found', found: figures(m.frame.number), map, patches: [m.frame.number / 10] });
        if (m.type === 'end') handler({ type: 'report', report: { index: 0.4 } as SequenceReport, graded: null });
      },
      listen: (h) => (handler = h),
      terminate: () => ended++,
    };
  };
  return { port, posts, ended: () => ended };
}
const order = (first: number, last: number): RunOrder => ({
  shotId: 'shot',
  name: 'Draft, 1 sample',
  tier: 'draft',
  first,
  last,
  rate: 24,
  scene: compileScene(sceneOf([quad(1)])),
  cameraAt: (time) => cameraAt([time, 1, 1], [0, 0, 0]),
  patches: [{ id: 'p', name: 'mirror', x: 0.1, y: 0.2, width: 0.3, height: 0.4 }],
  wish: {
    sceneId: 's',
    recipe: resolveRecipe({ name: 'r', draft: {}, final: {} }, 'draft'),
    camera: cameraAt([0, 1, 1], [0, 0, 0]),
    timeSeconds: 0,
    seed: 1,
    lighting: { lights: [], environment: environment(1) },
    view: 'picture',
  },
});

let scope: EffectScope;
beforeEach(() => {
  setActivePinia(createPinia());
  asked.length = 0;
  failAt = -1;
  scope = effectScope();
});
afterEach(() => scope.stop());

describe('a run', () => {
  it('renders its frames at their times and cameras, has them measured, and keeps pictures and maps', async () => {
    const { port, posts, ended } = measurer();
    const { start, progress } = scope.run(() => useRun(port))!;
    const done = start(order(10, 15));
    expect(progress.value).toEqual({ done: 0, all: 6, secondsLeft: null });
    expect(holding).toBe(1);
    await done;
    const run = useRuns().newest!;
    expect(run.state).toBe('done');
    expect(run.pictures.map((p) => p!.codes[0])).toEqual([0, 1, 2, 3, 4, 5]);
    expect(asked.map((r) => Math.round(r.timeSeconds * 24))).toEqual([10, 11, 12, 13, 14, 15]);
    expect(asked[1].camera.world[12]).toBeCloseTo(11 / 24, 12);
    expect(Object.keys(run.found)).toEqual(['10', '11', '12', '13', '14', '15']);
    expect(run.report?.index).toBe(0.4);
    // the places that were named go along, and what they come to
    expect(posts[0]).toMatchObject({ patches: [{ x: 0.1, y: 0.2, width: 0.3, height: 0.4 }] });
    expect([run.patches[0].name, run.patchFlicker[12]]).toEqual(['mirror', [1.2]]);
    expect(run.seconds).toBeCloseTo(3, 6);
    expect(posts.map((p) => p.type)).toEqual(['start', ...Array.from({ length: 6 }, () => 'frame'), 'end']);
    expect(progress.value).toBeNull();
    expect(ended()).toBe(1);
    expect(holding).toBe(0);
  });

  it('goes on when the screen that began it is left', async () => {
    const { start } = scope.run(() => useRun(measurer().port))!;
    const done = start(order(0, 7));
    scope.stop();
    await done;
    expect(useRuns().newest).toMatchObject({ state: 'done' });
    expect(useRuns().newest?.pictures).toHaveLength(8);
  });

  it('keeps the finished run before it, and no cancelled one', async () => {
    const { start, cancel } = scope.run(() => useRun(measurer().port))!;
    await start(order(0, 5));
    const first = useRuns().newest;
    const second = start(order(0, 7));
    await new Promise((r) => setTimeout(r, 3));
    cancel();
    await second;
    expect(useRuns().newest?.state).toBe('cancelled');
    expect(useRuns().newest!.pictures.length).toBeLessThan(8);
    expect(useRuns().before).toBe(first);
    await start(order(0, 5));
    expect(useRuns().before).toBe(first);
  });

  it('of too few frames is played, but not measured', async () => {
    const { port, posts } = measurer();
    const { start } = scope.run(() => useRun(port))!;
    await start(order(0, 2));
    expect(useRuns().newest?.pictures).toHaveLength(3);
    expect(useRuns().newest?.report).toBeNull();
    expect(posts.some((p) => p.type === 'end')).toBe(false);
  });

  it('says what broke, keeps what there is, and can be started again', async () => {
    failAt = 3;
    const { start, failure, progress } = scope.run(() => useRun(measurer().port))!;
    await start(order(0, 9));
    expect(failure.value).toBe('It broke.');
    expect(useRuns().newest).toMatchObject({ state: 'cancelled' });
    expect(useRuns().newest?.pictures).toHaveLength(3);
    expect(progress.value).toBeNull();
    failAt = -1;
    await start(order(0, 5));
    expect(failure.value).toBeNull();
    expect(useRuns().newest?.state).toBe('done');
  });
});
