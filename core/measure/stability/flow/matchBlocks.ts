/**
 * Where each block of one frame lies in another: looked for coarse to fine, moved on by parts of a pixel (Lucas & Kanade
 * 1981, An Iterative Image Registration Technique), and handed from neighbour to neighbour (Barnes et al. 2009, PatchMatch).
 */
import type { FlowLevel, FlowPicture } from './flowPicture';

/** Side of a block, pixels. */
export const BLOCK = 8;
/** Texture below this, squared cd/m² a pixel on a ground of `GROUND` cd/m², cannot be followed. */
export const PLAIN = 0.02;
const GROUND = 20;
/** Darker than this the eye no longer adapts, cd/m². */
const DARK = 4;
/** Half windows that are compared at the three levels. */
const HALF = [5, 4, 3];
/** Half the window in which a block is moved on and judged. */
const REFINED = 6;
const JUDGED = 5;
/** Farthest motion sought, pixels. */
export const REACH = 16;
/** Starts that are followed down from the coarsest level: the nearest match there may be that of a repeating pattern. */
const STARTS = 4;
/** And of these at the finest level. */
const KEPT_STARTS = 2;
/** Difference below which a block is matched, and below which it need not be looked for everywhere. */
const GOOD = 0.03;
const FOUND = 0.12;
/** The same where the frames before moved so too. */
const FOUND_AGAIN = 0.25;
/** What is nearer than this to a vector that was tried would be moved on to the same place, pixels. */
const SAME = 0.3;
/** What is worse than the best by this factor, and than this, before it is moved on will not be better afterwards. */
const HOPELESS = 1.6;
const BAD = 0.45;
/** Of two that match alike the shorter is taken: difference that a pixel of way is worth. */
const SHORTER = 2e-4;
/** Farther than this from where it started a vector ran away, pixels. */
const RAN_AWAY = 1.5;

/** Blocks of a picture. */
export interface Grid {
  columns: number;
  rows: number;
  count: number;
  /** Middle of a block, inside the picture. */
  x: (n: number) => number;
  y: (n: number) => number;
}

export function blockGrid(width: number, height: number): Grid {
  const columns = Math.ceil(width / BLOCK);
  const rows = Math.ceil(height / BLOCK);
  return {
    columns,
    rows,
    count: columns * rows,
    x: (n) => Math.min(width - 1, (n % columns) * BLOCK + BLOCK / 2),
    y: (n) => Math.min(height - 1, Math.floor(n / columns) * BLOCK + BLOCK / 2),
  };
}

export interface Matches {
  /** Pixels right and down, two numbers a block. */
  vectors: Float64Array;
  /** Mean absolute difference of the block and where it lies, in contrasts. */
  errors: Float64Array;
  /** Smaller eigenvalue of the block's structure, squared cd/m² a pixel, as on a ground of `GROUND`. */
  texture: Float64Array;
}

/** Sums over a block's window: of the squares of its slopes, and of luminance's. */
interface Structure {
  xx: Float64Array;
  xy: Float64Array;
  yy: Float64Array;
  texture: Float64Array;
}

/** @param prior vectors with which blocks start, as those of the frames before; null for none */
export function matchBlocks(a: FlowPicture, b: FlowPicture, grid: Grid, prior: Float64Array | null): Matches {
  const [la, lb] = [a.levels[0], b.levels[0]];
  const { columns, rows, count } = grid;
  const structure = structureOf(a, grid);
  const { texture } = structure;
  const vectors = new Float64Array(count * 2);
  const errors = new Float64Array(count).fill(Infinity);
  const trial = new Float64Array(2);
  const attempt = (n: number, dx: number, dy: number): void => {
    if (errors[n] < Infinity && Math.abs(dx - vectors[n * 2]) + Math.abs(dy - vectors[n * 2 + 1]) < SAME) return;
    const [cx, cy] = [grid.x(n), grid.y(n)];
    if (!(difference(la, lb, cx, cy, dx, dy) < Math.max(BAD, HOPELESS * errors[n]))) return;
    trial[0] = dx;
    trial[1] = dy;
    if (texture[n] >= PLAIN) refine(la, lb, cx, cy, structure, n, trial);
    const e = difference(la, lb, cx, cy, trial[0], trial[1]) + SHORTER * (Math.abs(trial[0]) + Math.abs(trial[1]));
    if (e >= errors[n]) return;
    errors[n] = e;
    vectors.set(trial, n * 2);
  };
  for (let n = 0; n < count; n++) {
    attempt(n, 0, 0);
    if (errors[n] === Infinity) errors[n] = difference(la, lb, grid.x(n), grid.y(n), 0, 0);
    if (texture[n] < PLAIN || errors[n] < GOOD) continue;
    if (prior) attempt(n, prior[n * 2], prior[n * 2 + 1]);
    if (errors[n] < (prior ? FOUND_AGAIN : FOUND)) continue;
    for (const [dx, dy] of starts(a.levels, b.levels, grid.x(n), grid.y(n))) attempt(n, dx, dy);
  }
  // what neighbours and most blocks found is tried everywhere, so that a pattern follows what surrounds it
  const usual = mostCommon(vectors, texture);
  for (let round = 0; round < 2; round++)
    for (let k = 0; k < count; k++) {
      const n = round === 0 ? k : count - 1 - k;
      if (texture[n] < PLAIN || errors[n] < GOOD) continue;
      if (round === 0) attempt(n, usual[0], usual[1]);
      const side = round === 0 ? -1 : 1;
      const [x, y] = [n % columns, Math.floor(n / columns)];
      if (x + side >= 0 && x + side < columns) attempt(n, vectors[(n + side) * 2], vectors[(n + side) * 2 + 1]);
      const m = n + side * columns;
      if (y + side >= 0 && y + side < rows) attempt(n, vectors[m * 2], vectors[m * 2 + 1]);
    }
  return { vectors, errors, texture };
}

