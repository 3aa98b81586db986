import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alike, mergeEdits, withTheirs } from './mergeEdits';

const base = {
  recipe: { name: 'r', draft: { a: 1, b: 2 }, final: {} as Record<string, number> },
  patches: [
    { id: 'p', x: 1 },
    { id: 'q', x: 2 },
  ],
  frame: 0,
};
type State = typeof base;
const edited = (change: (s: State) => void): State => {
  const copy = structuredClone(base);
  change(copy);
  return copy;
};

describe('two edits from one state', () => {
  it('are both kept where they touch different settings, patches and fields', () => {
    const mine = edited((s) => {
      s.recipe.draft.a = 5;
      s.patches[0].x = 9;
      s.patches.push({ id: 'mine', x: 0 });
    });
    const theirs = edited((s) => {
      s.recipe.final.c = 7;
      s.frame = 12;
      s.patches.splice(1, 1);
      s.patches.push({ id: 'theirs', x: 0 });
    });
    const { merged, conflicts } = mergeEdits(base, mine, theirs);
    expect(conflicts).toEqual([]);
    expect(merged).toEqual({
      recipe: { name: 'r', draft: { a: 5, b: 2 }, final: { c: 7 } },
      patches: [
        { id: 'p', x: 9 },
        { id: 'theirs', x: 0 },
        { id: 'mine', x: 0 },
      ],
      frame: 12,
    });
  });

  it('conflict only where both changed one value, each in its own way', () => {
    const mine = edited((s) => {
      s.recipe.draft.a = 5;
      s.recipe.draft.b = 3;
    });
    const theirs = edited((s) => {
      s.recipe.draft.a = 8;
      s.recipe.draft.b = 3;
    });
    const { merged, conflicts } = mergeEdits(base, mine, theirs);
    expect(conflicts).toEqual([{ path: ['recipe', 'draft', 'a'], mine: 5, theirs: 8 }]);
    expect(merged.recipe.draft).toEqual({ a: 5, b: 3 });
    expect(withTheirs(merged, conflicts).recipe.draft).toEqual({ a: 8, b: 3 });
  });

  it('keep what one deleted and the other changed, and ask', () => {
    const mine = edited((s) => s.patches.splice(0, 1));
    const theirs = edited((s) => (s.patches[0].x = 4));
    for (const [a, b] of [
      [mine, theirs],
      [theirs, mine],
    ]) {
      const { merged, conflicts } = mergeEdits(base, a, b);
      expect(conflicts.map((c) => c.path)).toEqual([['patches', 'p']]);
      expect(merged.patches.find((p) => p.id === 'p')?.x).toBe(4);
      const gone = withTheirs(merged, conflicts).patches.some((p) => p.id === 'p');
      expect(gone).toBe(b === theirs);
    }
  });

  it('give a side back where the other changed nothing, whatever they are', () => {
    fc.assert(
      fc.property(fc.jsonValue(), fc.jsonValue(), (before, after) => {
        expect(alike(mergeEdits(before, after, before).merged, after)).toBe(true);
        expect(alike(mergeEdits(before, before, after).merged, after)).toBe(true);
        expect(mergeEdits(before, after, after).conflicts).toEqual([]);
      }),
      { numRuns: 300 },
    );
  });
});
