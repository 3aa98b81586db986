import { describe, expect, it } from 'vitest';
import { findSetting, SETTINGS } from '../recipe/settings';
import { resolveRecipe } from '../recipe/recipe';
import { SCENE_NEEDS } from '../recipe/settingTypes';
import { compileScene } from '../scene/compileScene';
import { quad, sceneOf } from '../testing/scenes';
import { canMatter, sceneFacts } from './sceneFacts';

const recipe = resolveRecipe({ name: 't', draft: {}, final: {} }, 'draft');

describe('what a scene has', () => {
  const scene = compileScene(sceneOf([quad(1)]));
  const dark = { ...scene.meta.environment, lightsSurfaces: false, seenInReflections: false };

  it('is little when it is a bare square in the dark', () => {
    const facts = sceneFacts(scene, { lights: [], environment: dark });
    expect([...facts].filter((f) => !f.endsWith('things'))).toEqual([]);
    expect(canMatter(findSetting('shadows.distance')!, recipe, facts)).toBe(false);
    expect(canMatter(findSetting('samples.pixel')!, recipe, facts)).toBe(true);
  });

  it('follows its light', () => {
    const facts = sceneFacts(scene, { lights: [], environment: { ...dark, lightsSurfaces: true } });
    expect(facts.has('surroundings that light')).toBe(true);
    expect(facts.has('mirrored surroundings')).toBe(false);
  });

  it('decides of every need that a setting has, and nothing when it is not known', () => {
    const needs = new Set(SETTINGS.flatMap((s) => (s.needs ? [s.needs] : [])));
    expect([...needs].sort()).toEqual([...SCENE_NEEDS].sort());
    for (const s of SETTINGS) expect(canMatter(s, recipe, null)).toBe(s.matters?.(recipe) ?? true);
  });
});
