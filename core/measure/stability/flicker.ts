/**
 * How visible the flicker of one frame is, from the luminance of its points in the two frames before and after.
 *
 * Two temporal filters let through what returns: at half the frame rate and at a quarter of it. Their contrast is
 * weighed by the eye's sensitivity to flicker at those rates and to its size (Kelly 1979, Motion and Vision II;
 * de Lange 1958, Research into the Dynamic Nature of the Human Fovea), and pooled over what the eye sees at once
 * (Watson 1979, Probability Summation over Time). 1 is just noticed. The constants are for 24 frames a second, 60 pixels
 * a degree and a display of 100 cd/m² over 0.5; lengths scale with the pixels a degree.
 */
import { cutPlane, type Rect } from '../rect';
import { nthSmallest } from './select';
import { gaussianKernel, planeFilter } from '../blur';

/** Display luminance of white and of black, cd/m². */
export const WHITE = 100;
export const BLACK = 0.5;
/**
 * Standard deviations, pixels at 60 a degree. The answers are blurred, not the pictures, by what the eye cannot resolve
 * at these rates and by its sensitivity in one: so nothing is mixed across the border of what was followed.
 */
const BLUR = { slopes: 1.4, fast: 2.16, slow: 1.98, surround: 8.1, pool: 9, adapted: 30 };
/** Side of the blocks whose means a wide blur works on. */
export const BLOCK = 4;
export const FAST_SENSITIVITY = 132;
export const SLOW_SENSITIVITY = 280;
export const SURROUND = 0.4;
/** A real flicker at a quarter of the rate answers about six times as strongly there; one smooth hump far more. */
export const GATE = 7;
/** Luminance at which adaptation begins to follow contrast, cd/m². */
export const DIM = 5;

/** What the display shows of display-linear luminance (0 black … 1 white), cd/m²; no number is black. */
export function displayCandela(luminance: Float32Array): Float32Array {
  return luminance.map((v) => BLACK + (WHITE - BLACK) * (v > 0 ? (v < 1 ? v : 1) : 0));
}

/** What the filter of half the frame rate answers to a point's values in five frames. */
export function fastAnswer(s: ArrayLike<number>): number {
  return (s[0] - 4 * s[1] + 6 * s[2] - 4 * s[3] + s[4]) / 16;
}
/** The same of a quarter of the frame rate. */
export function slowAnswer(s: ArrayLike<number>): number {
  return (-s[0] + 2 * s[2] - s[4]) / 4;
}

/** Answers of the two temporal filters, cd/m², and the mean; 0 where the point is not valid. */
export interface Answers {
  fast: Float32Array;
  slow: Float32Array;
  mean: Float32Array;
  /** 1 where the point was followed through all frames, else 0. */
  valid: Float32Array;
}

type Blur = 'slopes' | 'fast' | 'slow' | 'surround' | 'pool' | 'adapted';

/** Blurs of one picture size. */
export type FlickerFilters = Record<Blur, (plane: Float32Array) => Float32Array>;

/**
 * Weights of the blurs, along rows and columns alike; those of `surround`, `pool` and `adapted` are for means of blocks of
 * `BLOCK` pixels a side, between which it is interpolated.
 * @param pixelsPerDegree of the viewer
 */
export function flickerKernels(pixelsPerDegree: number): Record<Blur, Float64Array> {
  const scale = pixelsPerDegree / 60;
  const of = (sigma: number): Float64Array => gaussianKernel(sigma, Math.max(1, Math.ceil(sigma * 3)));
  const small = (sigma: number): Float64Array => of(sigma * scale);
  // less what averaging and interpolating blur already: a box of four and a tent of four pixels
  const wide = (sigma: number): Float64Array =>
    of(Math.sqrt(Math.max(0.25, (sigma * scale * (sigma * scale) - 1.25 - 2.5) / (BLOCK * BLOCK))));
  return {
    slopes: small(BLUR.slopes),
    fast: small(BLUR.fast),
    slow: small(BLUR.slow),
    surround: wide(BLUR.surround),
    pool: wide(BLUR.pool),
    adapted: wide(BLUR.adapted),
  };
}

