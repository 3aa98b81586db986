/**
 * Highlights and shadow edges that pass over surfaces make every point flash once, and are no fault. What the fast
 * filter answers then moves from frame to frame as a whole, where grain, boil and sparkle come anew. Edges that crawl
 * move too, but are narrow: only soft answers count as light.
 */
import { BLOCK } from './flicker';
import { REGION, type RegionSums } from './regions';

const CELLS = REGION / BLOCK;
/** Farthest motion sought between two frames, blocks; half blocks are tried. */
const REACH = 3;
/** Share of two answers that one motion has to explain; beside a region where it does, less will do. */
const EXPLAINED = 0.65;
const BESIDE = 0.35;
/** By so much a motion has to explain more than none: what stays where it is does not move. */
const MOVES = 0.1;
/** A region whose answer has less than this share of its neighbour's has none of its own. */
const SPILL = 0.1;
/** Blurred answer over the answer itself: below this it is too narrow to be told from a crawling edge. */
const SOFT = 0.3;
const ON_OUTLINES = 0.5;

/** What one frame's answer looks like from afar. */
export interface SoftAnswer {
  width: number;
  height: number;
  /** Means of blocks of the blurred answer, and how many a row and a column have. */
  blocks: Float32Array;
  /** What it comes to in each region. */
  sums: RegionSums;
}

/** Is a region's answer soft? */
function isSoft({ square, blurred, onOutlines }: RegionSums, n: number): boolean {
  // light passes over things: what sits on their outlines is how they are drawn
  return blurred[n] > SOFT * SOFT * square[n] && onOutlines[n] < ON_OUTLINES * square[n];
}

/** Marks with 1 the regions whose soft answer moves as a whole from one frame to the next. */
export function movingLight(before: SoftAnswer, after: SoftAnswer): Uint8Array {
  const { width, sums } = before;
  const { across } = sums;
  const explained = sums.surest.map((surest, n) => {
    // wrong vectors feign motion too: what is not visible without them does not count
    if (!(surest > 1) || !isSoft(sums, n) || !isSoft(after.sums, n)) return 0;
    const x0 = (n % across) * CELLS;
    const y0 = Math.floor(n / across) * CELLS;
    // a strip along the border is too little to tell
    if (width - x0 < CELLS / 2 || before.height - y0 < CELLS / 2) return 0;
    let best = 0;
    for (let dy = -REACH; dy <= REACH; dy += 0.5)
      for (let dx = -REACH; dx <= REACH; dx += 0.5)
        if (dx !== 0 || dy !== 0) best = Math.max(best, likeness(before, after, x0, y0, dx, dy));
    return best > likeness(before, after, x0, y0, 0, 0) + MOVES ? best : 0;
  });
  return Uint8Array.from(explained, (e, n) => {
    if (e > EXPLAINED) return 1;
    const x = n % across;
    const near = [x > 0 ? n - 1 : n, x + 1 < across ? n + 1 : n, n - across, n + across];
    const lit = near.filter((m) => explained[m] > EXPLAINED);
    // what is visible in a far weaker region has spilled over from next door, where it was pooled
    return lit.some((m) => e > BESIDE || sums.blurred[n] < SPILL * sums.blurred[m]) ? 1 : 0;
  });
}

/** 1 when the region of one, moved, is the other; 0 when they have nothing in common. */
function likeness(a: SoftAnswer, b: SoftAnswer, x0: number, y0: number, dx: number, dy: number): number {
  const { width, height } = a;
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)];
  const [fx, fy] = [dx - ix, dy - iy];
  const at = (x: number, y: number): number =>
    b.blocks[Math.min(height - 1, Math.max(0, y)) * width + Math.min(width - 1, Math.max(0, x))];
  let [both, sum] = [0, 0];
  for (let y = y0; y < Math.min(height, y0 + CELLS); y++)
    for (let x = x0; x < Math.min(width, x0 + CELLS); x++) {
      const [bx, by] = [x + ix, y + iy];
      const top = at(bx, by) + (fx > 0 ? (at(bx + 1, by) - at(bx, by)) * fx : 0);
      const bottom = fy > 0 ? at(bx, by + 1) + (fx > 0 ? (at(bx + 1, by + 1) - at(bx, by + 1)) * fx : 0) : top;
      const v = top + (bottom - top) * fy;
      const u = a.blocks[y * width + x];
      both += u * v;
      sum += u * u + v * v;
    }
  return sum > 0 ? (2 * both) / sum : 0;
}
