/**
 * Motion between two frames that came without vectors: blocks are matched coarse to fine, moved on by parts of a pixel
 * (Lucas & Kanade 1981, An Iterative Image Registration Technique), checked against the way back, and where a block is
 * too plain to say, the motion of the whole picture or none stands in. It cannot know what moves behind what.
 */

/** Side of a block, pixels. */
const BLOCK = 8;
/** Half windows that are compared at the three levels. */
const HALF = [5, 4, 3];
/** Farthest motion sought, pixels. */
const REACH = 16;
/** Ways there and back that differ by more are not believed, pixels. */
const DISAGREE = 0.4;
/** Texture below this, squared cd/m² a pixel, cannot be followed. */
const PLAIN = 0.02;
/** A simpler motion is taken when it explains nearly as much: its error may be so many times that of the best. */
const SIMPLER = 1.3;
/** Error beyond which no motion explains a block, as a share of its contrast. */
const UNEXPLAINED = 0.5;

export interface Flow {
  /** Pixels right and down to the second frame, two a pixel; NaN where nothing explains what is seen. */
  motion: Float32Array;
  /** Share of the blocks that were followed by themselves; the others were taken to move as the whole does. */
  followed: number;
}

interface Level {
  plane: Float32Array;
  width: number;
  height: number;
}

/** @param a, b luminance, cd/m², a little blurred; of at least 32 pixels a side */
export function estimateFlow(a: Float32Array, b: Float32Array, width: number, height: number): Flow {
  const [pa, pb] = [pyramid(a, width, height), pyramid(b, width, height)];
  const columns = Math.ceil(width / BLOCK);
  const rows = Math.ceil(height / BLOCK);
  const forth = matchBlocks(pa, pb, columns, rows);
  const back = matchBlocks(pb, pa, columns, rows);
  const reliable = new Uint8Array(columns * rows);
  let followed = 0;
  for (let n = 0; n < reliable.length; n++) {
    const [dx, dy] = [forth.vectors[n * 2], forth.vectors[n * 2 + 1]];
    if (forth.texture[n] < PLAIN) continue;
    const x = Math.min(columns - 1, Math.max(0, Math.round((n % columns) + dx / BLOCK)));
    const y = Math.min(rows - 1, Math.max(0, Math.round(Math.floor(n / columns) + dy / BLOCK)));
    const m = y * columns + x;
    if (Math.abs(dx + back.vectors[m * 2]) > DISAGREE || Math.abs(dy + back.vectors[m * 2 + 1]) > DISAGREE) continue;
    reliable[n] = 1;
    followed++;
  }
  const whole = affineOf(forth.vectors, reliable, columns);
  const chosen = choose(pa[0], pb[0], forth, reliable, whole, columns, rows);
  followTheCrowd(chosen, columns, rows);
  return { motion: dense(chosen, columns, rows, width, height), followed: followed / reliable.length };
}

function pyramid(plane: Float32Array, width: number, height: number): Level[] {
  const levels: Level[] = [{ plane, width, height }];
  for (let l = 0; l < 2; l++) {
    const { plane: from, width: w } = levels[l];
    const [sw, sh] = [levels[l].width >> 1, levels[l].height >> 1];
    const small = new Float32Array(sw * sh);
    for (let y = 0; y < sh; y++)
      for (let x = 0; x < sw; x++) {
        const i = y * 2 * w + x * 2;
        small[y * sw + x] = (from[i] + from[i + 1] + from[i + w] + from[i + w + 1]) / 4;
      }
    levels.push({ plane: small, width: sw, height: sh });
  }
  return levels;
}

/** Mean absolute difference of a window about (x, y) and about (x + dx, y + dy); whole pixels, clamped. */
function difference(a: Level, b: Level, x: number, y: number, dx: number, dy: number, half: number): number {
  const { width, height } = a;
  let sum = 0;
  for (let j = -half; j <= half; j++) {
    const ya = Math.min(height - 1, Math.max(0, y + j)) * width;
    const yb = Math.min(height - 1, Math.max(0, y + j + dy)) * width;
    for (let i = -half; i <= half; i++) {
      const xa = Math.min(width - 1, Math.max(0, x + i));
      const xb = Math.min(width - 1, Math.max(0, x + i + dx));
      sum += Math.abs(a.plane[ya + xa] - b.plane[yb + xb]);
    }
  }
  return sum / ((2 * half + 1) * (2 * half + 1));
}

interface Matches {
  /** Two numbers a block. */
  vectors: Float64Array;
  /** Smaller eigenvalue of the block's structure, squared cd/m² a pixel. */
  texture: Float64Array;
}

/** Starts that are followed down from the coarsest level: the nearest match there may be that of a repeating pattern. */
const STARTS = 4;

