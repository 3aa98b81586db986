/** What a path-traced picture remembers of its samples: enough to go on with it later to the same bits. */
import { luminance } from '../math/color';
import {
  P_COUNT,
  P_COVERED,
  P_LIGHT,
  P_LIT,
  P_SQUARE,
  PATH_SUM_STRIDE as PATH_SUMS,
} from '@daxel/kernel/generated/layouts/pathSums';
import { LIGHT_NUMBERS, SUM_COVERAGE, SUM_LIT, SUMS } from '../light/components';

/**
 * PATH_SUMS numbers a pixel, all summed over its samples: light by component, rgb each, then direct light that would arrive
 * and that does, squared luminance, luminance taken away by the firefly clamp, and what is seen first: colour rgb, normal
 * xyz, covered; at last the number of samples.
 */
export * from '@daxel/kernel/generated/layouts/pathSums';
export { PATH_SUMS };

/** Pixels along a block that stops as one when its error is small enough. */
export const BLOCK = 8;

export function blockCount(width: number, height: number): number {
  return Math.ceil(width / BLOCK) * Math.ceil(height / BLOCK);
}

/** Mean luminance of a pixel, nit. */
export function meanLuminance(paths: Float32Array, pixel: number): number {
  const o = pixel * PATH_SUMS;
  const n = paths[o + P_COUNT];
  if (n === 0) return 0;
  let [r, g, b] = [0, 0, 0];
  for (let k = 0; k < LIGHT_NUMBERS; k += 3) {
    r += paths[o + k];
    g += paths[o + k + 1];
    b += paths[o + k + 2];
  }
  return luminance(r, g, b) / n;
}

/** Standard error of a pixel's mean luminance, nit; that of one sample cannot be known and is its own luminance. */
export function standardError(paths: Float32Array, pixel: number): number {
  const o = pixel * PATH_SUMS;
  const n = paths[o + P_COUNT];
  const mean = meanLuminance(paths, pixel);
  if (n < 2) return Math.abs(mean);
  const variance = Math.max(0, paths[o + P_SQUARE] / n - mean * mean);
  return Math.sqrt(variance / (n - 1));
}

/** Share of display white below which an error is held against white instead of the pixel's own light. */
const DARK = 0.05;

/** Standard error relative to what the eye compares it with. @param white luminance shown as display white, nit */
export function relativeError(paths: Float32Array, pixel: number, white: number): number {
  return standardError(paths, pixel) / (Math.abs(meanLuminance(paths, pixel)) + DARK * white);
}

/**
 * Marks the blocks whose error is small enough: root mean square over the block with a border of two pixels, so that
 * a dark corner that no path has lit yet is kept going by its neighbours.
 * @param target relative error
 * @param from, to rows of blocks
 */
export function settleBlocks(
  paths: Float32Array,
  done: Uint8Array,
  width: number,
  height: number,
  white: number,
  target: number,
  from: number,
  to: number,
): void {
  const across = Math.ceil(width / BLOCK);
  for (let by = from; by < to; by++) {
    for (let bx = 0; bx < across; bx++) {
      if (done[by * across + bx] === 1) continue;
      let sum = 0;
      let n = 0;
      for (let y = Math.max(0, by * BLOCK - 2); y < Math.min(height, by * BLOCK + BLOCK + 2); y++) {
        for (let x = Math.max(0, bx * BLOCK - 2); x < Math.min(width, bx * BLOCK + BLOCK + 2); x++) {
          const e = relativeError(paths, y * width + x, white);
          sum += e * e;
          n++;
        }
      }
      if (Math.sqrt(sum / n) <= target) done[by * across + bx] = 1;
    }
  }
}

/** Writes rows of the picture's sums as if each pixel had `samples` samples: what developing and layers read. */
export function resolveRows(
  paths: Float32Array,
  sums: Float32Array,
  samples: number,
  width: number,
  from: number,
  to: number,
): void {
  for (let i = from * width; i < to * width; i++) {
    const p = i * PATH_SUMS;
    const o = i * SUMS;
    const n = paths[p + P_COUNT];
    const k = n > 0 ? samples / n : 0;
    for (let c = 0; c < LIGHT_NUMBERS; c++) sums[o + c] = paths[p + c] * k;
    sums[o + SUM_COVERAGE] = paths[p + P_COVERED] * k;
    const light = paths[p + P_LIGHT];
    sums[o + SUM_LIT] = light > 0 ? (samples * paths[p + P_LIT]) / light : samples;
  }
}
