/** What a path-traced picture says of itself: how noisy it still is, and what the firefly clamp took. */
import { meanLuminance, P_CLAMPED, P_COUNT, PATH_SUMS, relativeError } from './pathSums';

export interface PathFigures {
  /** Root mean square over the pixels of the standard error relative to their light, 0…. */
  noise: number;
  /** Share of all light taken away by the clamp, 0…1. */
  clamped: number;
  /** Mean samples of a pixel. */
  samples: number;
}

/** @param white luminance shown as display white, nit */
export function pathFigures(paths: Float32Array, white: number): PathFigures {
  const pixels = paths.length / PATH_SUMS;
  let squares = 0;
  let light = 0;
  let taken = 0;
  let samples = 0;
  let counted = 0;
  for (let i = 0; i < pixels; i++) {
    const n = paths[i * PATH_SUMS + P_COUNT];
    if (n === 0) continue;
    counted++;
    const e = Math.min(4, relativeError(paths, i, white));
    squares += e * e;
    light += Math.abs(meanLuminance(paths, i));
    taken += paths[i * PATH_SUMS + P_CLAMPED] / n;
    samples += n;
  }
  if (counted === 0) return { noise: 0, clamped: 0, samples: 0 };
  return {
    noise: Math.sqrt(squares / counted),
    clamped: taken > 0 ? taken / (light + taken) : 0,
    samples: samples / counted,
  };
}
