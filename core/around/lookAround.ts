/** What paths are told that look for what comes from around: traced from a row of surfaces, baked into probes, or by voxels. */
import type { PathOptions } from '../frame/frameSettings';
import type { FrameWork } from '../frame/frameWork';
import type { Look } from '../frame/look';
import { pathLimits, pathScenery, type PathScenery } from '../frame/pathScenery';
import type { TracedScene } from '../frame/stages/rays';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_SKY,
  START_SPREAD,
} from '../trace/paths/pathStarts';
import type { PathInput, PathLimits } from '../trace/tracePaths';

/**
 * What paths go by that begin at surfaces which have scattered already.
 * @param traced its kernel is told how materials take rays @param paths PATH_SUMS numbers an item
 */
export function lookingInput(
  work: FrameWork,
  look: Look,
  {
    options,
    traced,
    paths,
    seed = 0,
  }: { options: PathOptions; traced: TracedScene; paths: Float32Array; seed?: number },
): PathInput {
  const { settings, clock } = work;
  return {
    ...withBounce(pathScenery(work, look, traced, options.caustics), settings.bounce),
    limits: afterFirst(pathLimits(options, settings.exposureEv)),
    ...{ sampleBase: 0, seed, paths, camera: null, now: clock.now, spent: new Float64Array(4) },
  };
}

/** The scenery with surroundings as strong as the artist has light from around. */
function withBounce(scenery: PathScenery, bounce: number): PathScenery {
  const { surroundings } = scenery.emitters;
  const scaled = surroundings && {
    ...surroundings,
    light: surroundings.light * bounce,
    reflection: surroundings.reflection * bounce,
  };
  return { ...scenery, emitters: { ...scenery.emitters, surroundings: scaled } };
}

/** Limits of a path that begins at a surface which has scattered already; what it brings is clamped by whoever sums it up. */
function afterFirst(limits: PathLimits): PathLimits {
  return {
    ...limits,
    total: Math.max(0, limits.total - 1),
    roulette: Math.max(0, limits.roulette - 1),
    clamp: Infinity,
  };
}

/** How fast a ray that stands for a part of all directions grows wider, metres a metre: textures are read as blurred. */
const SPREAD = 0.1;

/** What the rays of a place have in common. */
export interface LookWish {
  /** Factor on the surroundings. */
  sky: number;
  /** Rays only learn what light they meet. */
  ends: boolean;
}

/** Writes all of a start but its origin. @param way unit direction @param density with which that was drawn, per steradian */
export function writeLook(ray: Float64Array, way: Float64Array, density: number, { sky, ends }: LookWish): void {
  for (let c = 0; c < 3; c++) ray[START_DIRECTION + c] = way[c];
  ray[START_SKY] = sky;
  ray[START_FOOTPRINT] = 0;
  ray[START_SPREAD] = SPREAD;
  ray[START_DENSITY] = density;
  ray[START_MATTE] = 1;
  ray[START_ENDS] = ends ? 1 : 0;
}
