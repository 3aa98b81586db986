/** FLIP by the compiled loops: everything stays in their memory from the pictures to the map. See `flip`. */
import { createKernelKeeper } from '@daxel/kernel/load';
import { STRIP } from './blur';
import { featureKernels, sensitivityKernels } from './flipModel';

/** Larger pictures are left to the plain twin: twenty planes must find room. */
const MOST_PIXELS = 4_000_000;
/** Memory larger than this is not kept for the next pair. */
const MOST_KEPT = 128 * 2 ** 20;
/** Numbers that the loops touch behind the end of a plane. */
const BEHIND = 16;
/** Weights of two kernels at most. */
const WEIGHTS = 1024;

/** Planes of the memory, by number. */
const RGB = 0;
const OPPONENT = 3;
/** Once the opponents are filtered. */
const SMOOTHED = OPPONENT;
const SEEN_A = 6;
const SEEN_B = 9;
const OTHER = 12;
const EDGE_A = 13;
const POINT_A = 14;
const EDGE_B = 15;
const POINT_B = 16;
const OUT = 17;
const PLANES = 18;

const keeper = createKernelKeeper(MOST_KEPT);

/** @param largest colour difference that counts as 1 @returns null where the loops cannot be had, or not for this size */
export function compiledFlip(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  ppd: number,
  largest: number,
): Float32Array | null {
  const count = width * height;
  if (count > MOST_PIXELS) return null;
  const stride = Math.ceil((count + BEHIND) / 16) * 16;
  const lineAt = PLANES * stride;
  const weightsAt = lineAt + width + WEIGHTS + BEHIND;
  const stripsAt = weightsAt + WEIGHTS;
  const seen = sensitivityKernels(ppd);
  const { smooth, edge, point } = featureKernels(ppd);
  const longest = Math.max(smooth.length, ...seen.flat().map(({ kernel }) => kernel.length));
  const bytes = (stripsAt + (STRIP + longest) * width + BEHIND) * 4;
  const kept = keeper(bytes);
  if (!kept) return null;
  const { memory, loops } = kept;
  const all = new Float32Array(memory.buffer);
  const at = (plane: number): number => plane * stride * 4;
  const weigh = (weights: Float64Array, before = 0): number => {
    all.set(weights, weightsAt + before);
    return (weights.length - 1) / 2;
  };
  const rows = (from: number, to: number, weights: Float64Array): void =>
    loops.filterRows(at(from), at(to), width, height, weightsAt * 4, weigh(weights), lineAt * 4);
  const columns = (from: number, to: number, weights: Float64Array): void =>
    loops.filterColumns(at(from), at(to), width, height, weightsAt * 4, weigh(weights), 0, height);
  const both = (from: number, to: number, across: Float64Array, down: Float64Array): void => {
    const radii = [weigh(across), weigh(down, across.length)] as const;
    loops.filterBoth(at(from), at(to), width, height, weightsAt * 4, ...radii, 0, height, lineAt * 4, stripsAt * 4);
  };

  for (const [picture, to, edges, points] of [
    [a, SEEN_A, EDGE_A, POINT_A],
    [b, SEEN_B, EDGE_B, POINT_B],
  ] as const) {
    all.set(picture, 0);
    loops.flipOpponents(at(RGB), count, at(OPPONENT), at(OPPONENT + 1), at(OPPONENT + 2));
    seen.forEach((kernels, c) => {
      kernels.forEach(({ kernel, share }, k) => {
        both(OPPONENT + c, k === 0 ? to + c : OTHER, kernel, kernel);
        if (k > 0) loops.mixPlanes(at(to + c), at(OTHER), count, kernels[0].share, share);
      });
    });
    // the pictures are done with: light takes the place of the first plane
    loops.scalePlane(at(OPPONENT), count, 1 / 116, 16 / 116, at(RGB));
    rows(RGB, SMOOTHED, smooth);
    for (const [kernel, strength] of [
      [edge, edges],
      [point, points],
    ] as const) {
      both(RGB, strength, kernel, smooth);
      columns(SMOOTHED, OTHER, kernel);
      loops.lengths(at(strength), at(OTHER), count);
    }
  }
  loops.flipColors(at(SEEN_A), at(SEEN_B), stride * 4, count, largest, at(OUT));
  loops.flipTogether(at(OUT), at(EDGE_A), at(EDGE_B), at(POINT_A), at(POINT_B), count);
  return new Float32Array(all.subarray(OUT * stride, OUT * stride + count));
}
