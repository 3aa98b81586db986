import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BadInputError } from '../errors';
import {
  checkValue,
  parseAssignment,
  readRecipe,
  recipeDifferences,
  recipeHash,
  resolveRecipe,
  valueOrigin,
  withValue,
  writeRecipe,
  type Recipe,
} from './recipe';
import { SETTINGS, STAGES, type Setting, type SettingValue } from './settings';
import { STARTING_RECIPES, startingRecipe } from './startingRecipes';

const EMPTY: Recipe = { name: 'empty', draft: {}, final: {} };

function anyValue(s: Setting): fc.Arbitrary<SettingValue> {
  if (s.kind === 'switch') return fc.boolean();
  if (s.kind === 'choice') return fc.constantFrom(...s.choices.map((c) => c.value));
  if (s.kind === 'integer') return fc.integer({ min: s.min, max: s.max });
  return fc.double({ min: s.min, max: s.max, noNaN: true });
}

describe('the registry of settings', () => {
  it('declares every setting once, with a stage, a label and what to look for', () => {
    expect(new Set(SETTINGS.map((s) => s.id)).size).toBe(SETTINGS.length);
    for (const s of SETTINGS) {
      expect(s.id.startsWith(`${s.stage}.`)).toBe(true);
      expect(STAGES.some((stage) => stage.id === s.stage)).toBe(true);
      expect(s.label.length).toBeGreaterThan(2);
      expect(s.lookFor.length).toBeGreaterThan(5);
      expect(s.does).toMatch(/\.$/);
    }
  });

  it('never calls a setting idle whose change is seen: hidden ones belong to a choice that can be made', () => {
    const start = resolveRecipe(EMPTY, 'draft');
    for (const s of SETTINGS.filter((each) => each.matters && !each.matters(start))) {
      const changes: Record<string, SettingValue>[] = [
        { 'shadows.autoBias': false },
        { 'shadows.filter': 'moment' },
        { 'shadows.cascades': 3 },
        { 'shadows.contactLength': 0.2 },
        { 'samples.history': 8 },
        { 'samples.method': 'path' },
        { 'samples.method': 'path', 'samples.errorTarget': 5 },
        { 'samples.method': 'path', 'samples.denoise': 'spatial' },
        { 'geometry.levels': true },
        { 'bounce.occlusion': true },
        { 'bounce.method': 'traced' },
        { 'bounce.method': 'screen' },
        { 'reflections.method': 'traced' },
        { 'bounce.method': 'probes', 'bounce.probeFine': true },
        { 'bounce.method': 'voxels', 'bounce.voxelBox': 'placed' },
      ];
      expect(changes.some((change) => s.matters!({ ...start, ...change }))).toBe(true);
    }
  });

  it('has initial values that it allows itself', () => {
    for (const s of SETTINGS) expect(checkValue(s.id, s.initial)).toBe(s.initial);
  });

  it('refuses values out of range and says the range', () => {
    for (const s of SETTINGS) {
      if (s.kind === 'switch' || s.kind === 'choice') {
        expect(() => checkValue(s.id, 'nonsense')).toThrow(BadInputError);
        continue;
      }
      for (const value of [s.min - 1, s.max + 1, NaN, Infinity, 'x', null]) {
        expect(() => checkValue(s.id, value)).toThrow(
          new RegExp(`${s.id.replace('.', '\\.')} takes .*${s.min}( \\(${s.least}\\))? to ${s.max}`),
        );
      }
      if (s.kind === 'integer') expect(() => checkValue(s.id, s.min + 0.5)).toThrow('whole number');
    }
  });

  it('names the nearest setting when one is unknown', () => {
    expect(() => checkValue('sampling.pixel', 4)).toThrow('did you mean "samples.pixel"');
  });
});

describe('tiers', () => {
  it('inherit from each other and then from the registry', () => {
    const recipe = withValue(EMPTY, 'final', 'samples.pixel', 64);
    expect(resolveRecipe(recipe, 'final')['samples.pixel']).toBe(64);
    expect(resolveRecipe(recipe, 'draft')['samples.pixel']).toBe(64);
    expect(valueOrigin(recipe, 'draft', 'samples.pixel')).toBe('inherited');
    expect(valueOrigin(recipe, 'final', 'samples.pixel')).toBe('own');
    expect(valueOrigin(recipe, 'final', 'lens.tone')).toBe('initial');
    const both = withValue(recipe, 'draft', 'samples.pixel', 1);
    expect(resolveRecipe(both, 'draft')['samples.pixel']).toBe(1);
    expect(resolveRecipe(withValue(both, 'draft', 'samples.pixel', undefined), 'draft')['samples.pixel']).toBe(64);
  });

  it('leave the recipe they were made from alone', () => {
    const recipe = withValue(EMPTY, 'draft', 'lens.exposure', 1);
    withValue(recipe, 'draft', 'lens.exposure', 2);
    expect(recipe.draft['lens.exposure']).toBe(1);
  });
});