function matchBlocks(pa: readonly Level[], pb: readonly Level[], columns: number, rows: number): Matches {
  const [a, b] = [pa[0], pb[0]];
  const count = columns * rows;
  const vectors = new Float64Array(count * 2);
  const texture = new Float64Array(count);
  const errors = new Float64Array(count).fill(Infinity);
  const trial = new Float64Array(2);
  const middle = (n: number): [number, number] => [
    Math.min(a.width - 1, (n % columns) * BLOCK + BLOCK / 2),
    Math.min(a.height - 1, Math.floor(n / columns) * BLOCK + BLOCK / 2),
  ];
  /** Moves a start on by parts of a pixel and keeps it when it explains the block better; of two alike the shorter. */
  const attempt = (n: number, dx: number, dy: number): void => {
    const [cx, cy] = middle(n);
    trial[0] = dx;
    trial[1] = dy;
    texture[n] = refine(a, b, cx, cy, trial);
    const e = warpedDifference(a, b, cx, cy, trial[0], trial[1]) + 1e-3 * (Math.abs(trial[0]) + Math.abs(trial[1]));
    if (e >= errors[n]) return;
    errors[n] = e;
    vectors.set(trial, n * 2);
  };
  for (let n = 0; n < count; n++) {
    attempt(n, 0, 0);
    if (texture[n] < PLAIN || errors[n] < 0.02) continue;
    for (const [dx, dy] of starts(pa, pb, ...middle(n))) attempt(n, dx, dy);
  }
  // what neighbours and most blocks found is tried everywhere, so that a pattern follows what surrounds it
  const usual = mostCommon(vectors, texture);
  for (let round = 0; round < 2; round++)
    for (let k = 0; k < count; k++) {
      const n = round === 0 ? k : count - 1 - k;
      if (texture[n] < PLAIN || errors[n] < 0.02) continue;
      if (round === 0) attempt(n, usual[0], usual[1]);
      const side = round === 0 ? -1 : 1;
      const [x, y] = [n % columns, Math.floor(n / columns)];
      if (x + side >= 0 && x + side < columns) attempt(n, vectors[(n + side) * 2], vectors[(n + side) * 2 + 1]);
      const m = n + side * columns;
      if (y + side >= 0 && y + side < rows) attempt(n, vectors[m * 2], vectors[m * 2 + 1]);
    }
  return { vectors, texture };
}

/** Whole-pixel motions that match best at the coarsest level, each followed down to the finest. */
function starts(pa: readonly Level[], pb: readonly Level[], cx: number, cy: number): [number, number][] {
  const top = pa.length - 1;
  const far = REACH >> top;
  const side = 2 * far + 1;
  const costs = new Float64Array(side * side);
  for (let k = 0; k < costs.length; k++) {
    const [dx, dy] = [(k % side) - far, Math.floor(k / side) - far];
    costs[k] = difference(pa[top], pb[top], cx >> top, cy >> top, dx, dy, HALF[top]);
  }
  const best = [...costs.keys()].sort((p, q) => costs[p] - costs[q]).slice(0, STARTS);
  return best.map((k) => {
    let [bx, by] = [(k % side) - far, Math.floor(k / side) - far];
    for (let level = top - 1; level >= 0; level--) {
      const [gx, gy] = [bx * 2, by * 2];
      let least = Infinity;
      for (let dy = gy - 1; dy <= gy + 1; dy++)
        for (let dx = gx - 1; dx <= gx + 1; dx++) {
          const e = difference(pa[level], pb[level], cx >> level, cy >> level, dx, dy, HALF[level]);
          if (e < least) [least, bx, by] = [e, dx, dy];
        }
    }
    return [bx, by];
  });
}

/** The motion, to half pixels, that most textured blocks share. */
function mostCommon(vectors: Float64Array, texture: Float64Array): [number, number] {
  const votes = new Map<string, number>();
  let [most, best]: [number, [number, number]] = [0, [0, 0]];
  texture.forEach((t, n) => {
    if (t < PLAIN) return;
    const [dx, dy] = [Math.round(vectors[n * 2] * 2) / 2, Math.round(vectors[n * 2 + 1] * 2) / 2];
    const count = (votes.get(`${dx} ${dy}`) ?? 0) + 1;
    votes.set(`${dx} ${dy}`, count);
    if (count > most) [most, best] = [count, [dx, dy]];
  });
  return best;
}

