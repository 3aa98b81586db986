import { describe, expect, it } from 'vitest';
import type { Blame } from '../measure/stability/blame';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { bestFlickerCure, bestForItsTime, flickerCures, MOST_CURES, verdictOfCure } from './flickerCures';
import type { SceneFacts } from './sceneFacts';

const recipe = (values: TierValues = {}) => resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
const NONE = { direct: 0, shadow: 0, bounce: 0, reflection: 0, emission: 0 };
const blame = (parts: Partial<Blame['parts']>, outlines = 0): Blame => ({
  parts: { ...NONE, ...parts },
  outlines,
  points: 100,
});
const SUN: SceneFacts = new Set(['shadow', 'sun shadow', 'textures', 'bumps', 'coarser levels', 'small things']);
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
    // else what leaves least, of two that leave about as much the quicker
    expect(
      bestFlickerCure(before, [
        { index: 2, seconds: 9 },
        { index: 3, seconds: 1.1 },
      ]),
    ).toBe(0);
    expect(
      bestFlickerCure(before, [
        { index: 2.9, seconds: 9 },
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
    expect(bestFlickerCure({ index: 0.4 }, [{ index: 0.01, seconds: 1 }])).toBe(-1);
  });

  it('are told apart: what cures, what helps, what is best for its time, and what is of no use', () => {
    const before = { index: 21.6, seconds: 1 };
    const accumulation = { index: 16, seconds: 1.05 };
    const lightSamples = { index: 1.4, seconds: 4 };
    const filter = { index: 9, seconds: 1.1 };
    const tried = [accumulation, lightSamples, filter];
    expect(tried.map((t) => verdictOfCure(before, t))).toEqual(['no use', 'helps', 'helps']);
    expect(bestFlickerCure(before, tried)).toBe(1);
    expect(bestForItsTime(before, tried)).toBe(2);
    expect(verdictOfCure(before, { index: 0.8, seconds: 1 })).toBe('cures it');
    expect(verdictOfCure(before, { index: 0.8, seconds: 1, elsewhere: [{ before: 1, after: 3 }] })).toBe(
      'worse elsewhere',
    );
    // the best one is not named twice, and one that is quicker by chance is not quicker
    expect(bestForItsTime(before, [lightSamples])).toBe(-1);
    expect(bestForItsTime(before, [lightSamples, { index: 9, seconds: 3.6 }])).toBe(-1);
  });

  it('are not tried where they cannot matter: without sun, lamps, extent, textures or bumps', () => {
    const none: SceneFacts = new Set();
    for (const parts of [{ direct: 1 }, { shadow: 1 }, { reflection: 1 }]) {
      const offered = flickerCures(recipe({ 'reflections.steady': false }), blame(parts), none).flatMap((c) =>
        Object.keys(c.values),
      );
      expect(offered.filter((id) => id.startsWith('shadows.'))).toEqual([]);
      expect(offered).not.toContain('geometry.textureBias');
      expect(offered).not.toContain('reflections.steady');
    }
    expect(ids({}, blame({ direct: 1 }))).toContain('geometry.textureBias');
  });
});
