/**
 * How strong each light must be for the rasterised picture to come closest to a reference: light is additive, so this is
 * a least-squares problem whose unknowns may not be negative (Lawson & Hanson 1974, Solving Least Squares Problems).
 */

export interface Levels {
  /** Factor on each layer. */
  factors: number[];
  /** Weighted error before and after, as a share of the reference. */
  before: number;
  after: number;
}

/** Share of the brightest light below which pixels do not weigh more for being dark. */
const DARK = 0.02;

/**
 * @param layers rgb per pixel of each light alone
 * @param fixed rgb per pixel of what no light governs
 * @param reference rgb per pixel
 */
export function matchLevels(layers: readonly Float32Array[], fixed: Float32Array, reference: Float32Array): Levels {
  const n = layers.length;
  let brightest = 0;
  for (const v of reference) if (v > brightest) brightest = v;
  const normal = Array.from({ length: n }, () => new Float64Array(n));
  const right = new Float64Array(n);
  let norm = 0;
  const weightAt = (p: number): number => {
    const l = (reference[p] + reference[p + 1] + reference[p + 2]) / 3;
    // errors count relative to the light there, and clipped lamps not at all
    return 1 / (Math.max(0, l) + DARK * brightest) ** 2;
  };
  for (let p = 0; p < reference.length; p += 3) {
    const w = weightAt(p);
    for (let c = p; c < p + 3; c++) {
      const target = reference[c] - fixed[c];
      norm += w * target * target;
      for (let i = 0; i < n; i++) {
        const a = layers[i][c];
        if (a === 0) continue;
        right[i] += w * a * target;
        for (let j = 0; j <= i; j++) normal[i][j] += w * a * layers[j][c];
      }
    }
  }
  for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) normal[i][j] = normal[j][i];
  const factors = nonNegative(normal, right);
  const error = (x: readonly number[]): number => {
    let sum = norm;
    for (let i = 0; i < n; i++) {
      sum -= 2 * x[i] * right[i];
      for (let j = 0; j < n; j++) sum += x[i] * normal[i][j] * x[j];
    }
    return norm > 0 ? Math.sqrt(Math.max(0, sum) / norm) : 0;
  };
  return { factors, before: error(new Array<number>(n).fill(1)), after: error(factors) };
}

/** Minimises |A x − b| for x ≥ 0, given AᵀA and Aᵀb. A layer without any light keeps the factor 1. */
export function nonNegative(normal: readonly Float64Array[], right: Float64Array): number[] {
  const n = right.length;
  const x = new Array<number>(n).fill(0);
  const free = new Set<number>();
  const usable = Array.from({ length: n }, (_, i) => normal[i][i] > 0);
  const scale = Math.max(...Array.from(right, Math.abs), 1e-300);
  for (let round = 0; round < 3 * n + 3; round++) {
    let best = -1;
    let steepest = scale * 1e-10;
    for (let i = 0; i < n; i++) {
      if (free.has(i) || !usable[i]) continue;
      let slope = right[i];
      for (let j = 0; j < n; j++) slope -= normal[i][j] * x[j];
      if (slope > steepest) {
        steepest = slope;
        best = i;
      }
    }
    if (best < 0) break;
    free.add(best);
    for (;;) {
      const places = [...free];
      const z = solve(normal, right, places);
      let step = 1;
      places.forEach((i, k) => {
        if (z[k] <= 0) step = Math.min(step, x[i] / (x[i] - z[k] || 1));
      });
      places.forEach((i, k) => (x[i] += (z[k] - x[i]) * step));
      if (step === 1) break;
      for (const i of places) {
        if (x[i] > 1e-12) continue;
        x[i] = 0;
        free.delete(i);
      }
      if (free.size === 0) break;
    }
  }
  return x.map((v, i) => (usable[i] ? v : 1));
}

/** Gaussian elimination with pivoting over some of the unknowns. */
function solve(normal: readonly Float64Array[], right: Float64Array, places: number[]): number[] {
  const m = places.length;
  const rows = places.map((i) => [...places.map((j) => normal[i][j]), right[i]]);
  // a trace of the diagonal keeps lights apart that shine alike
  for (let i = 0; i < m; i++) rows[i][i] *= 1 + 1e-9;
  for (let k = 0; k < m; k++) {
    let pivot = k;
    for (let i = k + 1; i < m; i++) if (Math.abs(rows[i][k]) > Math.abs(rows[pivot][k])) pivot = i;
    [rows[k], rows[pivot]] = [rows[pivot], rows[k]];
    const d = rows[k][k] || 1e-300;
    for (let i = k + 1; i < m; i++) {
      const f = rows[i][k] / d;
      for (let j = k; j <= m; j++) rows[i][j] -= f * rows[k][j];
    }
  }
  const z = new Array<number>(m).fill(0);
  for (let k = m - 1; k >= 0; k--) {
    let sum = rows[k][m];
    for (let j = k + 1; j < m; j++) sum -= rows[k][j] * z[j];
    z[k] = sum / (rows[k][k] || 1e-300);
  }
  return z;
}
