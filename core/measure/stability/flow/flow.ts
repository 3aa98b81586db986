/**
 * Motion between two frames that came without vectors. Blocks are matched by what a change of brightness leaves as it is,
 * and checked against the way back; where a block is too plain to say, or nothing explains it, the motion of the whole
 * picture or none stands in: what flickers there is then seen along it. It cannot know what moves behind what.
 */
import { affineAt, affineOf, refineAffine, shiftOfWhole, simplestOf, type Affine } from './affine';
import type { FlowLevel, FlowPicture } from './flowPicture';
import { BLOCK, blockGrid, difference, matchBlocks, PLAIN, REACH, type Grid, type Matches } from './matchBlocks';

/** Ways there and back that differ by more are not believed, pixels. */
const DISAGREE = 0.4;
/** A simpler motion is taken when it explains nearly as much: its error may be so many times that of the best. */
const SIMPLER = 1.3;
const NEARLY = 0.05;
/** Error beyond which no motion explains a block, as a share of its contrast. */
const UNEXPLAINED = 0.5;
/** A motion of its own is believed with less than this share of the error of the whole's: noise is found elsewhere too, but not so well. */
const BELIEVED = 0.6;
/** And with less than this share of its contrast: an edge that passes over a texture is no motion of it. */
const OWN = 0.2;
/** What moves by itself moved likewise before: by so much, pixels and as a share, it may have changed. */
const INERT = 1.5;
const INERT_SHARE = 0.5;
/** What nothing explains moves with the whole, unless it is explained better by standing still, by this factor. */
const STANDS_STILL = 0.8;
/** A block that is lost moved when it is found elsewhere with less than this share of the error. */
const ELSEWHERE = 0.35;

export interface Flow {
  /** Pixels right and down to the second frame, two a pixel. */
  motion: Float32Array;
  /** 1 a pixel whose vector is not to be relied on: along the border of what moves, and where what moves was lost. */
  unsure: Uint8Array;
  /** Vectors a block, from which the search in the next frames may start. */
  blocks: Float64Array;
  /** Share of the blocks that were followed by themselves; the others were taken to move as the whole does. */
  followed: number;
}

/**
 * @param a, b of at least 32 pixels a side, both of one size
 * @param prior `blocks` of the frames before, from which a search may start
 */
export function estimateFlow(a: FlowPicture, b: FlowPicture, prior: Float64Array | null = null): Flow {
  const { width, height } = a.levels[0];
  const grid = blockGrid(width, height);
  const forth = matchBlocks(a, b, grid, prior);
  const back = matchBlocks(b, a, grid, prior?.map((v) => -v) ?? null);
  const reliable = agreeing(forth, back, grid);
  const followed = reliable.reduce((sum, r) => sum + r, 0) / grid.count;
  const [la, lb] = [a.levels[0], b.levels[0]];
  let rough = affineOf(forth.vectors, reliable, grid.columns);
  // a plain picture has no motion to be found
  const textured = forth.texture.reduce((sum, t) => sum + (t >= PLAIN ? 1 : 0), 0);
  if (!rough && textured > LEAST_TEXTURED * grid.count) rough = shiftOfWhole(la, lb, REACH);
  const whole = rough && simplestOf(la, lb, refineAffine(la, lb, rough));
  const { blocks, lost } = choose(la, lb, forth, reliable, whole, grid, prior);
  followTheCrowd(blocks, grid);
  const lostShare = lost.reduce((sum, l) => sum + l, 0) / grid.count;
  const blind = lostShare > BLIND && !whole;
  const unsure = lost.map((l, n) => (blind || l === 1 || onBorder(blocks, whole, n, grid) ? 1 : 0));
  return {
    motion: dense(blocks, grid, width, height),
    unsure: Uint8Array.from({ length: width * height }, (_, i) => {
      const [x, y] = [i % width, Math.floor(i / width)];
      return unsure[Math.floor(y / BLOCK) * grid.columns + Math.floor(x / BLOCK)];
    }),
    blocks,
    followed,
  };
}

