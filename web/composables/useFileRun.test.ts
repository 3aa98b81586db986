import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import type { SequenceReport } from '@daxel/core/measure/stability/sequence';
import type { FrameFile } from '../render/frameFileWorker';
import type { Picture } from '../render/preview';
import type { FromStability, ToStability } from '../render/stabilityWorker';
import { useRuns } from '../stores/runs';
import { useFileRun } from './useFileRun';
import type { StabilityPort } from './useRun';

let scope: EffectScope;
beforeEach(() => {
  setActivePinia(createPinia());
  scope = effectScope();
});
afterEach(() => scope.stop());

const files = (numbers: number[]): File[] => numbers.map((n) => new File([`${n}`], `f.${n}.png`));
const LOOK = { shotId: 'shot', rate: 24, tone: 'none' } as const;
const PICTURE: Picture = { width: 1, height: 1, codes: new Uint8ClampedArray(4), samples: 0, coarse: false };
/** A reading thread: pictures of so many pixels, and a failure at one of them. */
function reader(pixels: number, failAt = -1) {
  const posts: ToStability[] = [];
  let ended = 0;
  const port = (): StabilityPort => {
    let handler: (m: FromStability) => void = () => undefined;
    return {
      post: (m) => {
        posts.push(m);
        if (m.type === 'end') handler({ type: 'report', report: { index: 0.4 } as SequenceReport, graded: null });
        if (m.type !== 'file') return;
        if (m.number === failAt) handler({ type: 'failed', message: `${m.name}: it is damaged.` });
        // a real one of that size would fill the memory of the test
        const codes = { length: pixels * 4 } as Uint8ClampedArray<ArrayBuffer>;
        handler({ type: 'picture', width: pixels, height: 1, codes });
      },
      listen: (h) => (handler = h),
      terminate: () => ended++,
    };
  };
  const again: FrameFile[] = [];
  /** A picture that says which frame it is. */
  const read = (file: FrameFile): Promise<Picture> => {
    again.push(file);
    return Promise.resolve({ ...PICTURE, samples: file.number });
  };
  const run = scope.run(() => useFileRun(() => LOOK, port, read))!;
  return { ...run, posts, again, ended: () => ended };
}

describe('frames from files', () => {
  it('are read in the order of their numbers, one by one, measured, and kept as a run without an order', async () => {
    const { open, posts, failure, progress, ended } = reader(4);
    await open([...files([7, 5, 8, 6, 9]), new File(['x'], 'notes.txt')]);
    expect(failure.value).toBeNull();
    expect(posts.map((m) => (m.type === 'file' ? m.number : m.type))).toEqual(['start-files', 5, 6, 7, 8, 9, 'end']);
    const run = useRuns().newest!;
    expect(run).toMatchObject({ name: 'f.#.png', first: 5, last: 9, rate: 24, order: null, state: 'done' });
    expect(run.pictures.length).toBe(5);
    expect(run.report?.index).toBe(0.4);
    expect(progress.value).toBeNull();
    expect(ended()).toBe(1);
  });

  it.each<[string, File[], RegExp]>([
    ['too few', files([1, 2, 3]), /at least 5 frames; there are 3/],
    ['one', files([1]), /there is one/],
    ['none', [new File(['x'], 'a.txt')], /no \.exr or \.png/],
    ['with a gap', files([1, 2, 3, 5, 6, 7]), /frame 4 is missing/],
  ])('that are %s change nothing but say so', async (_what, given, message) => {
    const { open, posts, failure } = reader(4);
    await open(given);
    expect(failure.value).toMatch(message);
    expect(posts).toEqual([]);
    expect(useRuns().newest).toBeNull();
  });

  it('that do not fit in memory together are all measured; those that are not held are read again', async () => {
    const { open, posts, failure, again } = reader(80 * 2 ** 20);
    await open(files([1, 2, 3, 4, 5, 6]));
    expect(failure.value).toBeNull();
    expect(posts.filter((m) => m.type === 'file').length).toBe(6);
    const run = useRuns().newest!;
    expect(run.state).toBe('done');
    expect(run.pictures.map((p) => p !== null)).toEqual([true, true, false, false, false, true]);
    expect((await run.again!(4)).samples).toBe(5);
    expect(again).toMatchObject([{ number: 5, name: 'f.5.png', tone: 'none' }]);
  });

  it('whose maps would not fit either are told after the first', async () => {
    const { open, posts, failure } = reader(80 * 2 ** 20);
    await open(files(Array.from({ length: 200 }, (_, i) => i)));
    expect(failure.value).toMatch(/200 frames .* too many for a page: at most 180 .* measure stability/);
    expect(posts.filter((m) => m.type === 'file').length).toBe(1);
  });

  it('of which one is damaged end with its name', async () => {
    const { open, failure, ended } = reader(4, 3);
    await open(files([1, 2, 3, 4, 5, 6]));
    expect(failure.value).toBe('f.3.png: it is damaged.');
    expect(useRuns().newest?.state).toBe('cancelled');
    expect(ended()).toBe(1);
  });
});
