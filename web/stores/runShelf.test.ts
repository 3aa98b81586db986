import { describe, expect, it, vi } from 'vitest';
import { reactive } from 'vue';
import { dropRun, keepRun, makingRoom, runsOnShelf, type ShelfEntry } from './runShelf';
import { emptyRun, type Run } from './runs';

const kept = new Map<string, unknown>();
vi.mock('idb-keyval', () => ({
  createStore: () => kept,
  get: (key: string) => Promise.resolve(kept.get(key)),
  set: (key: string, value: unknown) => Promise.resolve(void kept.set(key, structuredClone(value))),
  del: (key: string) => Promise.resolve(void kept.delete(key)),
  update: (key: string, next: (old: unknown) => unknown) => Promise.resolve(void kept.set(key, next(kept.get(key)))),
}));

const entry = (id: string, shotId: string, bytes: number): ShelfEntry => ({ id, shotId, bytes });

describe('room for another run', () => {
  it('is made by the older ones of its own shot, then by the oldest of all', () => {
    const shelf = [entry('a', 'one', 10), entry('b', 'two', 10), entry('c', 'one', 10), entry('d', 'three', 10)];
    expect(makingRoom(shelf, entry('e', 'one', 10), 100)).toEqual(['a']);
    expect(makingRoom(shelf, entry('e', 'four', 10), 45)).toEqual(['a']);
    expect(makingRoom(shelf, entry('e', 'four', 25), 45)).toEqual(['a', 'b']);
    expect(makingRoom(shelf, entry('e', 'four', 10), 100)).toEqual([]);
  });

  it('is not made for one that would not fit on an empty shelf', () => {
    expect(makingRoom([entry('a', 'one', 10)], entry('b', 'two', 101), 100)).toBeNull();
  });
});

describe('runs on the shelf', () => {
  const run = (name: string, more: Partial<Run> = {}): Run => ({
    ...emptyRun({ shotId: 'one', name, tier: 'draft', first: 0, last: 1, rate: 24, order: null, patches: [] }),
    state: 'done',
    pictures: [0, 1].map(() => ({ width: 2, height: 1, codes: new Uint8ClampedArray(8), samples: 1, coarse: false })),
    ...more,
  });

  it('come back newest first, without what they were rendered from', async () => {
    await keepRun(run('first', { order: { wish: () => undefined } as never }));
    // places of a document that is watched are no plain objects
    await keepRun(run('second', { patches: reactive([{ id: 'p', name: 'p', x: 0, y: 0, width: 1, height: 1 }]) }));
    await keepRun(run('third'));
    await keepRun(run('elsewhere', { shotId: 'two' }));
    const back = await runsOnShelf('one');
    expect(back.map((b) => b.run.name)).toEqual(['third', 'second']);
    expect(back[0].run.order).toBeNull();
    expect(back[1].run.patches[0].name).toBe('p');
    expect(back[0].run.pictures[1]?.codes).toBeInstanceOf(Uint8ClampedArray);
    await dropRun(back[0].id);
    expect((await runsOnShelf('one')).map((b) => b.run.name)).toEqual(['second']);
    expect((await runsOnShelf('two')).length).toBe(1);
  });

  it('are not kept where pictures would have to be read from files again', async () => {
    expect(await keepRun(run('files', { shotId: 'three', pictures: [null, null] }))).toBeNull();
    expect(await runsOnShelf('three')).toEqual([]);
  });
});