/** Share of the blocks that must have texture for the whole to be shifted. */
const LEAST_TEXTURED = 0.3;
/** When more of the blocks are lost, nothing is known of the others either. */
const BLIND = 0.3;
/** Neighbours whose motions differ by more, pixels and as a share, do not belong together. */
const APART = 1;
const APART_SHARE = 0.35;

/** Does a neighbour move otherwise, the motion of the whole aside? */
function onBorder(blocks: Float64Array, whole: Affine, n: number, { columns, rows }: Grid): boolean {
  const [cx, cy] = [n % columns, Math.floor(n / columns)];
  const own = besides(blocks, whole, cx, cy, columns);
  for (let y = Math.max(0, cy - 1); y <= Math.min(rows - 1, cy + 1); y++)
    for (let x = Math.max(0, cx - 1); x <= Math.min(columns - 1, cx + 1); x++) {
      const other = besides(blocks, whole, x, y, columns);
      const apart = Math.abs(other[0] - own[0]) + Math.abs(other[1] - own[1]);
      const most = Math.max(Math.abs(own[0]) + Math.abs(own[1]), Math.abs(other[0]) + Math.abs(other[1]));
      if (apart > APART + (own[0] !== 0 && other[0] !== 0 ? APART_SHARE * most : 0)) return true;
    }
  return false;
}

function besides(blocks: Float64Array, whole: Affine, x: number, y: number, columns: number): Vector {
  const [dx, dy] = whole ? affineAt(whole, x, y) : [0, 0];
  const n = y * columns + x;
  return [blocks[n * 2] - dx, blocks[n * 2 + 1] - dy];
}

/** Marks with 1 the blocks from which the way there and the way back agree. */
function agreeing(forth: Matches, back: Matches, { columns, rows, count }: Grid): Uint8Array {
  const reliable = new Uint8Array(count);
  for (let n = 0; n < count; n++) {
    if (forth.texture[n] < PLAIN) continue;
    const [dx, dy] = [forth.vectors[n * 2], forth.vectors[n * 2 + 1]];
    const x = Math.min(columns - 1, Math.max(0, Math.round((n % columns) + dx / BLOCK)));
    const y = Math.min(rows - 1, Math.max(0, Math.round(Math.floor(n / columns) + dy / BLOCK)));
    const m = y * columns + x;
    const apart = Math.max(Math.abs(dx + back.vectors[m * 2]), Math.abs(dy + back.vectors[m * 2 + 1]));
    if (apart <= DISAGREE) reliable[n] = 1;
  }
  return reliable;
}

/** Per block the simplest motion that explains it, or the most likely one; `lost` where it moved otherwise. */
function choose(
  a: FlowLevel,
  b: FlowLevel,
  { vectors, texture, errors: found }: Matches,
  reliable: Uint8Array,
  whole: Affine,
  grid: Grid,
  prior: Float64Array | null,
): { blocks: Float64Array; lost: Uint8Array } {
  const { columns, rows, count } = grid;
  const lost = new Uint8Array(count);
  const out = new Float64Array(vectors.length);
  const growth = whole ? ([whole[1], whole[2], whole[4], whole[5]].map((g) => g / BLOCK) as Growth) : null;
  for (let n = 0; n < count; n++) {
    const [cx, cy] = [grid.x(n), grid.y(n)];
    const all: Vector = whole ? affineAt(whole, n % columns, Math.floor(n / columns)) : [0, 0];
    const near = medianAround(vectors, reliable, n, columns, rows);
    const own: Vector = [vectors[n * 2], vectors[n * 2 + 1]];
    const candidates: Vector[] = [all, [0, 0]];
    const errors = candidates.map(([dx, dy], k) => difference(a, b, cx, cy, dx, dy, k === 0 ? growth : null));
    const simple = Math.min(...errors);
    const contrast = deviation(a, cx, cy);
    for (const v of [near, reliable[n] === 1 ? own : null]) {
      if (!v || !movedBefore(prior, v, n, grid)) continue;
      const e = difference(a, b, cx, cy, v[0], v[1]);
      if (!(e < BELIEVED * simple && e < OWN * contrast)) continue;
      candidates.push(v);
      errors.push(e);
    }
    const least = Math.min(...errors);
    let chosen = candidates[errors.findIndex((e) => e <= least * SIMPLER + NEARLY)];
    const unexplained = texture[n] >= PLAIN && least > UNEXPLAINED * contrast;
    if (unexplained) {
      // flicker, noise, or something that came between: seen along the motion of what is around it
      chosen = errors[1] < STANDS_STILL * errors[0] ? [0, 0] : all;
      if (found[n] < ELSEWHERE * least) lost[n] = 1;
    }
    out.set(chosen, n * 2);
  }
  return { blocks: out, lost };
}

