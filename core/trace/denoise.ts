/**
 * Spatial denoising of a path-traced picture: an edge-stopping à-trous filter (Dammertz et al. 2010, Edge-Avoiding
 * À-Trous Wavelet Transform for Fast Global Illumination Filtering), led by the variance that the samples show (Schied
 * et al. 2017, Spatiotemporal Variance-Guided Filtering). Direct and bounced light are divided by the surface's colour
 * first, so that textures stay sharp; glow and background pass untouched.
 */
import type { KernelExports } from '@daxel/kernel/load';
import { luminance } from '../math/color';
import { exp } from '../math/exact';
import { SUMS } from '../light/components';
import { P_COLOR, P_COUNT, P_NORMAL, PATH_SUMS, standardError } from './pathSums';

/** Planes while filtering: direct, bounce, reflection (rgb each), variance of their luminance, that luminance. */
export const FILTERED = 11;
const VARIANCE = 9;
const LIGHT = 10;
/** Planes of what the surfaces are: normal and colour, scaled so that squared differences add up; distance. */
export const FEATURES = 7;
const COLOR = 3;
const DISTANCE = 6;
export const DENOISE_LEVELS = 5;
/** Numbers before and behind each plane that stay 0, so that whole vectors may be read across its borders. */
const GUARD = 64;

/** Numbers from one plane to the next. */
export function planeStride(pixels: number): number {
  return Math.ceil((pixels + 2 * GUARD) / 16) * 16;
}

export interface DenoiseInput {
  width: number;
  height: number;
  paths: Float32Array;
  /** Metres along the view axis, 0 where nothing is. */
  depth: Float32Array;
  /** FILTERED planes, from and to: they change places from level to level. */
  a: Float32Array;
  b: Float32Array;
  /** FEATURES planes. */
  features: Float32Array;
  /** Differences of so many standard errors are kept. */
  strength: number;
  /** The compiled loops when all arrays lie in their memory, or null for the plain ones. */
  loops: KernelExports | null;
}

const KERNEL = [1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16];
const DARKEST = 0.02;
const NORMAL_WEIGHT = Math.sqrt(24);
const COLOR_WEIGHT = Math.sqrt(60);
/** Exponents beyond this count as no likeness at all. */
const FARTHEST = 12;

/** Writes rows of `a`: mean light, divided by colour; and of `features`. */
export function prepareDenoise(input: DenoiseInput, from: number, to: number): void {
  const { paths, a, b, features, depth, width, height } = input;
  const stride = planeStride(width * height);
  // whatever else lay there before
  if (from === 0) for (const planes of [a, b, features]) clearGuards(planes, stride, width * height);
  for (let i = from * width; i < to * width; i++) {
    const p = i * PATH_SUMS;
    const o = i + GUARD;
    const n = paths[p + P_COUNT] || 1;
    for (let c = 0; c < 3; c++) {
      const color = Math.max(DARKEST, paths[p + P_COLOR + c] / n);
      a[o + c * stride] = paths[p + c] / n / color;
      a[o + (3 + c) * stride] = paths[p + 3 + c] / n / color;
      a[o + (6 + c) * stride] = paths[p + 6 + c] / n;
      features[o + c * stride] = (paths[p + P_NORMAL + c] / n) * NORMAL_WEIGHT;
      features[o + (COLOR + c) * stride] = (paths[p + P_COLOR + c] / n) * COLOR_WEIGHT;
    }
    features[o + DISTANCE * stride] = depth[i];
    const gray = Math.max(DARKEST, luminance(paths[p + P_COLOR], paths[p + P_COLOR + 1], paths[p + P_COLOR + 2]) / n);
    const e = standardError(paths, i) / gray;
    a[o + VARIANCE * stride] = e * e;
    a[o + LIGHT * stride] = lightOf(a, o, stride);
  }
}

function clearGuards(planes: Float32Array, stride: number, pixels: number): void {
  for (let at = 0; at < planes.length; at += stride) {
    planes.fill(0, at, at + GUARD);
    planes.fill(0, at + GUARD + pixels, at + stride);
  }
}