/** @param pixelsPerDegree of the viewer */
export function flickerFilters(width: number, height: number, pixelsPerDegree: number): FlickerFilters {
  const kernels = flickerKernels(pixelsPerDegree);
  const small = (kernel: Float64Array) => (plane: Float32Array) =>
    planeFilter(width, height).both(plane, kernel, kernel);
  const wide = (kernel: Float64Array) => wideBlur(width, height, kernel);
  return {
    slopes: small(kernels.slopes),
    fast: small(kernels.fast),
    slow: small(kernels.slow),
    surround: wide(kernels.surround),
    pool: wide(kernels.pool),
    adapted: wide(kernels.adapted),
  };
}

/** A blur far wider than a few pixels: of the means of blocks, then interpolated. */
function wideBlur(width: number, height: number, kernel: Float64Array): (plane: Float32Array) => Float32Array {
  const w = Math.ceil(width / BLOCK);
  const h = Math.ceil(height / BLOCK);
  return (plane) => {
    const small = blockMeans(plane, width, height);
    const blurred = planeFilter(w, h).both(small, kernel, kernel);
    return enlarge(blurred, w, h, width, height);
  };
}

/** Blocks that a row and a column of a picture have. */
export function blocksOf(width: number, height: number): { width: number; height: number } {
  return { width: Math.ceil(width / BLOCK), height: Math.ceil(height / BLOCK) };
}

/** Means of blocks of `BLOCK` pixels a side; those at the right and at the bottom may be smaller. */
export function blockMeans(plane: Float32Array, width: number, height: number): Float32Array {
  const w = Math.ceil(width / BLOCK);
  const small = new Float32Array(w * Math.ceil(height / BLOCK));
  const counts = new Float32Array(small.length);
  for (let y = 0; y < height; y++) {
    const row = Math.floor(y / BLOCK) * w;
    for (let x = 0; x < width; x++) {
      const n = row + Math.floor(x / BLOCK);
      small[n] += plane[y * width + x];
      counts[n]++;
    }
  }
  return small.map((sum, n) => sum / counts[n]);
}

function enlarge(small: Float32Array, w: number, h: number, width: number, height: number): Float32Array {
  const out = new Float32Array(width * height);
  const columns = new Int32Array(width);
  const shares = new Float32Array(width);
  for (let x = 0; x < width; x++) {
    const p = Math.min(w - 1, Math.max(0, (x + 0.5) / BLOCK - 0.5));
    columns[x] = Math.min(w - 2, p | 0);
    shares[x] = p - columns[x];
  }
  if (w < 2 || h < 2) return out.fill(small.reduce((a, b) => a + b, 0) / small.length);
  for (let y = 0; y < height; y++) {
    const p = Math.min(h - 1, Math.max(0, (y + 0.5) / BLOCK - 0.5));
    const y0 = Math.min(h - 2, p | 0);
    const fy = p - y0;
    for (let x = 0; x < width; x++) {
      const a = y0 * w + columns[x];
      const f = shares[x];
      const top = small[a] + (small[a + 1] - small[a]) * f;
      const bottom = small[a + w] + (small[a + w + 1] - small[a + w]) * f;
      out[y * width + x] = top + (bottom - top) * fy;
    }
  }
  return out;
}

/** Luminance to which the eye is adapted: mostly of the surroundings, a little of the whole. */
export function adaptation(mean: Float32Array, filters: FlickerFilters): Float32Array {
  const near = filters.adapted(mean);
  let whole = 0;
  for (const v of mean) whole += v;
  whole /= mean.length;
  return near.map((v) => 0.98 * v + 0.02 * whole);
}

/** How much of what each blur reaches was measured; null where all was. */
export type MeasuredShares = Record<'fast' | 'slow' | 'surround' | 'pool', Float32Array> | null;

