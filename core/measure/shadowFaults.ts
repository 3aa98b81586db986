/**
 * Faults of mapped shadows, by traced ones of the same picture: light that is missing where all around is lit (acne), and
 * light that is there where all around is dark (leaks). What lies near a true edge is neither: how well edges run is told by
 * `stairSteps`, how they fade by `shadowContours`.
 */
import { touchedPixels, type Rect } from './rect';

export interface ShadowFaults {
  /** Mean over the rectangle of the light that is missing, as a share of what comes unhindered. */
  acne: number;
  /** The same of light that should not be there. */
  leak: number;
}

/** Pixels from a true edge within which filters may blur it. */
const NEAR_EDGE = 6;
/** All around is lit, or dark, up to so much: rays to a light with extent are grainy. */
const FULL = 0.95;

/**
 * @param lit share of light per pixel, 0…1, by shadow maps
 * @param truth the same by rays
 * @param objects number of the object per pixel, 0 for none
 */
export function shadowFaults(
  lit: Float32Array,
  truth: Float32Array,
  objects: Uint32Array,
  width: number,
  height: number,
  rect: Rect,
): ShadowFaults {
  const { x0, y0, x1, y1 } = touchedPixels(rect, width, height);
  let [missing, leaking] = [0, 0];
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) {
      const i = y * width + x;
      if (objects[i] === 0) continue;
      const wrong = lit[i] - truth[i];
      if (wrong < 0 && truth[i] >= FULL && isSo(truth, width, height, x, y, (v) => v >= FULL)) missing -= wrong;
      else if (wrong > 0 && truth[i] <= 1 - FULL && isSo(truth, width, height, x, y, (v) => v <= 1 - FULL))
        leaking += wrong;
    }
  const area = Math.max(1, (x1 - x0) * (y1 - y0));
  return { acne: missing / area, leak: leaking / area };
}

/** Whether it holds of all pixels around one. */
function isSo(
  plane: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  so: (v: number) => boolean,
): boolean {
  for (let j = Math.max(0, y - NEAR_EDGE); j <= Math.min(height - 1, y + NEAR_EDGE); j++)
    for (let i = Math.max(0, x - NEAR_EDGE); i <= Math.min(width - 1, x + NEAR_EDGE); i++)
      if (!so(plane[j * width + i])) return false;
  return true;
}
