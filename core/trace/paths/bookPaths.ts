/** What paths are booked as: geometry, colour, and light at their end. */
import { LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { S_DIFFUSE, S_MIRRORED, S_NORMAL, S_POSITION } from '../../raster/surface';
import type { CompiledScene } from '../../scene/compiled';
import { PATH_SUMS, P_CLAMPED, P_COLOR, P_COUNT, P_COVERED, P_LIGHT, P_LIT, P_NORMAL, P_SQUARE } from '../pathSums';
import type { PathCamera } from './cameraStarts';
import {
  HOME,
  H_CLAMPED,
  H_LIGHT,
  H_LIT,
  hitTriangle,
  home,
  pixel,
  seenColor,
  surface,
  type PathInput,
} from './pathState';

export function clamped(input: PathInput, i: number, l: number): number {
  const { clamp } = input.limits;
  const size = Math.abs(l);
  if (size <= clamp) return 1;
  home[i * HOME + H_CLAMPED] += size - clamp;
  return clamp / size;
}

/** What a path sees first. */
export function firstSeen(input: PathInput, i: number, sample: number): void {
  input.paths[pixel[i] * PATH_SUMS + P_COVERED] += 1;
  if (sample === 0 && input.camera && !input.camera.aperture) writeGeometry(input.camera, input.surface.scene, i);
}

export function writeGeometry({ rays, depth, normal, objectId }: PathCamera, scene: CompiledScene, i: number): void {
  const at = pixel[i];
  const f = rays.forward;
  depth[at] =
    (surface[S_POSITION] - rays.origin[0]) * f[0] +
    (surface[S_POSITION + 1] - rays.origin[1]) * f[1] +
    (surface[S_POSITION + 2] - rays.origin[2]) * f[2];
  for (let k = 0; k < 3; k++) normal[at * 3 + k] = surface[S_NORMAL + k];
  objectId[at] = scene.triangleInstance[hitTriangle[i]] + 1;
}

export function writeColor(i: number): void {
  const at = i * 6;
  for (let c = 0; c < 3; c++) {
    seenColor[at + c] = surface[S_DIFFUSE + c] * (1 - surface[S_MIRRORED + c]) + surface[S_MIRRORED + c];
    seenColor[at + 3 + c] = surface[S_NORMAL + c];
  }
}

/** Adds a finished path to its pixel. What is not a number would spoil the pixel for ever and is left out. */
export function bringHome(paths: Float32Array, i: number): void {
  const o = i * HOME;
  const p = pixel[i] * PATH_SUMS;
  paths[p + P_COUNT] += 1;
  let [r, g, b] = [0, 0, 0];
  for (let k = 0; k < LIGHT_NUMBERS; k += 3) {
    r += home[o + k];
    g += home[o + k + 1];
    b += home[o + k + 2];
  }
  const l = luminance(r, g, b);
  if (!Number.isFinite(l)) return;
  for (let k = 0; k < LIGHT_NUMBERS; k++) paths[p + k] += home[o + k];
  paths[p + P_LIGHT] += home[o + H_LIGHT];
  paths[p + P_LIT] += home[o + H_LIT];
  paths[p + P_SQUARE] += l * l;
  paths[p + P_CLAMPED] += home[o + H_CLAMPED];
  for (let c = 0; c < 3; c++) {
    paths[p + P_COLOR + c] += seenColor[i * 6 + c];
    paths[p + P_NORMAL + c] += seenColor[i * 6 + 3 + c];
  }
}
