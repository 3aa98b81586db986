/**
 * Bounced light where mirrored rays end, by a method that answers for any place: as smooth as that, where paths would bring grain, and
 * without a step more.
 */
import { componentAt } from '../../light/components';
import { PATH_SUMS, P_COLOR, P_COVERED, P_NORMAL } from '../../trace/pathSums';
import { START_DIRECTION, START_ORIGIN, START_SIZE, type PathStarts } from '../../trace/paths/pathStarts';
import type { ShadowRays } from '../../trace/traceShadow';
import { lookAlong } from '../lookAlong';
import { clearRow, rowOfOne, type OpenAround } from '../method';

/** The place that is asked for: all of its irradiance is wanted. */
const one = rowOfOne();
one.diffuse.forEach((column) => (column[0] = 1));
const [BOUNCE, REFLECTION] = [componentAt('bounce'), componentAt('reflection')];

/** Starts that remember the way of each item. */
export function remembered(starts: PathStarts, ways: Float64Array): PathStarts {
  return {
    ...starts,
    start(item, sample, ray) {
      const starting = starts.start(item, sample, ray);
      if (starting) ways.set(ray.subarray(0, START_SIZE), item * START_SIZE);
      return starting;
    },
  };
}

/**
 * What each item's surface sends on of the surroundings, of what glows and of what bounced takes the place of what its path found of
 * that; light straight from lamps, and glow that it met itself, stay.
 * @param ways of `remembered` @param sums PATH_SUMS numbers an item
 */
export function bounceAtHits(
  others: readonly OpenAround[],
  rays: ShadowRays,
  ways: Float64Array,
  sums: Float32Array,
  items: number,
): void {
  for (let item = 0; item < items; item++) {
    const o = item * PATH_SUMS;
    if (sums[o + P_COVERED] === 0) continue;
    for (let c = 0; c < 3; c++) sums[o + BOUNCE + c] = sums[o + REFLECTION + c] = 0;
    const w = item * START_SIZE;
    const way = ways.subarray(w + START_DIRECTION, w + START_DIRECTION + 3);
    const [x, y, z] = ways.subarray(w + START_ORIGIN, w + START_ORIGIN + 3);
    const { distance } = lookAlong(rays, x, y, z, way);
    const [nx, ny, nz] = sums.subarray(o + P_NORMAL, o + P_NORMAL + 3);
    if (distance === Infinity || nx * nx + ny * ny + nz * nz === 0) continue;
    clearRow(one);
    one.base = [x + way[0] * distance, y + way[1] * distance, z + way[2] * distance];
    [nx, ny, nz].forEach((n, c) => (one.normal[c][0] = one.face[c][0] = n));
    for (const method of others) method.gather(one);
    for (let c = 0; c < 3; c++)
      sums[o + BOUNCE + c] = (one.bounce[c][0] * one.bounceSure[0] * sums[o + P_COLOR + c]) / Math.PI;
  }
}
