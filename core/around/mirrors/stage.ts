/** What is mirrored, by rays. */
import { pathOptions, type PathOptions } from '../../frame/frameSettings';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import type { PlanContext } from '../../frame/stages/stage';
import { pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { scratchBytes } from '../../trace/rayKernel';
import { asksProbes } from '../probes/settings';
import { MOST_ITEMS } from '../traced/stage';
import { asksVoxels } from '../voxels/settings';
import type { AroundStage } from '../method';
import { openMirrors } from './openMirrors';
import { tracesMirrors } from './settings';

export interface MirrorOptions extends PathOptions {
  /** Of each place that mirrors. */
  rays: number;
  /** Rougher surfaces take the mean of bounced light. */
  roughest: number;
  /** Another method knows bounced light at any place. */
  bounceKnown: boolean;
}

/** @param threads 0 where nothing is traced */
function arenaOf(threads: number, materials: number) {
  return {
    mirrorPaths: { type: 'u8', length: threads * pathScratchBytes(materials), stage: 'reflections' },
    mirrorRays: { type: 'u8', length: threads * scratchBytes(materials), stage: 'reflections' },
    mirrorSums: { type: 'f32', length: threads * MOST_ITEMS * PATH_SUMS, stage: 'reflections' },
  } as const satisfies ArenaPlan;
}
type MirrorArena = ReturnType<typeof arenaOf>;
export type MirrorViews = ArenaViews<MirrorArena>;

export const mirrorStage: AroundStage<MirrorOptions, MirrorArena> = {
  each: 'instant',
  options({ recipe, settings }: PlanContext) {
    if (settings.path || !tracesMirrors(recipe)) return null;
    const [rays, roughest] = [recipe['reflections.rays'] as number, recipe['reflections.roughest'] as number];
    const bounceKnown = asksProbes(recipe) || asksVoxels(recipe);
    return { ...pathOptions(recipe), rays, roughest, bounceKnown };
  },
  needs: () => ({ depth: false, normals: false, senders: 0 }),
  memory: ({ scene, threads }, options) => arenaOf(options ? threads : 0, scene.meta.materials.length),
  key: () => null,
  open: openMirrors,
};