/** @param valid 1 or 0 per pixel */
export function measuredShares(valid: Float32Array, filters: FlickerFilters): MeasuredShares {
  if (valid.every((v) => v === 1)) return null;
  const { fast, slow, surround, pool } = filters;
  return { fast: fast(valid), slow: slow(valid), surround: surround(valid), pool: pool(valid) };
}

/** What a candela a m² is in contrast to an eye that is adapted. @param adapted cd/m² */
export function contrastPerCandela(adapted: number): number {
  return Math.sqrt(adapted / (adapted + DIM)) / adapted;
}

/** Answers of the two temporal filters as contrasts, weighed by how dim what the eye is adapted to is. */
export function weighAnswers(
  { fast, slow }: Pick<Answers, 'fast' | 'slow'>,
  adapted: Float32Array,
): Pick<Answers, 'fast' | 'slow'> {
  const weights = adapted.map(contrastPerCandela);
  return { fast: fast.map((v, i) => v * weights[i]), slow: slow.map((v, i) => v * weights[i]) };
}

/**
 * Visibility per pixel: 1 is just noticed, 0 where nothing was measured.
 * @param adapted from `adaptation` @param shares from `measuredShares`
 */
export function flickerMap(
  answers: Pick<Answers, 'fast' | 'slow' | 'valid'>,
  adapted: Float32Array,
  filters: FlickerFilters,
  shares: MeasuredShares = measuredShares(answers.valid, filters),
): Float32Array {
  const { valid } = answers;
  const pixels = valid.length;
  const { fast, slow } = weighAnswers(answers, adapted);
  const nearFast = filters.fast(fast);
  const nearSlow = filters.slow(slow);
  const around = filters.surround(slow);
  const of = (plane: Float32Array, by: Float32Array | undefined, i: number): number =>
    by === undefined ? plane[i] : by[i] > 0.05 ? plane[i] / by[i] : 0;
  for (let i = 0; i < pixels; i++) {
    const f = valid[i] * FAST_SENSITIVITY * of(nearFast, shares?.fast, i);
    const s =
      valid[i] * SLOW_SENSITIVITY * (of(nearSlow, shares?.slow, i) - SURROUND * of(around, shares?.surround, i));
    fast[i] = f * f * f * f;
    slow[i] = s * s * s * s;
  }
  const pooledFast = filters.pool(fast);
  const pooledSlow = filters.pool(slow);
  const out = new Float32Array(pixels);
  for (let i = 0; i < pixels; i++) {
    if (valid[i] === 0) continue;
    const quick = Math.sqrt(Math.sqrt(Math.max(0, of(pooledFast, shares?.pool, i))));
    const calm = Math.min(Math.sqrt(Math.sqrt(Math.max(0, of(pooledSlow, shares?.pool, i)))), GATE * quick);
    out[i] = Math.sqrt(quick * quick + calm * calm);
  }
  return out;
}

/** Flicker of a part of the picture: what a hundredth of its measured pixels exceeds; null where none was measured. */
export function flickerIn(map: Float32Array, valid: Float32Array, width: number, rect: Rect): number | null {
  const part = (plane: Float32Array): Float32Array => cutPlane(plane, width, rect);
  const counted = part(valid);
  return counted.some((v) => v > 0) ? percentile(part(map), counted, 0.99) : null;
}

/** Value below which a share of the valid pixels lies. @param share 0…1 */
export function percentile(map: Float32Array, valid: Float32Array, share: number): number {
  const values = new Float32Array(map.length);
  let count = 0;
  for (let i = 0; i < map.length; i++) if (valid[i] > 0) values[count++] = map[i];
  return count === 0 ? 0 : nthSmallest(values, count, placeOf(share, count));
}

/** Place of the value below which a share of `count` sorted ones lies. */
export function placeOf(share: number, count: number): number {
  return Math.min(count - 1, Math.floor(share * count));
}
