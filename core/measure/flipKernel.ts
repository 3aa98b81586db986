/** FLIP by the compiled loops: everything stays in their memory from the pictures to the map. See `flip`. */
import { createKernelKeeper } from '@daxel/kernel/load';
import { STRIP } from './blur';
import { featureKernels, sensitivityKernels, type WeightedKernel } from './flipModel';

/** Larger pictures are left to the plain twin: sixteen planes must find room. */
const MOST_PIXELS = 4_000_000;
/** Memory larger than this is not kept for the next pair. */
const MOST_KEPT = 128 * 2 ** 20;
/** Numbers that the loops touch behind the end of a plane. */
const BEHIND = 16;
/** Weights of three kernels at most. */
const WEIGHTS = 1536;

/** Numbers that differences of colour are worked out in. */
const COLOUR_WORK = 1536;

/** Planes of the memory, by number: first the picture, of three planes' size, which the map takes the place of. */
const RGB = 0;
const OUT = RGB;
const LIGHT = 3;
const SEEN_A = 6;
const SEEN_B = 9;
const EDGE_A = 12;
const POINT_A = 13;
const EDGE_B = 14;
const POINT_B = 15;
const PLANES = 16;

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
  const bytes = (stripsAt + Math.max(COLOUR_WORK, 3 * ((STRIP + longest) * width + BEHIND))) * 4;
  const kept = keeper(bytes);
  if (!kept) return null;
  const { memory, loops } = kept;
  const all = new Float32Array(memory.buffer);
  const at = (plane: number): number => plane * stride * 4;
  /** Lays kernels of one length side by side. @returns their radius */
  const weigh = (...kernels: Float64Array[]): number => {
    kernels.forEach((kernel, k) => all.set(kernel, weightsAt + k * kernel.length));
    return (kernels[0].length - 1) / 2;
  };
  const weights = weightsAt * 4;
  const [line, strips] = [lineAt * 4, stripsAt * 4];
  const blur = (from: number, to: number, kernels: readonly WeightedKernel[]): void => {
    const [first, second] = kernels;
    if (second) {
      const radius = weigh(...sameLength(first.kernel, second.kernel));
      const shares = [first.share, second.share] as const;
      loops.flipBlurs(at(from), at(to), width, height, weights, radius, ...shares, line, strips);
    } else {
      const radius = weigh(first.kernel, first.kernel);
      loops.filterBoth(at(from), at(to), width, height, weights, radius, radius, 0, height, line, strips);
    }
  };

  for (const [picture, to, edges, points] of [
    [a, SEEN_A, EDGE_A, POINT_A],
    [b, SEEN_B, EDGE_B, POINT_B],
  ] as const) {
    all.set(picture, 0);
    loops.flipOpponents(at(RGB), count, at(LIGHT), at(LIGHT + 1), at(LIGHT + 2));
    seen.forEach((kernels, c) => blur(LIGHT + c, to + c, kernels));
    const radius = weigh(smooth, edge, point);
    loops.flipFeatures(at(LIGHT), at(edges), at(points), width, height, weights, radius, line, strips);
  }
  loops.flipColors(at(SEEN_A), at(SEEN_B), stride * 4, count, largest, at(OUT), strips);
  loops.flipTogether(at(OUT), at(EDGE_A), at(EDGE_B), at(POINT_A), at(POINT_B), count);
  return new Float32Array(all.subarray(OUT * stride, OUT * stride + count));
}

/** The shorter one with zeros at its ends. */
function sameLength(a: Float64Array, b: Float64Array): [Float64Array, Float64Array] {
  const length = Math.max(a.length, b.length);
  const padded = (kernel: Float64Array): Float64Array => {
    const out = new Float64Array(length);
    out.set(kernel, (length - kernel.length) / 2);
    return out;
  };
  return [padded(a), padded(b)];
}
