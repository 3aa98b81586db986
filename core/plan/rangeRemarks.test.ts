import { describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { partDifference, rangeRemarks } from './rangeRemarks';

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

  it('are made of parts whose history would begin late, with the lead-in that is enough', () => {
    const values = { 'samples.history': 8, 'samples.leadIn': 8 };
    const [part] = rangeRemarks(shot, recipe(values), 30, 50);
    expect(part).toContain('up to 30 %');
    const enough = Number(/Lead-in (\d+) brings/.exec(part)![1]);
    expect(partDifference(8, enough)).toBeLessThanOrEqual(0.01);
    expect(partDifference(8, enough - 1)).toBeGreaterThan(0.01);
    expect(rangeRemarks(shot, recipe({ ...values, 'samples.leadIn': enough }), 30, 50)).toEqual([]);
    expect(rangeRemarks(shot, recipe({ 'samples.history': 32, 'samples.leadIn': 32 }), 30, 50)[0]).toContain(
      'Render it in one',
    );
    // the whole begins where its history does
    expect(rangeRemarks(shot, recipe(values), -8, 79)).toEqual([]);
  });

  it('hold: light that is averaged as history does it differs by no more', () => {
    // zero before a part begins and one from then on is the worst that can be
    const averaged = (from: number, length: number, at: number): number => {
      let [value, frames] = [0, 0];
      for (let f = from; f <= at; f++) {
        const share = 1 / (Math.min(length - 1, frames) + 1);
        value += ((f >= 0 ? 1 : 0) - value) * share;
        frames++;
      }
      return value;
    };
    for (const length of [2, 4, 8, 16])
      for (const leadIn of [length, 2 * length]) {
        const apart = Math.abs(averaged(-500, length, leadIn) - averaged(0, length, leadIn));
        expect(apart).toBeLessThanOrEqual(partDifference(length, leadIn) + 1e-12);
        expect(apart).toBeGreaterThan(partDifference(length, leadIn) * 0.99);
      }
  });

  it('are made when fewer frames lead in than are accumulated', () => {
    const short = rangeRemarks(shot, recipe({ 'samples.history': 8, 'samples.leadIn': 2 }), 0, 71);
    expect(short).toHaveLength(1);
    expect(short[0]).toContain('Raise Lead-in to 8');
    expect(rangeRemarks(shot, recipe({ 'samples.history': 8, 'samples.leadIn': 8 }), 0, 71)).toEqual([]);
    expect(rangeRemarks(shot, recipe({ 'samples.history': 1, 'samples.leadIn': 0 }), 0, 71)).toEqual([]);
  });
});
