/** What paths are told that look for what comes from around: traced from a row of surfaces, or baked into probes. */
import type { PathScenery } from '../frame/pathScenery';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_SKY,
  START_SPREAD,
} from '../trace/paths/pathStarts';
import type { PathLimits } from '../trace/tracePaths';

/** The scenery with surroundings as strong as the artist has light from around. */
export function withBounce(scenery: PathScenery, bounce: number): PathScenery {
  const { surroundings } = scenery.emitters;
  const scaled = surroundings && {
    ...surroundings,
    light: surroundings.light * bounce,
    reflection: surroundings.reflection * bounce,
  };
  return { ...scenery, emitters: { ...scenery.emitters, surroundings: scaled } };
}

/** Limits of a path that begins at a surface which has scattered already; what it brings is clamped by whoever sums it up. */
export function afterFirst(limits: PathLimits): PathLimits {
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