/** Moves a vector on by parts of a pixel. @returns the smaller eigenvalue of the window's structure */
function refine(a: Level, b: Level, cx: number, cy: number, vector: Float64Array): number {
  const half = 6;
  const { width, height } = a;
  const x0 = Math.max(1, cx - half);
  const x1 = Math.min(width - 2, cx + half);
  const y0 = Math.max(1, cy - half);
  const y1 = Math.min(height - 2, cy + half);
  let [xx, xy, yy] = [0, 0, 0];
  for (let y = y0; y <= y1; y++)
    for (let x = x0; x <= x1; x++) {
      const i = y * width + x;
      const gx = (a.plane[i + 1] - a.plane[i - 1]) / 2;
      const gy = (a.plane[i + width] - a.plane[i - width]) / 2;
      xx += gx * gx;
      xy += gx * gy;
      yy += gy * gy;
    }
  const count = (x1 - x0 + 1) * (y1 - y0 + 1);
  const determinant = xx * yy - xy * xy;
  const smaller = (xx + yy - Math.sqrt((xx - yy) * (xx - yy) + 4 * xy * xy)) / 2 / count;
  if (smaller < PLAIN || determinant <= 0) return smaller;
  let [dx, dy] = vector;
  for (let step = 0; step < 4; step++) {
    let [ex, ey] = [0, 0];
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const i = y * width + x;
        const e = a.plane[i] - linearAt(b, x + dx, y + dy);
        ex += ((a.plane[i + 1] - a.plane[i - 1]) / 2) * e;
        ey += ((a.plane[i + width] - a.plane[i - width]) / 2) * e;
      }
    const mx = (ex * yy - ey * xy) / determinant;
    const my = (ey * xx - ex * xy) / determinant;
    dx += mx;
    dy += my;
    if (Math.abs(mx) + Math.abs(my) < 0.005) break;
  }
  // what runs away was no match
  if (Math.abs(dx - vector[0]) <= 1.5 && Math.abs(dy - vector[1]) <= 1.5) {
    vector[0] = dx;
    vector[1] = dy;
  }
  return smaller;
}

function linearAt({ plane, width, height }: Level, x: number, y: number): number {
  const cx = x < 0 ? 0 : x > width - 1.001 ? width - 1.001 : x;
  const cy = y < 0 ? 0 : y > height - 1.001 ? height - 1.001 : y;
  const x0 = cx | 0;
  const y0 = cy | 0;
  const fx = cx - x0;
  const fy = cy - y0;
  const i = y0 * width + x0;
  const top = plane[i] + (plane[i + 1] - plane[i]) * fx;
  const bottom = plane[i + width] + (plane[i + width + 1] - plane[i + width]) * fx;
  return top + (bottom - top) * fy;
}

/** dx = a + b·x + c·y and dy likewise, x and y in blocks: six numbers; null when too few blocks agree. */
type Affine = readonly number[] | null;

function affineOf(vectors: Float64Array, reliable: Uint8Array, columns: number): Affine {
  const weights = Float64Array.from(reliable);
  let model: number[] | null = null;
  for (let round = 0; round < 4; round++) {
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
    if (total < 6) return model;
    const [su, sv] = [solve3(m, u), solve3(m, v)];
    if (!su || !sv) return model;
    model = [...su, ...sv];
    const fitted = model;
    weights.forEach((_, n) => {
      if (reliable[n] === 0) return;
      const [dx, dy] = affineAt(fitted, n % columns, Math.floor(n / columns));
      const e = Math.abs(dx - vectors[n * 2]) + Math.abs(dy - vectors[n * 2 + 1]);
      weights[n] = 1 / (1 + 16 * e * e);
    });
  }
  return model;
}

