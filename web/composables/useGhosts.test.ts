import { describe, expect, it } from 'vitest';
import { resolveRecipe, totalSamples, type TierValues } from '@daxel/core/recipe/recipe';
import { byItself } from './useGhosts';

const alone = (draft: TierValues) => byItself(resolveRecipe({ name: 'r', draft, final: {} }, 'draft'));

describe('the frame that accumulation is held against', () => {
  it('accumulates nothing and has as many samples as all frames that are averaged, 64 at least', () => {
    expect(totalSamples(alone({ 'samples.pixel': 2, 'samples.history': 8 }))).toBe(64);
    expect(totalSamples(alone({ 'samples.pixel': 2, 'samples.history': 8, 'samples.shutter': 4 }))).toBe(64);
    expect(totalSamples(alone({ 'samples.pixel': 16, 'samples.history': 16 }))).toBe(256);
    expect(alone({ 'samples.pixel': 4096, 'samples.history': 32 })['samples.pixel']).toBe(4096);
    expect(alone({ 'samples.history': 8 })['samples.history']).toBe(1);
  });
});
