import { describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { rangeRemarks } from './rangeRemarks';

const recipe = (values: TierValues = {}) => resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
const shot = { firstFrame: 0, lastFrame: 71, handles: 8 };

describe('remarks on a range of frames', () => {
  it('are made when most of it lies beyond the shot, and not of its handles or parts of it', () => {
    expect(rangeRemarks(shot, recipe(), 8, 500)).toHaveLength(1);
    expect(rangeRemarks(shot, recipe(), 8, 500)[0]).toContain('frames 0 to 71: 421 of these');
    expect(rangeRemarks(shot, recipe(), 0, 71)).toEqual([]);
    expect(rangeRemarks(shot, recipe(), -8, 79)).toEqual([]);
    expect(rangeRemarks(shot, recipe(), 20, 24)).toEqual([]);
    expect(rangeRemarks(shot, recipe(), 0, 90)).toEqual([]);
  });

  it('are made when fewer frames lead in than are accumulated', () => {
    const short = rangeRemarks(shot, recipe({ 'samples.history': 8, 'samples.leadIn': 2 }), 0, 71);
    expect(short).toHaveLength(1);
    expect(short[0]).toContain('Raise Lead-in to 8');
    expect(rangeRemarks(shot, recipe({ 'samples.history': 8, 'samples.leadIn': 8 }), 0, 71)).toEqual([]);
    expect(rangeRemarks(shot, recipe({ 'samples.history': 1, 'samples.leadIn': 0 }), 0, 71)).toEqual([]);
  });
});
