/** How a method that is asked place by place tells a row what it knows of the light that reaches one. */
import type { SurfaceRow } from './method';

export interface Told {
  /** 0…1 */
  sure: number;
  /** Rays have met the brightest of it already: it says no more than the rest of that. */
  after: boolean;
}

/**
 * Adds what it knows to a place, as far as that was not sure before. Gaps smaller than it tells apart are what ambient
 * occlusion sees.
 * @param light irradiance, rgb
 */
export function tellPlace(
  { bounce, bounceSure, far, open }: SurfaceRow,
  i: number,
  light: ArrayLike<number>,
  { sure, after }: Told,
): void {
  const before = bounceSure[i];
  const now = before + Math.max(0, 1 - far[i] - before) * sure;
  if (now === before) return;
  const share = (open[i] * (now - before)) / now;
  for (let c = 0; c < 3; c++) {
    // anything may stand there where nothing was sure
    const held = before > 0 ? (bounce[c][i] * before) / now : 0;
    let part = light[c] * share;
    if (after) part = Math.min(part, Math.max(0, (light[c] * open[i]) / now - held));
    bounce[c][i] = held + part;
  }
  bounceSure[i] = now;
}
