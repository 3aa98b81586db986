/** The opening of a lens: how far from its middle light comes through, and what that does to points out of focus. */
import { cos, sin, tan } from '../math/exact';
import { hashCombine } from '../math/random';
import { sobol2 } from '../math/sobol';
import type { CameraView } from './camera';
import type { ShotOptics } from './source';

/** Height of the picture that f-numbers and focal lengths are given for, metres: 36 mm wide at 16:9. */
export const PICTURE_HEIGHT = 0.036 / (16 / 9);

export interface Aperture {
  /** Metres from its middle to its rim. */
  radius: number;
  /** Metres along the axis at which everything is sharp. */
  focus: number;
  /** Straight edges; fewer than three for a round opening. */
  blades: number;
}

/** @param yfovRad vertical angle of view @returns undefined for a pinhole */
export function apertureOf({ fNumber, focusDistance, blades }: ShotOptics, yfovRad: number): Aperture | undefined {
  if (fNumber === null) return undefined;
  const focalLength = PICTURE_HEIGHT / (2 * tan(yfovRad / 2));
  return { radius: focalLength / (2 * fNumber), focus: focusDistance, blades };
}

/** The lens of a camera when it blurs anything. */
export function lensOf({ aperture, lens }: CameraView): Aperture | null {
  return aperture && aperture.radius > 0 && lens.kind === 'perspective' ? aperture : null;
}

/** Tells the lens's random numbers from those of the pixel. */
const LENS_SEED = 0x1e45;

/**
 * Where a sample goes through the lens: places of one sequence are stratified over the opening.
 * @param seed of the sequence, as for places in the pixel
 * @param out metres to the right and up
 */
export function lensSample(aperture: Aperture, sample: number, seed: number, out: Float64Array): void {
  sobol2(sample, hashCombine(seed, LENS_SEED), out);
  lensPoint(aperture, out[0], out[1], out);
}

/**
 * A place on the opening, evenly spread over its area.
 * @param u, v 0…1
 * @param out metres to the right and up
 */
export function lensPoint({ radius, blades }: Aperture, u: number, v: number, out: Float64Array): void {
  if (blades >= 3) {
    // a triangle from the middle to one edge, then a place in it
    const edge = Math.floor(u * blades);
    const root = Math.sqrt(u * blades - edge);
    const s = radius * root * (1 - v);
    const t = radius * root * v;
    const a = (2 * Math.PI * edge) / blades + Math.PI / 2;
    const b = a + (2 * Math.PI) / blades;
    out[0] = cos(a) * s + cos(b) * t;
    out[1] = sin(a) * s + sin(b) * t;
    return;
  }
  // Shirley & Chiu 1997, A Low Distortion Map Between Disk and Square
  const x = 2 * u - 1;
  const y = 2 * v - 1;
  const wide = Math.abs(x) > Math.abs(y);
  const r = radius * (wide ? x : y);
  const angle = r === 0 ? 0 : wide ? (Math.PI / 4) * (y / x) : Math.PI / 2 - (Math.PI / 4) * (x / y);
  out[0] = r * cos(angle);
  out[1] = r * sin(angle);
}

/**
 * Diameter of the circle of confusion in pixels.
 * @param height of the picture, pixels
 * @param distance metres along the axis
 */
export function blurDiameter({ radius, focus }: Aperture, yfovRad: number, height: number, distance: number): number {
  const focal = height / (2 * tan(yfovRad / 2));
  return focal * 2 * radius * Math.abs(1 / focus - 1 / distance);
}
