import { describe, expect, it } from 'vitest';
import { resolveRecipe, type Recipe } from '@daxel/core/recipe/recipe';
import { findSetting, SETTINGS, STAGES, type Setting } from '@daxel/core/recipe/settings';
import { settingsOf, whyIdle, type ShownRecipe } from './settingFilter';

function shown(values: Partial<Recipe> = {}, facts: ShownRecipe['facts'] = null): ShownRecipe {
  const recipe: Recipe = { name: 't', draft: {}, final: {}, ...values };
  return {
    facts,
    resolved: { draft: resolveRecipe(recipe, 'draft'), final: resolveRecipe(recipe, 'final') },
  };
}
const ids = (settings: readonly Setting[]): string[] => settings.map((s) => s.id);
const setting = (id: string): Setting => findSetting(id)!;

describe('the settings of a stage', () => {
  it('are all of them, each in one stage', () => {
    expect(STAGES.flatMap((s) => ids(settingsOf(s.id, shown()).all)).sort()).toEqual(ids(SETTINGS).sort());
  });

  it('are changed where either tier differs from a new recipe, and not where it says the same anew', () => {
    expect(settingsOf('shadows', shown()).changed).toEqual([]);
    const one = shown({ final: { 'shadows.distance': 9, 'shadows.taps': setting('shadows.taps').initial } });
    expect(ids(settingsOf('shadows', one).changed)).toEqual(['shadows.distance']);
    expect(settingsOf('samples', one).changed).toEqual([]);
  });

  it('matter when they do in one tier at least', () => {
    const bounces = (values: Partial<Recipe>): boolean =>
      ids(settingsOf('bounce', shown(values)).matters).includes('bounce.total');
    expect(bounces({})).toBe(false);
    expect(bounces({ draft: { 'samples.method': 'raster' }, final: { 'samples.method': 'path' } })).toBe(true);
  });

  it('do not matter where the scene lacks what they work on, and say so', () => {
    const distance = setting('shadows.distance');
    expect(whyIdle(distance, shown({}, null))).toBeNull();
    expect(whyIdle(distance, shown({}, new Set(['shadow', 'sun shadow'])))).toBeNull();
    const lamps = shown({}, new Set(['shadow', 'lamp shadow']));
    expect(ids(settingsOf('shadows', lamps).matters)).not.toContain('shadows.distance');
    expect(whyIdle(distance, lamps)).toContain('no sun shadow in this scene');
  });

  it('that others switch off say that it is these', () => {
    expect(whyIdle(setting('samples.historyClip'), shown())).toContain('other settings');
    expect(whyIdle(setting('samples.historyClip'), shown({ draft: { 'samples.history': 8 } }))).toBeNull();
  });
});
