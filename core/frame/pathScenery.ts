/** The scene at an instant as paths go through it: surfaces, rays, and all that sheds light. */
import { frameLight } from '../light/frameLight';
import type { EnvironmentSource } from '../light/surroundings/document';
import { useStrength } from '../light/surroundings/kind';
import { environmentRadiance, kindOf } from '../light/surroundings/kinds';
import { exp2 } from '../math/exact';
import type { CompiledScene } from '../scene/compiled';
import { MATERIAL_STRIDE, M_ROUGHNESS, M_THICKNESS } from '../scene/materialTable';
import type { EnvironmentPicture } from '../scene/source';
import { CAST_GLASS, CAST_SOLID } from '../shadows/shadowMap';
import { createEmitters, type Surroundings } from '../trace/emitters';
import { buildEnvironmentSampler, type EnvironmentSampler } from '../trace/environmentSampler';
import { glowingTriangles } from '../trace/glowingTriangles';
import { placePortals, type Portals } from '../trace/portals';
import type { PathInput, PathLimits } from '../trace/tracePaths';
import type { PathOptions } from './frameSettings';
import { surfacesOf, type FrameWork } from './frameWork';
import type { Look } from './look';
import { castKinds, faceRule, rayKinds } from './materialRules';
import type { TracedScene } from './stages/rays';

export type PathScenery = Pick<PathInput, 'surface' | 'bvh' | 'shadows' | 'frontOnly' | 'emitters'>;

/**
 * @param traced its kernel is told how materials take rays
 * @param caustics light that glass bends is followed: it goes through none of that in a straight line
 */
export function pathScenery(
  work: FrameWork,
  { moment: { world } }: Look,
  { bvh, kernel }: TracedScene,
  caustics: boolean,
): PathScenery {
  const { scene, lighting, geometry } = work;
  const casts = castKinds(scene, true);
  if (caustics) {
    // bent light is found by paths: in a straight line such glass lets none through
    for (let m = 0; m < casts.length; m++) if (casts[m] === CAST_GLASS && bends(scene, m)) casts[m] = CAST_SOLID;
  }
  const frontOnly = faceRule(scene).map((faces) => (faces === 1 ? 1 : 0));
  kernel?.bind(rayKinds(casts, frontOnly));
  return {
    surface: surfacesOf(work),
    bvh,
    shadows: { scene, bvh, casts, kernel },
    frontOnly,
    emitters: createEmitters(
      lighting.lights.map((source, i) => frameLight(source, i, world)),
      surroundings(lighting.environment, work.picture, placePortals(scene.meta.portals ?? [], world)),
      glowingTriangles(scene, geometry.positions),
    ),
  };
}

/** What paths go by, as a recipe says it. */
export function pathLimits(options: PathOptions, exposureEv: number): PathLimits {
  return {
    total: options.bounces,
    matte: options.matte,
    gloss: options.gloss,
    through: options.through,
    roulette: options.roulette,
    clamp: options.clamp > 0 ? options.clamp * exp2(-exposureEv) : Infinity,
    caustics: options.caustics,
  };
}

/** Solid or rough glass, by its material's own numbers. */
function bends(scene: CompiledScene, material: number): boolean {
  const m = material * MATERIAL_STRIDE;
  return scene.materials[m + M_THICKNESS] > 0 || scene.materials[m + M_ROUGHNESS] > 0.1;
}

let kept: { key: string; picture: EnvironmentPicture | null; sampler: EnvironmentSampler | null } | null = null;

function surroundings(
  environment: EnvironmentSource,
  picture: EnvironmentPicture | null,
  portals: Portals | null,
): Surroundings | null {
  const radiance = environmentRadiance(environment, picture);
  const uses = {
    camera: useStrength(environment, 'camera'),
    light: useStrength(environment, 'light'),
    reflection: useStrength(environment, 'reflection'),
  };
  if (uses.camera === 0 && uses.light === 0 && uses.reflection === 0) return null;
  const key = JSON.stringify(environment);
  if (kept?.key !== key || kept.picture !== picture) {
    const [width, height] = kindOf(environment).cells;
    kept = { key, picture, sampler: buildEnvironmentSampler(radiance, width, height) };
  }
  const lights = uses.light > 0 || uses.reflection > 0;
  return { radiance, sampler: lights ? kept.sampler : null, portals, ...uses };
}