function structureOf({ levels: [{ plane, width, height }], seen }: FlowPicture, grid: Grid): Structure {
  const { count } = grid;
  const of = (): Float64Array => new Float64Array(count);
  const out: Structure = { xx: of(), xy: of(), yy: of(), texture: of() };
  for (let n = 0; n < count; n++) {
    const { x0, x1, y0, y1 } = refinedWindow(grid.x(n), grid.y(n), width, height);
    let [sxx, sxy, syy, sum] = [0, 0, 0, 0];
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const i = y * width + x;
        const gx = (plane[i + 1] - plane[i - 1]) / 2;
        const gy = (plane[i + width] - plane[i - width]) / 2;
        out.xx[n] += gx * gx;
        out.xy[n] += gx * gy;
        out.yy[n] += gy * gy;
        const sx = (seen[i + 1] - seen[i - 1]) / 2;
        const sy = (seen[i + width] - seen[i - width]) / 2;
        sxx += sx * sx;
        sxy += sx * sy;
        syy += sy * sy;
        sum += seen[i];
      }
    const pixels = (x1 - x0 + 1) * (y1 - y0 + 1);
    const least = (sxx + syy - Math.sqrt((sxx - syy) * (sxx - syy) + 4 * sxy * sxy)) / 2 / pixels;
    out.texture[n] = least * ((GROUND + DARK) / (sum / pixels + DARK)) ** 2;
  }
  return out;
}

function refinedWindow(cx: number, cy: number, width: number, height: number) {
  return {
    x0: Math.max(1, cx - REFINED),
    x1: Math.min(width - 2, cx + REFINED),
    y0: Math.max(1, cy - REFINED),
    y1: Math.min(height - 2, cy + REFINED),
  };
}

/** Whole-pixel motions that match best at the coarsest level, each followed down to the finest. */
function starts(pa: readonly FlowLevel[], pb: readonly FlowLevel[], cx: number, cy: number): [number, number][] {
  const top = pa.length - 1;
  const far = REACH >> top;
  const side = 2 * far + 1;
  const costs = new Float64Array(side * side);
  for (let k = 0; k < costs.length; k++) {
    const [dx, dy] = [(k % side) - far, Math.floor(k / side) - far];
    costs[k] = wholeDifference(pa[top], pb[top], cx >> top, cy >> top, dx, dy, HALF[top]);
  }
  const best = leastOf(costs, STARTS);
  const found = best.map((k) => {
    let [bx, by] = [(k % side) - far, Math.floor(k / side) - far];
    let least = Infinity;
    for (let level = top - 1; level >= 0; level--) {
      const [gx, gy] = [bx * 2, by * 2];
      least = Infinity;
      for (let dy = gy - 1; dy <= gy + 1; dy++)
        for (let dx = gx - 1; dx <= gx + 1; dx++) {
          const e = wholeDifference(pa[level], pb[level], cx >> level, cy >> level, dx, dy, HALF[level]);
          if (e < least) [least, bx, by] = [e, dx, dy];
        }
    }
    return { least, to: [bx, by] as [number, number] };
  });
  return found
    .sort((p, q) => p.least - q.least)
    .slice(0, KEPT_STARTS)
    .map(({ to }) => to);
}

