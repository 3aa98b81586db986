/** Ambient occlusion: what stands near keeps the surroundings out. It finds no light itself, but says how open places are. */
import type { PlanContext } from '../../frame/stages/stage';
import type { ResolvedRecipe } from '../../recipe/recipe';
import type { AroundStage } from '../method';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import { GRID_BYTES } from './grid';
import { LOOKOUT_BYTES } from './lookout';
import { marchesBounce } from '../screen/settings';
import { openOcclusion } from './openOcclusion';

export interface OcclusionOptions {
  /** Metres. */
  radius: number;
  /** 0…1 */
  strength: number;
  bent: boolean;
  directions: number;
  steps: number;
  half: boolean;
}

/** Null when it is off. */
export function occlusionOptions(recipe: ResolvedRecipe): OcclusionOptions | null {
  if (recipe['bounce.occlusion'] !== true) return null;
  return {
    radius: recipe['bounce.occlusionRadius'] as number,
    strength: (recipe['bounce.occlusionStrength'] as number) / 100,
    bent: recipe['bounce.occlusionBent'] === true,
    directions: recipe['bounce.occlusionDirections'] as number,
    steps: recipe['bounce.occlusionSteps'] as number,
    half: recipe['bounce.occlusionScale'] === 'half',
  };
}

/** @param lookouts, grids how many of each */
function arenaOf(lookouts: number, grids: number) {
  return {
    lookouts: { type: 'u8', length: lookouts * LOOKOUT_BYTES, stage: 'bounce' },
    grids: { type: 'u8', length: grids * GRID_BYTES, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type OcclusionArena = ReturnType<typeof arenaOf>;
export type OcclusionViews = ArenaViews<OcclusionArena>;

export const occlusionStage: AroundStage<OcclusionOptions, OcclusionArena> = {
  each: 'eye',
  options({ recipe, settings, view }: PlanContext) {
    // the truth has no need of it, and where nothing comes from around nothing can be kept out
    // rays through the picture meet what stands near themselves: it would be dark twice
    if (marchesBounce(recipe)) return null;
    const lit = settings.bounce > 0 || settings.reflections > 0 || view === 'open';
    return lit && !settings.path ? occlusionOptions(recipe) : null;
  },
  needs: ({ half }) => ({ depth: true, normals: half, senders: 0 }),
  memory: ({ threads }, options) => arenaOf(options ? threads : 0, options?.half ? threads : 0),
  key: () => null,
  open: openOcclusion,
};
