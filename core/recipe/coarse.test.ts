import { describe, expect, it } from 'vitest';
import { coarser } from './coarse';
import { resolveRecipe } from './recipe';

const recipeOf = (draft: Record<string, number | string>) => resolveRecipe({ name: 'r', draft, final: {} }, 'draft');

describe('what a coarse picture takes', () => {
  const fine = recipeOf({
    'samples.pixel': 16,
    'samples.shutter': 8,
    'shadows.lightSamples': 12,
    'shadows.resolution': 4096,
  });

  it('is less where the registry says so, with the same shadow maps as the fine one', () => {
    const coarse = coarser(fine);
    const changed = Object.keys(fine).filter((id) => coarse[id] !== fine[id]);
    expect(changed.sort()).toEqual([
      'bounce.occlusionDirections',
      'bounce.probeRays',
      'bounce.screenRays',
      'geometry.glassLayers',
      'samples.pixel',
      'samples.shutter',
      'shadows.lightSamples',
    ]);
    expect([coarse['samples.pixel'], coarse['samples.shutter'], coarse['shadows.lightSamples']]).toEqual([1, 1, 2]);
  });

  it('is less of those as well where no better one follows', () => {
    expect(coarser(fine, true)).toEqual({
      ...coarser(fine),
      'shadows.resolution': 512,
      'shadows.localResolution': 256,
      'bounce.occlusionSteps': 4,
      'bounce.screenSteps': 8,
    });
  });

  it('is never more', () => {
    const low = recipeOf({ 'samples.pixel': 1, 'geometry.glassLayers': 2, 'shadows.localResolution': 128 });
    const coarse = coarser(low, true);
    for (const [id, value] of Object.entries(low))
      if (typeof value === 'number') expect(coarse[id] as number).toBeLessThanOrEqual(value);
    // automatic stays automatic
    expect(coarse['shadows.lightSamples']).toBe(0);
  });
});