describe('the hash of a resolved recipe', () => {
  it('depends on values alone, not on where or in which order they were set', () => {
    const a: Recipe = { name: 'a', draft: { 'samples.pixel': 8, 'lens.exposure': 1 }, final: {} };
    const b: Recipe = { name: 'b', draft: {}, final: { 'lens.exposure': 1, 'samples.pixel': 8 } };
    expect(recipeHash(resolveRecipe(a, 'draft'))).toBe(recipeHash(resolveRecipe(b, 'final')));
    expect(recipeHash(resolveRecipe(EMPTY, 'draft'))).not.toBe(recipeHash(resolveRecipe(a, 'draft')));
  });

  it('tells any two settings apart', () => {
    for (const s of SETTINGS) {
      if (s.kind !== 'number' && s.kind !== 'integer') continue;
      const other = withValue(EMPTY, 'draft', s.id, s.initial === s.max ? s.min : s.max);
      expect(recipeHash(resolveRecipe(other, 'draft'))).not.toBe(recipeHash(resolveRecipe(EMPTY, 'draft')));
      expect(recipeDifferences(resolveRecipe(other, 'draft'), resolveRecipe(EMPTY, 'draft'))).toEqual([s.id]);
    }
  });
});

describe('recipe files', () => {
  it('come back as they were written', () => {
    const record = fc.record(Object.fromEntries(SETTINGS.map((s) => [s.id, anyValue(s)])), { requiredKeys: [] });
    fc.assert(
      fc.property(record, record, (draft, final) => {
        const recipe = JSON.parse(JSON.stringify({ name: 'any', draft, final })) as Recipe;
        expect(readRecipe(writeRecipe(recipe), 'r.json')).toEqual(recipe);
      }),
    );
  });

  it.each([
    ['', 'not valid JSON'],
    ['{', 'not valid JSON'],
    ['[]', 'top level'],
    ['{"format":"daxel-recipe","version":2,"name":"x"}', 'version'],
    ['{"format":"other","version":1,"name":"x"}', 'format'],
    ['{"format":"daxel-recipe","version":1,"name":""}', 'name'],
    ['{"format":"daxel-recipe","version":1,"name":"x","draft":{"samples.pixel":0}}', 'draft: samples.pixel takes'],
    ['{"format":"daxel-recipe","version":1,"name":"x","final":{"no.such":1}}', 'final: There is no setting "no.such"'],
    ['{"format":"daxel-recipe","version":1,"name":"x","extra":1}', 'extra'],
  ])('say what is wrong with %s', (text, expected) => {
    expect(() => readRecipe(text, 'r.json')).toThrow(BadInputError);
    expect(() => readRecipe(text, 'r.json')).toThrow('r.json');
    expect(() => readRecipe(text, 'r.json')).toThrow(expected);
  });

  it('never crash the reader in another way', () => {
    fc.assert(
      fc.property(fc.oneof(fc.json(), fc.string()), (text) => {
        try {
          readRecipe(text, 'r.json');
        } catch (error) {
          expect(error).toBeInstanceOf(BadInputError);
        }
      }),
    );
  });
});

describe('assignments of the command line', () => {
  it('are read by the kind of the setting', () => {
    expect(parseAssignment('samples.pixel=16')).toEqual({ id: 'samples.pixel', value: 16 });
    expect(parseAssignment('output.dither=off')).toEqual({ id: 'output.dither', value: false });
    expect(parseAssignment('lens.tone=none')).toEqual({ id: 'lens.tone', value: 'none' });
    for (const bad of ['samples.pixel', '=4', 'samples.pixel=', 'samples.pixel=many', 'output.dither=perhaps'])
      expect(() => parseAssignment(bad)).toThrow(BadInputError);
  });
});

describe('starting recipes', () => {
  it('hold allowed values only, and cost more from Sketch to Master', () => {
    const price = STARTING_RECIPES.map((r) => {
      expect(readRecipe(writeRecipe(r), r.name)).toEqual(r);
      const final = resolveRecipe(r, 'final');
      return (
        (final['samples.pixel'] as number) * (final['output.width'] as number) * (final['output.height'] as number)
      );
    });
    expect(price).toEqual([...price].sort((a, b) => a - b));
    expect(startingRecipe('Master')).toEqual(STARTING_RECIPES[2]);
    expect(startingRecipe('none such')).toBeUndefined();
  });
});

describe('a least value that is a word', () => {
  it('is read by that word or its beginning, and by its number', () => {
    for (const text of ['automatic', 'auto', 'Automatic', '0'])
      expect(parseAssignment(`shadows.lightSamples=${text}`)).toEqual({ id: 'shadows.lightSamples', value: 0 });
    expect(() => parseAssignment('shadows.lightSamples=hard')).toThrow('0 (automatic) to 1024');
    expect(() => parseAssignment('samples.pixel=auto')).toThrow(BadInputError);
    expect(() => parseAssignment('shadows.lightSamples=')).toThrow(BadInputError);
  });
});
