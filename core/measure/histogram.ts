/** Exposure as a photographer reads it: how many stops from white, what is clipped, what is crushed. */
import { log2 } from '../math/exact';
import { luminance } from '../math/color';
import type { Rect } from './rect';

/** Stops from display white that the histogram spans; half a stop a bin. */
export const LOWEST_STOP = -12;
export const HIGHEST_STOP = 6;
export const STOP_BINS = (HIGHEST_STOP - LOWEST_STOP) * 2;
/** Codes at which a channel counts as clipped, and below which all of them count as crushed. */
export const CLIPPED_CODE = 255;
export const CRUSHED_CODE = 3;

/** A picture thinned to what exposure is read from: every other pixel of every other row. */
export interface ExposureSample {
  width: number;
  height: number;
  /** rgb per pixel, exposed scene-linear. */
  beauty: Float32Array;
  /** rgba per pixel, sRGB codes. */
  display: Uint8Array;
}

export function exposureSample(
  beauty: Float32Array,
  display: Uint8Array,
  width: number,
  height: number,
): ExposureSample {
  const [w, h] = [width >> 1, height >> 1];
  const thin: ExposureSample = {
    width: w,
    height: h,
    beauty: new Float32Array(w * h * 3),
    display: new Uint8Array(w * h * 4),
  };
  for (let y = 0, to = 0; y < h; y++) {
    for (let x = 0; x < w; x++, to++) {
      const from = 2 * y * width + 2 * x;
      for (let c = 0; c < 3; c++) thin.beauty[to * 3 + c] = beauty[from * 3 + c];
      for (let c = 0; c < 4; c++) thin.display[to * 4 + c] = display[from * 4 + c];
    }
  }
  return thin;
}

export interface ExposureStatistics {
  /** Share of pixels a bin of half a stop, from LOWEST_STOP up; what lies beyond is in the outermost bins. */
  bins: Float64Array;
  /** Shares of pixels. */
  clipped: number;
  crushed: number;
  /** Exposure that would bring the mean of the logarithm to middle grey (0.18), added to the present one; 0 for black. */
  meterEv: number;
}

/**
 * @param beauty rgb per pixel, exposed scene-linear
 * @param display rgba per pixel, sRGB codes
 * @param rect part that is looked at, or null for all of it
 */
export function exposureStatistics(
  beauty: Float32Array,
  display: Uint8Array,
  width: number,
  height: number,
  rect: Rect | null,
): ExposureStatistics {
  const x0 = Math.max(0, Math.floor(rect?.x ?? 0));
  const y0 = Math.max(0, Math.floor(rect?.y ?? 0));
  const x1 = Math.min(width, Math.ceil((rect?.x ?? 0) + (rect?.width ?? width)));
  const y1 = Math.min(height, Math.ceil((rect?.y ?? 0) + (rect?.height ?? height)));
  const bins = new Float64Array(STOP_BINS);
  let [clipped, crushed, sum, lit, count] = [0, 0, 0, 0, 0];
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      const i = y * width + x;
      const l = luminance(beauty[i * 3], beauty[i * 3 + 1], beauty[i * 3 + 2]);
      const stop = l > 0 ? log2(l) : LOWEST_STOP;
      bins[Math.min(STOP_BINS - 1, Math.max(0, Math.floor((stop - LOWEST_STOP) * 2)))]++;
      const code = exposureMark(display, i);
      if (code > 0) clipped++;
      if (code < 0) crushed++;
      if (l > 0) {
        sum += Math.max(LOWEST_STOP, stop);
        lit++;
      }
      count++;
    }
  }
  if (count === 0) return { bins, clipped: 0, crushed: 0, meterEv: 0 };
  for (let b = 0; b < STOP_BINS; b++) bins[b] /= count;
  const meterEv = lit > 0 ? log2(0.18) - sum / lit : 0;
  return { bins, clipped: clipped / count, crushed: crushed / count, meterEv };
}

/** 1 where a channel is clipped, −1 where all are crushed, 0 elsewhere. @param pixel number of the pixel */
export function exposureMark(display: Uint8Array | Uint8ClampedArray, pixel: number): number {
  const [r, g, b] = [display[pixel * 4], display[pixel * 4 + 1], display[pixel * 4 + 2]];
  if (r >= CLIPPED_CODE || g >= CLIPPED_CODE || b >= CLIPPED_CODE) return 1;
  return r < CRUSHED_CODE && g < CRUSHED_CODE && b < CRUSHED_CODE ? -1 : 0;
}
