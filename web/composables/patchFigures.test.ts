import { describe, expect, it } from 'vitest';
import type { Patch } from '@daxel/api/schemas';
import { patchFigures } from './patchFigures';

const patch = (id: string): Patch => ({ id, name: id, x: 0, y: 0, width: 0.5, height: 0.5 });

describe('figures of patches', () => {
  it('are medians over the frames that were measured, with the worst of them', () => {
    const patchFlicker = { 12: [0.5, null], 13: [3, null], 14: [1, 2], 15: [0.2, null], 16: [1.5, null] };
    const run = { patches: [patch('mirror'), patch('wall')], patchFlicker, first: 10 };
    expect(patchFigures(run).map(({ patch: p, ...rest }) => [p.name, rest])).toEqual([
      ['mirror', { index: 1, frame: 13 }],
      ['wall', { index: 2, frame: 14 }],
    ]);
  });

  it('are nothing where nothing was measured, or no patch was drawn', () => {
    const run = { patches: [patch('edge')], patchFlicker: { 3: [null] }, first: 1 };
    expect(patchFigures(run)).toEqual([{ patch: run.patches[0], index: null, frame: 1 }]);
    expect(patchFigures({ ...run, patchFlicker: {} })[0].index).toBeNull();
    expect(patchFigures({ ...run, patches: [] })).toEqual([]);
  });

  it('of several worst frames name the first', () => {
    const run = { patches: [patch('a')], patchFlicker: { 5: [2], 6: [1], 7: [2] }, first: 0 };
    expect(patchFigures(run)[0].frame).toBe(5);
  });
});
