/** The motion of the whole picture: affine, fitted to what most blocks do, then to the pictures themselves. */
import type { FlowLevel } from './flowPicture';
import { BLOCK, linearAt } from './matchBlocks';

/** dx = a + b·x + c·y and dy likewise, x and y in blocks: six numbers; null when too few blocks agree. */
export type Affine = readonly number[] | null;

/** Blocks that are needed, and their share of all: what few blocks do is theirs alone. */
const LEAST_BLOCKS = 6;
const LEAST_SHARE = 0.08;
const ROUNDS = 4;
/** Share of the blocks that has to agree, and how much, pixels. */
const AGREE = 0.3;
const AGREED = 1.2;

/**
 * Least squares, weighed anew by how well each block agrees (Holland & Welsch 1977, Robust Regression Using Iteratively
 * Reweighted Least-Squares).
 * @param vectors two numbers a block, pixels @param reliable 1 a block that counts
 */
export function affineOf(vectors: Float64Array, reliable: Uint8Array, columns: number): Affine {
  const weights = Float64Array.from(reliable);
  let model: number[] | null = null;
  for (let round = 0; round < ROUNDS; round++) {
    const m = new Float64Array(9);
    const [u, v] = [new Float64Array(3), new Float64Array(3)];
    let total = 0;
    weights.forEach((w, n) => {
      if (w === 0) return;
      const p = [1, n % columns, Math.floor(n / columns)];
      for (let r = 0; r < 3; r++) {
        for (let c = 0; c < 3; c++) m[r * 3 + c] += w * p[r] * p[c];
        u[r] += w * p[r] * vectors[n * 2];
        v[r] += w * p[r] * vectors[n * 2 + 1];
      }
      total += w;
    });
    const [su, sv] = total < LEAST_BLOCKS ? [null, null] : [solve3(m, u), solve3(m, v)];
    if (!su || !sv) break;
    model = [...su, ...sv];
    const fitted = model;
    weights.forEach((_, n) => {
      if (reliable[n] === 0) return;
      const [dx, dy] = affineAt(fitted, n % columns, Math.floor(n / columns));
      const e = Math.abs(dx - vectors[n * 2]) + Math.abs(dy - vectors[n * 2 + 1]);
      weights[n] = 1 / (1 + 16 * e * e);
    });
  }
  return model && agreement(model, vectors, reliable, columns) >= AGREE ? model : null;
}

/** Share of the reliable blocks that move as the model says; 0 when they are too few of all. */
function agreement(model: readonly number[], vectors: Float64Array, reliable: Uint8Array, columns: number): number {
  let [all, alike] = [0, 0];
  reliable.forEach((r, n) => {
    if (r === 0) return;
    all++;
    const [dx, dy] = affineAt(model, n % columns, Math.floor(n / columns));
    if (Math.abs(dx - vectors[n * 2]) + Math.abs(dy - vectors[n * 2 + 1]) < AGREED) alike++;
  });
  return alike < LEAST_SHARE * reliable.length ? 0 : alike / all;
}

/** Every so many pixels are looked at when the whole is shifted; a prime, so that no column is left out. */
const SPARSE = 7;
/** A shift is believed with less than this share of the error of the middle one, and so many are looked at more closely. */
const STANDS_OUT = 0.75;
const LOOKED_AT = 6;

/**
 * The shift of the whole picture that explains it best, as a model, for pictures so noisy that no block says anything; null
 * when none stands out.
 * @param reach farthest shift sought, pixels
 */
export function shiftOfWhole(a: FlowLevel, b: FlowLevel, reach: number): Affine {
  const { width, height } = a;
  const side = 2 * reach + 1;
  const errors = new Float64Array(side * side);
  for (let k = 0; k < errors.length; k++) {
    const by = (Math.floor(k / side) - reach) * width + (k % side) - reach;
    let [sum, count] = [0, 0];
    for (let y = reach; y < height - reach; y += 2)
      for (let i = y * width + reach + (y % SPARSE); i < (y + 1) * width - reach; i += SPARSE, count++)
        sum += Math.abs(a.plane[i] - b.plane[i + by]);
    errors[k] = sum / count;
  }
  const middle = [...errors].sort((p, q) => p - q)[errors.length >> 1];
  const modelOf = (k: number): number[] => [(k % side) - reach, 0, 0, Math.floor(k / side) - reach, 0, 0];
  // a pattern fits nearly as well a period away: parts of a pixel decide
  const fitted = valleys(errors, side)
    .slice(0, LOOKED_AT)
    .filter((k) => errors[k] < STANDS_OUT * middle)
    .map((k) => refineAffine(a, b, modelOf(k)))
    .map((model) => ({ model, error: errorOf(a, b, model) }));
  return fitted.sort((p, q) => p.error - q.error)[0]?.model ?? null;
}

/** Places of a square of values that none around is below, the lowest first. */
function valleys(values: Float64Array, side: number): number[] {
  const out: number[] = [];
  for (let k = 0; k < values.length; k++) {
    const [x, y] = [k % side, Math.floor(k / side)];
    let lowest = true;
    for (let j = Math.max(0, y - 1); j <= Math.min(side - 1, y + 1); j++)
      for (let i = Math.max(0, x - 1); i <= Math.min(side - 1, x + 1); i++)
        if (values[j * side + i] < values[k]) lowest = false;
    if (lowest) out.push(k);
  }
  return out.sort((p, q) => values[p] - values[q]);
}

/** A simpler motion of the whole is taken when its error is no more than so many times that of the fitted one. */
const AS_GOOD = 1.05;