/** One level over rows: reads `a`, writes `b`. @param level 0 …: taps are 2^level pixels apart */
export function denoiseRows(input: DenoiseInput, level: number, from: number, to: number): void {
  const { a, b, features, width, height, strength, loops } = input;
  const stride = planeStride(width * height);
  if (loops) {
    const [A, B, F] = [a, b, features].map((array) => array.byteOffset + GUARD * 4);
    return loops.denoiseLevel(A, B, F, stride, width, height, strength, level, from, to);
  }
  const step = 1 << level;
  const sums = new Float64Array(LIGHT);
  for (let y = from; y < to; y++) {
    for (let x = 0; x < width; x++) {
      const o = y * width + x + GUARD;
      const light = a[o + LIGHT * stride];
      const variance = smoothVariance(a.subarray(GUARD + VARIANCE * stride), x, y, width, height);
      const reach = strength * 2 * Math.sqrt(variance) + 1e-6 * (1 + Math.abs(light));
      sums.fill(0);
      let total = 0;
      for (let ky = -2; ky <= 2; ky++) {
        const qy = y + ky * step;
        if (qy < 0 || qy >= height) continue;
        for (let kx = -2; kx <= 2; kx++) {
          const qx = x + kx * step;
          if (qx < 0 || qx >= width) continue;
          const q = qy * width + qx + GUARD;
          const near = (kx * kx + ky * ky) * step * step;
          const away = unlike(features, stride, o, q, near) + Math.abs(a[q + LIGHT * stride] - light) / reach;
          if (away > FARTHEST) continue;
          const w = KERNEL[kx + 2] * KERNEL[ky + 2] * exp(-away);
          total += w;
          for (let k = 0; k < VARIANCE; k++) sums[k] += a[q + k * stride] * w;
          sums[VARIANCE] += a[q + VARIANCE * stride] * w * w;
        }
      }
      for (let k = 0; k < VARIANCE; k++) b[o + k * stride] = sums[k] / total;
      b[o + VARIANCE * stride] = sums[VARIANCE] / (total * total);
      b[o + LIGHT * stride] = lightOf(b, o, stride);
    }
  }
}

/** Writes rows of the picture's sums from the filtered numbers. */
export function finishDenoise(
  input: DenoiseInput,
  sums: Float32Array,
  samples: number,
  from: number,
  to: number,
): void {
  const { paths, a, width, height } = input;
  const stride = planeStride(width * height);
  for (let i = from * width; i < to * width; i++) {
    const p = i * PATH_SUMS;
    const o = i + GUARD;
    const s = i * SUMS;
    const n = paths[p + P_COUNT] || 1;
    for (let c = 0; c < 3; c++) {
      const color = Math.max(DARKEST, paths[p + P_COLOR + c] / n);
      sums[s + c] = a[o + c * stride] * color * samples;
      sums[s + 3 + c] = a[o + (3 + c) * stride] * color * samples;
      sums[s + 6 + c] = a[o + (6 + c) * stride] * samples;
    }
  }
}

function lightOf(a: Float32Array, o: number, stride: number): number {
  const of = (c: number): number => a[o + c * stride] + a[o + (c + 3) * stride] + a[o + (c + 6) * stride];
  return luminance(of(0), of(1), of(2));
}

/** Variance over the nearest pixels: that of one pixel alone is as noisy as the picture. */
function smoothVariance(plane: Float32Array, x: number, y: number, width: number, height: number): number {
  let sum = 0;
  let total = 0;
  for (let qy = Math.max(0, y - 1); qy <= Math.min(height - 1, y + 1); qy++) {
    for (let qx = Math.max(0, x - 1); qx <= Math.min(width - 1, x + 1); qx++) {
      const w = (qx === x ? 2 : 1) * (qy === y ? 2 : 1);
      sum += plane[qy * width + qx] * w;
      total += w;
    }
  }
  return sum / total;
}

/** How unlike two pixels' surfaces are, 0 for the same: normal, colour, distance. @param near squared pixels between them */
function unlike(features: Float32Array, stride: number, p: number, q: number, near: number): number {
  let sum = 0;
  for (let k = 0; k < DISTANCE; k++) {
    const d = features[p + k * stride] - features[q + k * stride];
    sum += d * d;
  }
  const depth = features[p + DISTANCE * stride];
  const other = features[q + DISTANCE * stride];
  if ((depth === 0) !== (other === 0)) return Infinity;
  const off = (depth - other) / (Math.max(depth, other) || 1);
  // a plane seen at a slant changes its depth by a few hundredths over the filter's width
  return sum + (0.05 * off * off) / (1e-5 * near + 1e-6);
}
