/**
 * Spatial denoising of a path-traced picture: an edge-stopping à-trous filter (Dammertz et al. 2010, Edge-Avoiding
 * À-Trous Wavelet Transform for Fast Global Illumination Filtering), led by the variance that the samples show (Schied
 * et al. 2017, Spatiotemporal Variance-Guided Filtering). Direct and bounced light are divided by the surface's colour
 * first, so that textures stay sharp; glow and background pass untouched.
 */
import { luminance } from '../math/color';
import { exp } from '../math/exact';
import { SUMS } from '../raster/shadeTile';
import { P_COLOR, P_COUNT, P_NORMAL, PATH_SUMS, standardError } from './pathSums';

/** Numbers a pixel while filtering: direct, bounce, reflection (rgb each), variance of their luminance. */
export const FILTERED = 10;
const VARIANCE = 9;
export const DENOISE_LEVELS = 5;

export interface DenoiseInput {
  width: number;
  height: number;
  paths: Float32Array;
  /** Metres along the view axis, 0 where nothing is. */
  depth: Float32Array;
  /** Filtered numbers from and to: they change places from level to level. */
  a: Float32Array;
  b: Float32Array;
  /** Differences of so many standard errors are kept. */
  strength: number;
}

const KERNEL = [1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16];
const DARKEST = 0.02;

/** Writes rows of `a`: mean light, divided by colour. */
export function prepareDenoise(input: DenoiseInput, from: number, to: number): void {
  const { paths, a, width } = input;
  for (let i = from * width; i < to * width; i++) {
    const p = i * PATH_SUMS;
    const o = i * FILTERED;
    const n = paths[p + P_COUNT] || 1;
    for (let c = 0; c < 3; c++) {
      const color = Math.max(DARKEST, paths[p + P_COLOR + c] / n);
      a[o + c] = paths[p + c] / n / color;
      a[o + 3 + c] = paths[p + 3 + c] / n / color;
      a[o + 6 + c] = paths[p + 6 + c] / n;
    }
    const gray = Math.max(DARKEST, luminance(paths[p + P_COLOR], paths[p + P_COLOR + 1], paths[p + P_COLOR + 2]) / n);
    const e = standardError(paths, i) / gray;
    a[o + VARIANCE] = e * e;
  }
}

/** One level over rows: reads `a`, writes `b`. @param level 0 …: taps are 2^level pixels apart */
export function denoiseRows(input: DenoiseInput, level: number, from: number, to: number): void {
  const { a, b, width, height, paths, depth, strength } = input;
  const step = 1 << level;
  const sums = new Float64Array(FILTERED);
  for (let y = from; y < to; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const o = i * FILTERED;
      const p = i * PATH_SUMS;
      const count = paths[p + P_COUNT] || 1;
      const light = lightOf(a, o);
      const reach = strength * 2 * Math.sqrt(smoothVariance(a, x, y, width, height)) + 1e-6 * (1 + Math.abs(light));
      sums.fill(0);
      let total = 0;
      let total2 = 0;
      for (let ky = -2; ky <= 2; ky++) {
        const qy = y + ky * step;
        if (qy < 0 || qy >= height) continue;
        for (let kx = -2; kx <= 2; kx++) {
          const qx = x + kx * step;
          if (qx < 0 || qx >= width) continue;
          const j = qy * width + qx;
          const q = j * FILTERED;
          let w = KERNEL[kx + 2] * KERNEL[ky + 2];
          if (j !== i) {
            const r = j * PATH_SUMS;
            const near = (kx * kx + ky * ky) * step * step;
            w *= alike(paths, p, r, count, paths[r + P_COUNT] || 1, depth[i], depth[j], near);
            if (w < 1e-5) continue;
            const d = (lightOf(a, q) - light) / reach;
            w *= exp(-Math.min(40, d < 0 ? -d : d));
          }
          total += w;
          total2 += w * w;
          for (let k = 0; k < VARIANCE; k++) sums[k] += a[q + k] * w;
          sums[VARIANCE] += a[q + VARIANCE] * w * w;
        }
      }
      for (let k = 0; k < VARIANCE; k++) b[o + k] = sums[k] / total;
      b[o + VARIANCE] = total2 > 0 ? sums[VARIANCE] / (total * total) : 0;
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
  const { paths, a, width } = input;
  for (let i = from * width; i < to * width; i++) {
    const p = i * PATH_SUMS;
    const o = i * FILTERED;
    const s = i * SUMS;
    const n = paths[p + P_COUNT] || 1;
    for (let c = 0; c < 3; c++) {
      const color = Math.max(DARKEST, paths[p + P_COLOR + c] / n);
      sums[s + c] = a[o + c] * color * samples;
      sums[s + 3 + c] = a[o + 3 + c] * color * samples;
      sums[s + 6 + c] = a[o + 6 + c] * samples;
    }
  }
}

function lightOf(a: Float32Array, o: number): number {
  return luminance(a[o] + a[o + 3] + a[o + 6], a[o + 1] + a[o + 4] + a[o + 7], a[o + 2] + a[o + 5] + a[o + 8]);
}

/** Variance over the nearest pixels: that of one pixel alone is as noisy as the picture. */
function smoothVariance(a: Float32Array, x: number, y: number, width: number, height: number): number {
  let sum = 0;
  let total = 0;
  for (let qy = Math.max(0, y - 1); qy <= Math.min(height - 1, y + 1); qy++) {
    for (let qx = Math.max(0, x - 1); qx <= Math.min(width - 1, x + 1); qx++) {
      const w = (qx === x ? 2 : 1) * (qy === y ? 2 : 1);
      sum += a[(qy * width + qx) * FILTERED + VARIANCE] * w;
      total += w;
    }
  }
  return sum / total;
}

/** How alike two pixels' surfaces are, 0…1: normal, colour, distance. @param near squared pixels between them */
function alike(
  paths: Float32Array,
  p: number,
  r: number,
  n: number,
  m: number,
  depth: number,
  other: number,
  near: number,
): number {
  if ((depth === 0) !== (other === 0)) return 0;
  const N = P_NORMAL;
  const C = P_COLOR;
  let turned = 0;
  let tinted = 0;
  for (let c = 0; c < 3; c++) {
    const a = paths[p + N + c] / n - paths[r + N + c] / m;
    const b = paths[p + C + c] / n - paths[r + C + c] / m;
    turned += a * a;
    tinted += b * b;
  }
  const off = (depth - other) / (Math.max(depth, other) || 1);
  // a plane seen at a slant changes its depth by a few hundredths over the filter's width
  const apart = (off * off) / (1e-5 * near + 1e-6);
  const e = turned * 24 + tinted * 60 + Math.min(40, apart * 0.05);
  return e > 12 ? 0 : exp(-e);
}
