/** How bright a picture is, and which exposure would bring it to middle grey. */
import { luminance } from '../math/color';
import { exp2, log2 } from '../math/exact';
import { SUMS } from '../light/components';

const MIDDLE_GREY = 0.18;
const STEPS_PER_EV = 4;

/**
 * Exposure that brings the geometric mean of the luminance to 18 % (the log-average of Reinhard et al. 2002, Photographic
 * Tone Reproduction), in quarter stops within −24…24. Surfaces alone are metered; a view of nothing but sky meters the sky.
 * @param sums of a frame, SUMS numbers a pixel, light in nit times samples
 * @param objectId per pixel, 0 for the background
 * @returns EV; 0 for a black picture
 */
export function meteredExposure(sums: Float32Array, objectId: Uint32Array, samples: number): number {
  const meter = (counts: (pixel: number) => boolean): number | null => {
    let sum = 0;
    let count = 0;
    for (let i = 0; i < objectId.length; i++) {
      if (!counts(i)) continue;
      const o = i * SUMS;
      const light = (c: number): number => sums[o + c] + sums[o + 3 + c] + sums[o + 6 + c] + sums[o + 9 + c];
      const y = luminance(light(0), light(1), light(2)) / samples;
      if (y > 0) {
        sum += log2(y);
        count++;
      }
    }
    return count > 0 ? sum / count : null;
  };
  const mean = meter((i) => objectId[i] > 0) ?? meter(() => true);
  if (mean === null) return 0;
  const ev = log2(MIDDLE_GREY / exp2(mean));
  return Math.min(24, Math.max(-24, Math.round(ev * STEPS_PER_EV) / STEPS_PER_EV));
}
