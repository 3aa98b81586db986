/**
 * How strong each light must be for the rasterised picture to come closest to a reference: light is additive, so this is
 * a least-squares problem whose unknowns may not be negative (Lawson & Hanson 1974, Solving Least Squares Problems), with
 * outliers held down by reweighting (Holland & Welsch 1977, Robust regression using iteratively reweighted least-squares).
 */

export interface Levels {
  /** Factor on each layer. */
  factors: number[];
  /** Typical relative difference before and after, 0…; large ones count by their size and not by its square. */
  before: number;
  after: number;
}

/** Share of the mean light below which places do not weigh more for being dark. */
const DARK = 0.05;
/** Rounds of reweighting: the factors have settled by then to four digits. */
const ROUNDS = 20;
/** Huber's constant: with normal errors 95 % as sharp as plain least squares. */
const HUBER = 1.345;

/**
 * Means over square blocks, rows of `across` blocks. Levels are fitted to these: at single pixels the edges of two
 * renders differ by their sampling, and a light whose layer is noisy is fitted too weak.
 * @param rgb three numbers a pixel
 */
export function blockMeans(rgb: Float32Array, width: number, height: number, across: number): Float32Array {
  const size = Math.max(1, Math.ceil(width / across));
  const columns = Math.ceil(width / size);
  const sums = new Float32Array(columns * Math.ceil(height / size) * 3);
  for (let y = 0; y < height; y++) {
    const row = Math.floor(y / size);
    const tall = Math.min(size, height - row * size);
    for (let x = 0; x < width; x++) {
      const column = Math.floor(x / size);
      const share = 1 / (tall * Math.min(size, width - column * size));
      const block = (row * columns + column) * 3;
      for (let c = 0; c < 3; c++) sums[block + c] += rgb[(y * width + x) * 3 + c] * share;
    }
  }
  return sums;
}

/**
 * @param layers rgb per place of each light alone
 * @param fixed rgb per place of what no light governs
 * @param reference rgb per place
 */
export function matchLevels(layers: readonly Float32Array[], fixed: Float32Array, reference: Float32Array): Levels {
  const n = layers.length;
  const places = reference.length / 3;
  let mean = 0;
  for (const v of reference) mean += Math.max(0, v) / reference.length;
  const light = Float64Array.from({ length: places }, (_, p) => {
    const l = (reference[p * 3] + reference[p * 3 + 1] + reference[p * 3 + 2]) / 3;
    return Math.max(0, l) + DARK * mean || 1;
  });
  /** Relative difference of each place, root mean square over the channels. */
  const differences = (x: readonly number[]): Float64Array =>
    Float64Array.from({ length: places }, (_, p) => {
      let sum = 0;
      for (let c = p * 3; c < p * 3 + 3; c++) {
        let v = fixed[c] - reference[c];
        for (let i = 0; i < n; i++) v += x[i] * layers[i][c];
        sum += v * v;
      }
      return Math.sqrt(sum / 3) / light[p];
    });
  const fit = (weights: Float64Array): number[] => {
    const normal = Array.from({ length: n }, () => new Float64Array(n));
    const right = new Float64Array(n);
    for (let c = 0; c < reference.length; c++) {
      const p = Math.floor(c / 3);
      const w = weights[p] / light[p] ** 2;
      for (let i = 0; i < n; i++) {
        const a = w * layers[i][c];
        if (a === 0) continue;
        right[i] += a * (reference[c] - fixed[c]);
        for (let j = 0; j <= i; j++) normal[i][j] += a * layers[j][c];
      }
    }
    for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) normal[i][j] = normal[j][i];
    return nonNegative(normal, right);
  };

  let factors = fit(new Float64Array(places).fill(1));
  const settled = differences(factors);
  const bound = HUBER * 1.4826 * median(settled) || 1;
  for (let round = 0; round < ROUNDS; round++) {
    factors = fit(differences(factors).map((d) => (d > bound ? bound / d : 1)));
  }
  const as = new Array<number>(n).fill(1);
  const [before, after] = [as, factors].map((x) => typical(differences(x), bound));
  // rounding may leave a picture that already agrees a hair worse
  return after < before ? { factors, before, after } : { factors: as, before, after: before };
}

function median(values: Float64Array): number {
  return Float64Array.from(values).sort()[values.length >> 1] ?? 0;
}

/** The difference whose square is the mean of Huber's loss: a root mean square in which outliers count singly. */
function typical(differences: Float64Array, bound: number): number {
  let sum = 0;
  for (const d of differences) sum += d <= bound ? d * d : bound * (2 * d - bound);
  return Math.sqrt(sum / Math.max(1, differences.length));
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
