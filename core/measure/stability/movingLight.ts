/**
 * Highlights and shadow edges that pass over surfaces make every point flash once, and are no fault. What the fast
 * filter answers then moves from frame to frame as a whole, where grain, boil and sparkle come anew. Edges that crawl
 * move too, but are narrow: only soft answers count as light.
 */
import { REGION } from './kinds';
import { onOutline } from './track';

/** Side of the blocks whose means are compared, pixels. */
const BLOCK = 4;
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
  /** Means of blocks of the blurred answer. */
  blocks: Float32Array;
  /** 1 a region of which the answer is soft. */
  soft: Uint8Array;
  /** Square of the blurred answer, summed over each region. */
  energy: Float64Array;
}

/**
 * @param contrast answer of the fast filter over the adaptation
 * @param smooth the same, blurred
 * @param ids what is drawn at each pixel, or null
 */
export function softAnswer(
  contrast: Float32Array,
  smooth: Float32Array,
  ids: ArrayLike<number> | null,
  width: number,
  height: number,
): SoftAnswer {
  const [w, h] = [Math.ceil(width / BLOCK), Math.ceil(height / BLOCK)];
  const blocks = new Float32Array(w * h);
  const across = Math.ceil(width / REGION);
  const regions = across * Math.ceil(height / REGION);
  const [raw, blurred, outlined] = [new Float64Array(regions), new Float64Array(regions), new Float64Array(regions)];
  for (let y = 0; y < height; y++) {
    const row = Math.floor(y / REGION) * across;
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      blocks[(y >> 2) * w + (x >> 2)] += smooth[i] / (BLOCK * BLOCK);
      const n = row + Math.floor(x / REGION);
      const square = contrast[i] * contrast[i];
      raw[n] += square;
      if (ids && square > 0 && onOutline(ids, width, height, x, y)) outlined[n] += square;
      blurred[n] += smooth[i] * smooth[i];
    }
  }
  const soft = Uint8Array.from({ length: regions }, (_, n) =>
    // light passes over things: what sits on their outlines is how they are drawn
    blurred[n] > SOFT * SOFT * raw[n] && outlined[n] < ON_OUTLINES * raw[n] ? 1 : 0,
  );
  return { width: w, height: h, blocks, soft, energy: blurred };
}

/**
 * Marks the regions whose soft answer moves as a whole from one frame to the next.
 * @param sure 1 a region whose flicker is visible even if its vectors are a little wrong: wrong ones feign motion too
 */
export function movingLight(before: SoftAnswer, after: SoftAnswer, sure: Uint8Array): Uint8Array {
  const { width } = before;
  const across = Math.ceil(width / CELLS);
  const explained = Float64Array.from(before.soft, (soft, n) => {
    if (soft === 0 || after.soft[n] === 0 || sure[n] === 0) return 0;
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
    return lit.some((m) => e > BESIDE || before.energy[n] < SPILL * before.energy[m]) ? 1 : 0;
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