/**
 * Did anything move like this where it comes from? What jumps once and stands before and after is no motion: it is seen to
 * jump.
 */
function movedBefore(prior: Float64Array | null, [dx, dy]: Vector, n: number, { columns, rows }: Grid): boolean {
  if (!prior) return true;
  const [x, y] = [Math.round((n % columns) - dx / BLOCK), Math.round(Math.floor(n / columns) - dy / BLOCK)];
  if (x < 1 || y < 1 || x >= columns - 1 || y >= rows - 1) return true;
  for (let j = y - 1; j <= y + 1; j++)
    for (let i = x - 1; i <= x + 1; i++) {
      const m = (j * columns + i) * 2;
      const apart = Math.abs(prior[m] - dx) + Math.abs(prior[m + 1] - dy);
      if (apart < INERT + INERT_SHARE * (Math.abs(dx) + Math.abs(dy))) return true;
    }
  return false;
}

type Vector = [number, number];
type Growth = [number, number, number, number];

/** Neighbours that must move alike for a block not to be taken for a wrong match, and how much alike, pixels. */
const COMPANY = 2;
const ALIKE = 0.5;

/** Gives blocks that move like hardly any of their neighbours the median motion of those. */
function followTheCrowd(chosen: Float64Array, { columns, rows, count }: Grid): void {
  const before = chosen.slice();
  const known = new Uint8Array(count).fill(1);
  for (let n = 0; n < count; n++) {
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
): Vector | null {
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
  const middle = (values: number[]): number => values.sort((p, q) => p - q)[values.length >> 1];
  return [middle(xs), middle(ys)];
}

/** Standard deviation of a block and its surroundings. */
function deviation(a: FlowLevel, cx: number, cy: number): number {
  let [sum, square, count] = [0, 0, 0];
  for (let y = Math.max(0, cy - 5); y <= Math.min(a.height - 1, cy + 5); y++)
    for (let x = Math.max(0, cx - 5); x <= Math.min(a.width - 1, cx + 5); x++, count++) {
      const v = a.plane[y * a.width + x];
      sum += v;
      square += v * v;
    }
  return Math.sqrt(Math.max(0, square / count - (sum / count) ** 2));
}

/** Vectors of blocks to vectors of pixels, bilinear between the blocks' middles. */
function dense(blocks: Float64Array, { columns, rows }: Grid, width: number, height: number): Float32Array {
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
        const [p, q] = [y0 * columns * 2 + c, y1 * columns * 2 + c];
        const top = blocks[p + x0 * 2] + (blocks[p + x1 * 2] - blocks[p + x0 * 2]) * fx;
        const bottom = blocks[q + x0 * 2] + (blocks[q + x1 * 2] - blocks[q + x0 * 2]) * fx;
        out[(y * width + x) * 2 + c] = top + (bottom - top) * fy;
      }
    }
  }
  return out;
}
