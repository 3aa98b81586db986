import { describe, expect, it } from 'vitest';
import type { Blame } from '../measure/stability/blame';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { bestFlickerCure, flickerCures, MOST_CURES } from './flickerCures';

const recipe = (values: TierValues = {}) => resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
const NONE = { direct: 0, shadow: 0, bounce: 0, reflection: 0, emission: 0 };
const blame = (parts: Partial<Blame['parts']>, outlines = 0): Blame => ({
  parts: { ...NONE, ...parts },
  outlines,
  points: 100,
});
const SUN = { sun: true, lamp: false, soft: false };
const ids = (values: TierValues, what: Blame): string[] =>
  flickerCures(recipe(values), what, SUN).map((c) => Object.keys(c.values)[0]);

describe('cures of flicker', () => {
  it('begin with accumulation, and change one setting each, within its range', () => {
    for (const parts of [{ direct: 1 }, { shadow: 1 }, { bounce: 1 }, { reflection: 1 }, { emission: 1 }])
      for (const method of ['raster', 'path']) {
        const start = recipe({ 'samples.method': method, 'samples.pixel': 2048 });
        const cures = flickerCures(start, blame(parts, 0.5), SUN);
        expect(Object.keys(cures[0].values)).toEqual(['samples.history']);
        expect(cures.length).toBeLessThanOrEqual(MOST_CURES);
        expect(new Set(cures.map((c) => Object.keys(c.values)[0])).size).toBe(cures.length);
        for (const { values } of cures) {
          expect(Object.keys(values).length).toBe(1);
          expect(values['samples.pixel']).toBeUndefined();
          for (const [id, v] of Object.entries(values)) expect(start[id]).not.toBe(v);
        }
      }
  });

  it('offer what governs the suspect', () => {
    expect(ids({}, blame({ shadow: 0.9 }))).toContain('shadows.resolution');
    expect(ids({}, blame({ bounce: 0.9 }))).not.toContain('shadows.resolution');
    expect(ids({ 'reflections.steady': false }, blame({ reflection: 0.9 }))).toContain('reflections.steady');
    expect(ids({}, blame({ bounce: 0.9 }, 0.8))).toContain('samples.radius');
    const path = { 'samples.method': 'path', 'samples.pattern': 'moving' };
    expect(ids(path, blame({ bounce: 0.9 }))).toEqual(
      expect.arrayContaining(['samples.denoise', 'bounce.clamp', 'samples.pattern']),
    );
    expect(ids({}, blame({ bounce: 0.9 }))).not.toContain('samples.denoise');
  });

  it('offer full detail where the recipe leaves some out', () => {
    const some = { 'geometry.levels': true, 'geometry.drawSmall': 12 };
    expect(ids(some, blame({ direct: 0.9 }))).toEqual(
      expect.arrayContaining(['geometry.levels', 'geometry.drawSmall']),
    );
    expect(ids({}, blame({ direct: 0.9 })).some((id) => id.startsWith('geometry.draw'))).toBe(false);
    expect(ids({}, blame({ direct: 0.9 }))).not.toContain('geometry.levels');
  });

  it('are judged by what was measured', () => {
    const before = { index: 6, seconds: 1 };
    // the cheapest that makes it invisible
    expect(
      bestFlickerCure(before, [
        { index: 0.5, seconds: 9 },
        { index: 0.9, seconds: 2 },
        { index: 3, seconds: 1 },
      ]),
    ).toBe(1);
    // else the most for the time
    expect(
      bestFlickerCure(before, [
        { index: 2, seconds: 9 },
        { index: 3, seconds: 1.1 },
      ]),
    ).toBe(1);
    expect(bestFlickerCure(before, [{ index: 5.9, seconds: 1 }])).toBe(-1);
    expect(bestFlickerCure(before, [{ index: 8, seconds: 0.1 }])).toBe(-1);
    // not one that makes another place worse, unless nobody would notice
    const good = { index: 3, seconds: 2 };
    const spoils = { index: 0.5, seconds: 1, elsewhere: [{ before: 4, after: 9 }] };
    expect(bestFlickerCure(before, [spoils, good])).toBe(1);
    expect(bestFlickerCure(before, [{ ...spoils, elsewhere: [{ before: 0.1, after: 0.8 }] }, good])).toBe(0);
    expect(bestFlickerCure(before, [{ ...spoils, elsewhere: [{ before: 4, after: 4.2 }] }, good])).toBe(0);
    expect(bestFlickerCure(before, [spoils])).toBe(-1);
    // what nobody notices needs no cure
    expect(bestFlickerCure({ index: 0.4, seconds: 1 }, [{ index: 0.01, seconds: 1 }])).toBe(-1);
  });
});