/** Where the smallest values stand, the smallest first. */
function leastOf(values: Float64Array, count: number): number[] {
  const out: number[] = [];
  for (let k = 0; k < values.length; k++) {
    let at = out.length;
    while (at > 0 && values[out[at - 1]] > values[k]) at--;
    if (at < count) out.splice(at, 0, k);
    if (out.length > count) out.pop();
  }
  return out;
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

/** Moves a vector on by parts of a pixel. */
function refine(
  a: FlowLevel,
  b: FlowLevel,
  cx: number,
  cy: number,
  structure: Structure,
  n: number,
  vector: Float64Array,
): void {
  const [xx, xy, yy] = [structure.xx[n], structure.xy[n], structure.yy[n]];
  const determinant = xx * yy - xy * xy;
  if (!(determinant > 0)) return;
  const { plane, width, height } = a;
  const other = b.plane;
  const { x0, x1, y0, y1 } = refinedWindow(cx, cy, width, height);
  let dx = vector[0];
  let dy = vector[1];
  for (let step = 0; step < 4; step++) {
    const { by, w00, w10, w01, w11, ix, iy } = offset(b, dx, dy);
    const inside = holds(ix, iy, x0, x1, y0, y1, width, height);
    let ex = 0;
    let ey = 0;
    for (let y = y0; y <= y1; y++)
      for (let i = y * width + x0; i <= y * width + x1; i++) {
        const j = i + by;
        const v = inside
          ? other[j] * w00 + other[j + 1] * w10 + other[j + width] * w01 + other[j + width + 1] * w11
          : linearAt(b, i - y * width + dx, y + dy);
        const e = plane[i] - v;
        ex += (plane[i + 1] - plane[i - 1]) * e;
        ey += (plane[i + width] - plane[i - width]) * e;
      }
    const mx = (ex * yy - ey * xy) / 2 / determinant;
    const my = (ey * xx - ex * xy) / 2 / determinant;
    dx += mx;
    dy += my;
    if (Math.abs(mx) + Math.abs(my) < 0.005) break;
  }
  if (Math.abs(dx - vector[0]) > RAN_AWAY || Math.abs(dy - vector[1]) > RAN_AWAY) return;
  vector[0] = dx;
  vector[1] = dy;
}

/**
 * Mean absolute difference of a window about (x, y) and about (x + dx, y + dy), whole pixels, where both lie in the picture;
 * infinite when less than half of it does.
 */
function wholeDifference(
  a: FlowLevel,
  b: FlowLevel,
  x: number,
  y: number,
  dx: number,
  dy: number,
  half: number,
): number {
  const { width, height } = a;
  const [p, q] = [a.plane, b.plane];
  const x0 = Math.max(x - half, 0, -dx);
  const x1 = Math.min(x + half, width - 1, width - 1 - dx);
  const y0 = Math.max(y - half, 0, -dy);
  const y1 = Math.min(y + half, height - 1, height - 1 - dy);
  const by = dy * width + dx;
  let sum = 0;
  for (let j = y0; j <= y1; j++)
    for (let i = j * width + x0; i <= j * width + x1; i++) sum += Math.abs(p[i] - q[i + by]);
  const count = Math.max(0, x1 - x0 + 1) * Math.max(0, y1 - y0 + 1);
  return count * 2 > (2 * half + 1) * (2 * half + 1) ? sum / count : Infinity;
}

/** Mean absolute difference of a block and what lies a motion away, in contrasts; the motion may grow across the block. */
export function difference(
  a: FlowLevel,
  b: FlowLevel,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
  growth: readonly [number, number, number, number] | null = null,
): number {
  const { plane, width, height } = a;
  const [x0, x1] = [Math.max(0, cx - JUDGED), Math.min(width - 1, cx + JUDGED)];
  const [y0, y1] = [Math.max(0, cy - JUDGED), Math.min(height - 1, cy + JUDGED)];
  const count = (x1 - x0 + 1) * (y1 - y0 + 1);
  let sum = 0;
  if (growth) {
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const [u, w] = [x - cx, y - cy];
        const v = linearAt(b, x + dx + growth[0] * u + growth[1] * w, y + dy + growth[2] * u + growth[3] * w);
        sum += Math.abs(plane[y * width + x] - v);
      }
    return sum / count;
  }
  const { by, w00, w10, w01, w11, ix, iy } = offset(b, dx, dy);
  const inside = holds(ix, iy, x0, x1, y0, y1, width, height);
  const other = b.plane;
  for (let y = y0; y <= y1; y++)
    for (let i = y * width + x0; i <= y * width + x1; i++) {
      const j = i + by;
      const v = inside
        ? other[j] * w00 + other[j + 1] * w10 + other[j + width] * w01 + other[j + width + 1] * w11
        : linearAt(b, i - y * width + dx, y + dy);
      sum += Math.abs(plane[i] - v);
    }
  return sum / count;
}

/** A shift by the same parts of a pixel everywhere: whole pixels, how far that is in a plane, and shares of four neighbours. */
function offset({ width }: FlowLevel, dx: number, dy: number) {
  const ix = Math.floor(dx);
  const iy = Math.floor(dy);
  const fx = dx - ix;
  const fy = dy - iy;
  const by = iy * width + ix;
  return { ix, iy, by, w00: (1 - fx) * (1 - fy), w10: fx * (1 - fy), w01: (1 - fx) * fy, w11: fx * fy };
}

/** Does all that a shifted window reads lie in the picture? */
function holds(ix: number, iy: number, x0: number, x1: number, y0: number, y1: number, w: number, h: number): boolean {
  return x0 + ix >= 0 && y0 + iy >= 0 && x1 + ix + 1 < w && y1 + iy + 1 < h;
}

/** Value between pixels, clamped to the picture. */
export function linearAt({ plane, width, height }: FlowLevel, x: number, y: number): number {
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
