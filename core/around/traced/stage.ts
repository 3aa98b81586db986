/** Bounced light by rays. */
import { pathOptions, type PathOptions } from '../../frame/frameSettings';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import type { PlanContext } from '../../frame/stages/stage';
import { PATH_SUMS } from '../../trace/pathSums';
import { PATH_TILE, pathScratchBytes } from '../../trace/pathKernel';
import { scratchBytes } from '../../trace/rayKernel';
import type { AroundStage } from '../method';
import { openTraced } from './openTraced';
import { tracesBounce } from './settings';

export interface TracedOptions extends PathOptions {
  /** Of each place that is shaded. */
  rays: number;
}

/** Paths in flight at once. */
export const MOST_ITEMS = PATH_TILE * PATH_TILE;

/** @param threads 0 where nothing is traced */
function arenaOf(threads: number, materials: number) {
  return {
    aroundPaths: { type: 'u8', length: threads * pathScratchBytes(materials), stage: 'bounce' },
    aroundRays: { type: 'u8', length: threads * scratchBytes(materials), stage: 'bounce' },
    aroundSums: { type: 'f32', length: threads * MOST_ITEMS * PATH_SUMS, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type TracedArena = ReturnType<typeof arenaOf>;
export type TracedViews = ArenaViews<TracedArena>;

export const tracedStage: AroundStage<TracedOptions, TracedArena> = {
  each: 'instant',
  options({ recipe, settings }: PlanContext) {
    if (settings.path || !tracesBounce(recipe)) return null;
    return { ...pathOptions(recipe), rays: recipe['bounce.rays'] as number };
  },
  needs: () => ({ depth: false, normals: false, senders: 0 }),
  memory: ({ scene, threads }, options) => arenaOf(options ? threads : 0, scene.meta.materials.length),
  key: () => null,
  open: openTraced,
};