/** None, a shift, or the model itself: the simplest that explains as much. Noise makes a still picture seem to grow. */
export function simplestOf(a: FlowLevel, b: FlowLevel, model: readonly number[]): readonly number[] {
  const { width, height } = a;
  const [dx, dy] = affineAt(model, width / BLOCK / 2 - 0.5, height / BLOCK / 2 - 0.5);
  const most = AS_GOOD * errorOf(a, b, model);
  const simpler = [
    [0, 0, 0, 0, 0, 0],
    [dx, 0, 0, dy, 0, 0],
  ];
  return simpler.find((m) => errorOf(a, b, m) <= most) ?? model;
}

/** Mean absolute difference of the pictures along a model, contrasts, where both lie in the picture. */
function errorOf(a: FlowLevel, b: FlowLevel, m: readonly number[]): number {
  const { plane, width, height } = a;
  let [sum, count] = [0, 0];
  for (let y = 1; y < height - 1; y += EVERY)
    for (let x = 1; x < width - 1; x += EVERY) {
      const [dx, dy] = affineAt(m, (x - BLOCK / 2) / BLOCK, (y - BLOCK / 2) / BLOCK);
      if (!(x + dx >= 1 && y + dy >= 1 && x + dx <= width - 2 && y + dy <= height - 2)) continue;
      sum += Math.abs(plane[y * width + x] - linearAt(b, x + dx, y + dy));
      count++;
    }
  return count > 0 ? sum / count : Infinity;
}

/** Steps of the fit to the pictures; every so many pixels are looked at; differences beyond this count little, contrasts. */
const STEPS = 4;
const EVERY = 2;
const OUTLYING = 0.3;

/**
 * Moves a model on until the pictures agree best: Gauss–Newton over all pixels, those that differ much weighed down (Baker &
 * Matthews 2004, Lucas-Kanade 20 Years On). Noise that bends each block's vector is averaged out.
 */
export function refineAffine(a: FlowLevel, b: FlowLevel, model: readonly number[]): readonly number[] {
  const { plane, width, height } = a;
  let m = [...model];
  for (let step = 0; step < STEPS; step++) {
    const normal = new Float64Array(36);
    const right = new Float64Array(6);
    const j = new Float64Array(6);
    for (let y = 1; y < height - 1; y += EVERY)
      for (let x = 1; x < width - 1; x += EVERY) {
        // blocks' middles are where the model's numbers are whole
        const [u, v] = [(x - BLOCK / 2) / BLOCK, (y - BLOCK / 2) / BLOCK];
        const [tx, ty] = [x + m[0] + m[1] * u + m[2] * v, y + m[3] + m[4] * u + m[5] * v];
        if (!(tx >= 1 && ty >= 1 && tx <= width - 2 && ty <= height - 2)) continue;
        const i = y * width + x;
        const e = plane[i] - linearAt(b, tx, ty);
        const gx = (plane[i + 1] - plane[i - 1]) / 2;
        const gy = (plane[i + width] - plane[i - width]) / 2;
        const w = 1 / (1 + (e / OUTLYING) * (e / OUTLYING));
        j[0] = gx;
        j[1] = gx * u;
        j[2] = gx * v;
        j[3] = gy;
        j[4] = gy * u;
        j[5] = gy * v;
        for (let r = 0; r < 6; r++) {
          const wr = w * j[r];
          right[r] += wr * e;
          for (let c = 0; c < 6; c++) normal[r * 6 + c] += wr * j[c];
        }
      }
    const more = solve(normal, right);
    if (!more) break;
    m = m.map((v, k) => v + more[k]);
    if (Math.abs(more[0]) + Math.abs(more[3]) < 0.002) break;
  }
  return m;
}

/** Gauss elimination with the largest pivot; null when there is none. */
function solve(matrix: Float64Array, right: Float64Array): Float64Array | null {
  const n = right.length;
  for (let c = 0; c < n; c++) {
    let pivot = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(matrix[r * n + c]) > Math.abs(matrix[pivot * n + c])) pivot = r;
    if (!(Math.abs(matrix[pivot * n + c]) > 1e-9)) return null;
    for (let k = 0; k < n; k++) [matrix[c * n + k], matrix[pivot * n + k]] = [matrix[pivot * n + k], matrix[c * n + k]];
    [right[c], right[pivot]] = [right[pivot], right[c]];
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const f = matrix[r * n + c] / matrix[c * n + c];
      for (let k = c; k < n; k++) matrix[r * n + k] -= f * matrix[c * n + k];
      right[r] -= f * right[c];
    }
  }
  return right.map((v, r) => v / matrix[r * n + r]);
}

/** @param x, y in blocks, parts of them too */
export function affineAt(m: readonly number[], x: number, y: number): [number, number] {
  return [m[0] + m[1] * x + m[2] * y, m[3] + m[4] * x + m[5] * y];
}

/** Cramer's rule. */
function solve3(m: Float64Array, v: Float64Array): number[] | null {
  const of = (c: (r: number, k: number) => number): number =>
    c(0, 0) * (c(1, 1) * c(2, 2) - c(1, 2) * c(2, 1)) -
    c(0, 1) * (c(1, 0) * c(2, 2) - c(1, 2) * c(2, 0)) +
    c(0, 2) * (c(1, 0) * c(2, 1) - c(1, 1) * c(2, 0));
  const d = of((r, k) => m[r * 3 + k]);
  if (Math.abs(d) < 1e-9) return null;
  return [0, 1, 2].map((column) => of((r, k) => (k === column ? v[r] : m[r * 3 + k])) / d);
}
