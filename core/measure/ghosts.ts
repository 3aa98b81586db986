/**
 * What temporal accumulation gets wrong in a frame: where earlier light was taken over and the picture differs visibly
 * from one whose samples were all taken in the frame itself. Trails behind what moved, and glints that were averaged away.
 */
import type { HistoryMap } from '../frame/keptHistory';
import { flipMap } from './flip';

/** Mean difference over a block (FLIP) that is seen. Single pixels may differ more: grain is no ghost. */
export const SEEN = 0.1;

export interface Ghosts {
  /** Of the map, blocks. */
  width: number;
  height: number;
  /** Difference of each block over what is seen; NaN where nothing was taken over. */
  strengths: Float32Array<ArrayBuffer>;
  /** Share of the picture's blocks that differ visibly. */
  share: number;
}

/**
 * @param shown, truth rgb per pixel, display-linear 0…1
 * @param history of the frame that is shown
 */
export function findGhosts(
  shown: Float32Array,
  truth: Float32Array,
  width: number,
  height: number,
  history: HistoryMap,
): Ghosts {
  const difference = flipMap(shown, truth, width, height);
  const { width: across, height: down, shares } = history;
  const block = Math.ceil(width / across);
  const strengths = new Float32Array(across * down);
  const counts = new Uint16Array(across * down);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const o = Math.floor(y / block) * across + Math.floor(x / block);
      strengths[o] += difference[y * width + x];
      counts[o]++;
    }
  let seen = 0;
  for (let o = 0; o < strengths.length; o++) {
    if (shares[o] === 0) {
      strengths[o] = NaN;
      continue;
    }
    strengths[o] /= counts[o] * SEEN;
    if (strengths[o] > 1) seen++;
  }
  return { width: across, height: down, strengths, share: seen / strengths.length };
}