function affineAt(m: readonly number[], x: number, y: number): [number, number] {
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

/** Per block the simplest motion that explains it, or NaN. */
function choose(
  a: Level,
  b: Level,
  { vectors, texture }: Matches,
  reliable: Uint8Array,
  whole: Affine,
  columns: number,
  rows: number,
): Float64Array {
  const out = new Float64Array(vectors.length);
  for (let n = 0; n < columns * rows; n++) {
    const cx = Math.min(a.width - 1, (n % columns) * BLOCK + BLOCK / 2);
    const cy = Math.min(a.height - 1, Math.floor(n / columns) * BLOCK + BLOCK / 2);
    const own = [vectors[n * 2], vectors[n * 2 + 1]];
    const all = whole ? affineAt(whole, n % columns, Math.floor(n / columns)) : [0, 0];
    const near = medianAround(vectors, reliable, n, columns, rows);
    const candidates = [all, [0, 0], ...(near ? [near] : []), ...(reliable[n] === 1 ? [own] : [])];
    const errors = candidates.map(([dx, dy]) => warpedDifference(a, b, cx, cy, dx, dy));
    const least = Math.min(...errors);
    const simplest = errors.findIndex((e) => e <= least * SIMPLER + 0.02);
    const lost = reliable[n] === 0 && texture[n] >= PLAIN && errors[simplest] > UNEXPLAINED * deviation(a, cx, cy);
    out[n * 2] = lost ? NaN : candidates[simplest][0];
    out[n * 2 + 1] = lost ? NaN : candidates[simplest][1];
  }
  return out;
}

/** Neighbours that must move alike for a block not to be taken for a wrong match, and how much alike, pixels. */
const COMPANY = 2;
const ALIKE = 0.5;

/** Gives blocks that move like hardly any of their neighbours the median motion of those. */
function followTheCrowd(chosen: Float64Array, columns: number, rows: number): void {
  const before = chosen.slice();
  const known = Uint8Array.from({ length: columns * rows }, (_, n) => (Number.isNaN(before[n * 2]) ? 0 : 1));
  for (let n = 0; n < known.length; n++) {
    if (known[n] === 0) continue;
    const [cx, cy] = [n % columns, Math.floor(n / columns)];
    let company = -1;
    for (let y = Math.max(0, cy - 1); y <= Math.min(rows - 1, cy + 1); y++)
      for (let x = Math.max(0, cx - 1); x <= Math.min(columns - 1, cx + 1); x++) {
        const m = (y * columns + x) * 2;
        const apart = Math.abs(before[m] - before[n * 2]) + Math.abs(before[m + 1] - before[n * 2 + 1]);
        if (apart < ALIKE) company++;
      }
    if (company >= COMPANY) continue;
    const middle = medianAround(before, known, n, columns, rows);
    if (middle) chosen.set(middle, n * 2);
  }
}

/** Median motion of a block's reliable neighbours and itself, each way by itself; null when fewer than three are. */
function medianAround(
  vectors: Float64Array,
  reliable: Uint8Array,
  n: number,
  columns: number,
  rows: number,
): [number, number] | null {
  const [xs, ys]: [number[], number[]] = [[], []];
  const [cx, cy] = [n % columns, Math.floor(n / columns)];
  for (let y = Math.max(0, cy - 1); y <= Math.min(rows - 1, cy + 1); y++)
    for (let x = Math.max(0, cx - 1); x <= Math.min(columns - 1, cx + 1); x++) {
      const m = y * columns + x;
      if (reliable[m] === 0) continue;
      xs.push(vectors[m * 2]);
      ys.push(vectors[m * 2 + 1]);
    }
  if (xs.length < 3) return null;
  const middle = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1];
  return [middle(xs), middle(ys)];
}

/** Standard deviation of a block and its surroundings. */
function deviation(a: Level, cx: number, cy: number): number {
  let [sum, square, count] = [0, 0, 0];
  for (let y = Math.max(0, cy - 5); y <= Math.min(a.height - 1, cy + 5); y++)
    for (let x = Math.max(0, cx - 5); x <= Math.min(a.width - 1, cx + 5); x++, count++) {
      const v = a.plane[y * a.width + x];
      sum += v;
      square += v * v;
    }
  return Math.sqrt(Math.max(0, square / count - (sum / count) ** 2));
}

function warpedDifference(a: Level, b: Level, cx: number, cy: number, dx: number, dy: number): number {
  let [sum, count] = [0, 0];
  for (let y = Math.max(0, cy - 5); y <= Math.min(a.height - 1, cy + 5); y++)
    for (let x = Math.max(0, cx - 5); x <= Math.min(a.width - 1, cx + 5); x++, count++)
      sum += Math.abs(a.plane[y * a.width + x] - linearAt(b, x + dx, y + dy));
  return sum / count;
}

/** Vectors of blocks to vectors of pixels, bilinear between the blocks' middles where both are known. */
function dense(blocks: Float64Array, columns: number, rows: number, width: number, height: number): Float32Array {
  const out = new Float32Array(width * height * 2);
  for (let y = 0; y < height; y++) {
    const py = Math.min(rows - 1, Math.max(0, (y + 0.5 - BLOCK / 2) / BLOCK));
    const y0 = Math.min(Math.max(0, rows - 2), py | 0);
    const y1 = Math.min(rows - 1, y0 + 1);
    const fy = py - y0;
    for (let x = 0; x < width; x++) {
      const px = Math.min(columns - 1, Math.max(0, (x + 0.5 - BLOCK / 2) / BLOCK));
      const x0 = Math.min(Math.max(0, columns - 2), px | 0);
      const x1 = Math.min(columns - 1, x0 + 1);
      const fx = px - x0;
      for (let c = 0; c < 2; c++) {
        const at = (i: number, j: number): number => blocks[(j * columns + i) * 2 + c];
        const top = at(x0, y0) + (at(x1, y0) - at(x0, y0)) * fx;
        const bottom = at(x0, y1) + (at(x1, y1) - at(x0, y1)) * fx;
        out[(y * width + x) * 2 + c] = top + (bottom - top) * fy;
      }
    }
  }
  return out;
}
