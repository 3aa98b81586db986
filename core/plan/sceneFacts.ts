/** What a scene and its light have, so that only settings are tried that can change anything. */
import type { ResolvedRecipe } from '../recipe/recipe';
import type { SceneNeed, Setting } from '../recipe/settingTypes';
import { DRAW_CLASSES } from '../scene/detail';
import type { CompiledScene } from '../scene/compiled';
import {
  ALPHA_BLEND,
  M_ALPHA_MODE,
  M_SLOT,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
  SLOT_NORMAL,
  SLOT_STRIDE,
} from '../scene/materialTable';
import type { Lighting, PlacedLight } from '../scene/source';

export type SceneFacts = ReadonlySet<SceneNeed>;

/** Texture slots of a material. */
const SLOTS = 5;

export function sceneFacts(scene: CompiledScene, { lights, environment }: Lighting): SceneFacts {
  const facts = new Set<SceneNeed>();
  const add = (need: SceneNeed, has: boolean): void => void (has && facts.add(need));
  const { sun, lamp, soft } = castingKinds(lights);
  add('sun shadow', sun);
  add('lamp shadow', lamp);
  add('shadow', sun || lamp);
  add('soft light', soft);
  const { materials } = scene;
  for (let m = 0; m < materials.length; m += MATERIAL_STRIDE) {
    for (let slot = 0; slot < SLOTS; slot++) {
      const used = materials[m + M_SLOT + slot * SLOT_STRIDE] >= 0;
      add('textures', used);
      add('bumps', used && slot === SLOT_NORMAL);
    }
    add('glass', materials[m + M_TRANSMISSION] > 0 || materials[m + M_ALPHA_MODE] === ALPHA_BLEND);
  }
  add(
    'coarser levels',
    scene.levels.some((n) => n > 0),
  );
  add('surroundings that light', environment.lightsSurfaces !== false);
  add('mirrored surroundings', environment.seenInReflections !== false);
  const classes = new Set([...scene.drawClasses].map((c) => DRAW_CLASSES[c]));
  for (const size of ['small', 'medium', 'large'] as const) add(`${size} things`, classes.has(size));
  add('foliage', classes.has('foliage'));
  return facts;
}

/** Whether a setting can change anything: beside the other values of the recipe, and in this scene. */
export function canMatter(setting: Setting, recipe: ResolvedRecipe, facts: SceneFacts | null): boolean {
  if (setting.matters && !setting.matters(recipe)) return false;
  return !facts || !setting.needs || facts.has(setting.needs);
}

/** Kinds of lights that cast in a shot; `soft`: any of them has an extent. */
interface CastingKinds {
  sun: boolean;
  lamp: boolean;
  soft: boolean;
}

function castingKinds(lights: readonly PlacedLight[]): CastingKinds {
  const casting = lights.filter((l) => l.castsShadow);
  return {
    sun: casting.some((l) => l.kind === 'sun'),
    lamp: casting.some((l) => l.kind !== 'sun'),
    soft: casting.some((l) => l.kind === 'area' || l.radius > 0 || l.angularDiameterRad > 0),
  };
}
