import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, nextTick, shallowRef, type EffectScope } from 'vue';
import type { Sequence } from '@daxel/api/schemas';
import type { MovieOrder } from './makeMovie';
import { useMovie } from './useMovie';

const orders: MovieOrder[] = [];
let answer: { resolve: (b: Blob) => void; reject: (e: Error) => void };
vi.mock('./makeMovie', () => ({
  makeMovie: (order: MovieOrder) => {
    orders.push(order);
    return new Promise<Blob>((resolve, reject) => (answer = { resolve, reject }));
  },
}));

const sequence = (id: string, map = '++.+'): Sequence =>
  ({ id, map, rate: 24, width: 640, height: 360, request: { first: 10 } }) as unknown as Sequence;

let scope: EffectScope;
const urls = new Set<string>();
beforeEach(() => {
  scope = effectScope();
  orders.length = 0;
  urls.clear();
  let made = 0;
  vi.spyOn(URL, 'createObjectURL').mockImplementation(() => {
    const url = `blob:${made++}`;
    urls.add(url);
    return url;
  });
  vi.spyOn(URL, 'revokeObjectURL').mockImplementation((url) => void urls.delete(url));
});
afterEach(() => {
  scope.stop();
  vi.restoreAllMocks();
});

async function started(of = sequence('a')) {
  const shown = shallowRef<Sequence | null>(of);
  const made = scope.run(() => useMovie(shown))!;
  const done = made.make();
  await vi.waitFor(() => expect(orders.length).toBe(1));
  return { shown, done, ...made };
}

describe('the movie of a sequence', () => {
  it('is made of its finished frames, with progress, and says how many are in it', async () => {
    const { movie, progress, done } = await started();
    const [order] = orders;
    expect(order).toMatchObject({ rate: 24, width: 640, height: 360 });
    // frame 12 is not there
    expect(order.pictures.map((p) => /\/(\d+)\//.exec(p)?.[1] ?? p)).toEqual(['10', '11', '13']);
    order.onProgress(2);
    expect(progress.value).toEqual({ done: 2, all: 3 });
    answer.resolve(new Blob(['webm']));
    await done;
    expect(movie.value).toEqual({ url: 'blob:0', bytes: 4, frames: 3, first: 10 });
    expect(progress.value).toBeNull();
  });

  it('that cannot be made says why, and can be tried again', async () => {
    const { movie, failure, make, done } = await started();
    answer.reject(new Error('This browser cannot encode movies.'));
    await done;
    expect([failure.value, movie.value]).toEqual(['This browser cannot encode movies.', null]);
    const again = make();
    await vi.waitFor(() => expect(orders.length).toBe(2));
    expect(failure.value).toBeNull();
    answer.resolve(new Blob(['x']));
    await again;
    expect(movie.value?.bytes).toBe(1);
  });

  it('is stopped, and nothing is said of it, when it is cancelled or another sequence is looked at', async () => {
    const { shown, movie, failure, progress, done } = await started();
    const [order] = orders;
    shown.value = sequence('b');
    await nextTick();
    expect(order.signal.aborted).toBe(true);
    answer.reject(new Error('aborted'));
    await done;
    order.onProgress(3);
    expect([movie.value, failure.value, progress.value]).toEqual([null, null, null]);
  });

  it('that comes after it was cancelled is thrown away, and one that is left gives its memory back', async () => {
    const { shown, movie, cancel, make, done } = await started();
    cancel();
    answer.resolve(new Blob(['late']));
    await done;
    expect(movie.value).toBeNull();
    const again = make();
    await vi.waitFor(() => expect(orders.length).toBe(2));
    answer.resolve(new Blob(['kept']));
    await again;
    expect(urls.size).toBe(1);
    shown.value = null;
    await nextTick();
    expect([movie.value, urls.size]).toEqual([null, 0]);
  });
});
