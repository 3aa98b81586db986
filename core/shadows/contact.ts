/**
 * Contact shadows: a short march from a place towards a light through the depth picture, so that small things sit on
 * their ground where a map is too coarse (the march of McGuire & Mara 2014, Efficient GPU Screen-Space Ray Tracing, in
 * equal steps of space).
 */
import type { RayFrame } from '../scene/camera';

export interface ContactInput {
  /** Metres along the view axis per pixel, 0 where nothing is. */
  depth: Float32Array;
  width: number;
  height: number;
  /** World to picture, see `worldToPixels`. */
  matrix: Float64Array;
  rays: RayFrame;
  /** Metres marched. */
  length: number;
  /** Metres that what is seen reaches behind its face. */
  thickness: number;
  steps: number;
}

/** @returns false when something stands in the way within the march */
export function contactOpen(
  input: ContactInput,
  x: number,
  y: number,
  z: number,
  lx: number,
  ly: number,
  lz: number,
  distance: number,
): boolean {
  const { matrix: m, width, height, rays } = input;
  const reach = Math.min(input.length, distance);
  const step = reach / input.steps;
  const f = rays.forward;
  const o = rays.origin;
  for (let k = 1; k <= input.steps; k++) {
    const px = x + lx * step * k;
    const py = y + ly * step * k;
    const pz = z + lz * step * k;
    const w = m[12] * px + m[13] * py + m[14] * pz + m[15];
    if (w <= 0) return true;
    const u = Math.floor((m[0] * px + m[1] * py + m[2] * pz + m[3]) / w);
    const v = Math.floor((m[4] * px + m[5] * py + m[6] * pz + m[7]) / w);
    if (u < 0 || v < 0 || u >= width || v >= height) return true;
    const seen = input.depth[v * width + u];
    if (seen === 0) continue;
    const here = (px - o[0]) * f[0] + (py - o[1]) * f[1] + (pz - o[2]) * f[2];
    const behind = here - seen;
    // a pixel's own face reaches a little before its centre: the first hair of depth does not count
    if (behind > 0.002 * seen + step * 0.1 && behind < input.thickness) return false;
  }
  return true;
}
