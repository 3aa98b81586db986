/** Separable filters over planes of one number a pixel; beyond the border the last pixel goes on. */
import { createKernelKeeper, kernelsInUse } from '@daxel/kernel/load';
import { exp } from '../math/exact';

/** Filters planes of one size, by the compiled loops where they can be had. */
export interface PlaneFilter {
  /** @param weights from −r to r @returns a new plane */
  rows(plane: Float32Array, weights: ArrayLike<number>): Float32Array;
  columns(plane: Float32Array, weights: ArrayLike<number>): Float32Array;
  /** Across with the one, then down with the other. */
  both(plane: Float32Array, across: ArrayLike<number>, down: ArrayLike<number>): Float32Array;
}

export function planeFilter(width: number, height: number): PlaneFilter {
  return (kernelsInUse() ? compiledFilter(width, height) : null) ?? plainFilter(width, height);
}

/** The plain twin: sums in doubles. */
export function plainFilter(width: number, height: number): PlaneFilter {
  const plain: PlaneFilter = {
    both: (plane, across, down) => plain.columns(plain.rows(plane, across), down),
    rows(plane, weights) {
      const r = (weights.length - 1) / 2;
      const out = new Float32Array(plane.length);
      for (let y = 0; y < height; y++) {
        const at = y * width;
        for (let x = 0; x < width; x++) {
          let sum = 0;
          for (let k = -r; k <= r; k++) {
            const q = x + k;
            sum += plane[at + (q < 0 ? 0 : q >= width ? width - 1 : q)] * weights[k + r];
          }
          out[at + x] = sum;
        }
      }
      return out;
    },
    columns(plane, weights) {
      const r = (weights.length - 1) / 2;
      const out = new Float32Array(plane.length);
      const sums = new Float64Array(width);
      for (let y = 0; y < height; y++) {
        sums.fill(0);
        for (let k = -r; k <= r; k++) {
          const q = y + k;
          const from = (q < 0 ? 0 : q >= height ? height - 1 : q) * width;
          const w = weights[k + r];
          for (let x = 0; x < width; x++) sums[x] += plane[from + x] * w;
        }
        out.set(sums, y * width);
      }
      return out;
    },
  };
  return plain;
}

/** Largest radius, pixels. */
const MOST = 256;
/** Numbers that the loops touch behind the end of a plane. */
const BEHIND = 16;
/** Rows that `filterBoth` works on at once. */
export const STRIP = 32;
const keeper = createKernelKeeper();

/**
 * Sums in 32 bits: within 1e-5 of the plain twin, as a share of the largest value under the filter.
 * @returns null where there are no compiled loops
 */
export function compiledFilter(width: number, height: number): PlaneFilter | null {
  const plane = width * height + BEHIND;
  const lineAt = 2 * plane;
  const weightsAt = lineAt + width + 2 * MOST + 2 * BEHIND;
  // what stands between rows and columns, for those who want both
  const stripAt = weightsAt + 2 * (2 * MOST + 1) + BEHIND;
  const kept = keeper((stripAt + (STRIP + 2 * MOST + 1) * width + BEHIND) * 4);
  if (!kept) return null;
  const { memory, loops } = kept;
  const all = new Float32Array(memory.buffer);
  const through = (
    source: Float32Array,
    weights: readonly ArrayLike<number>[],
    run: (radii: number[]) => void,
  ): Float32Array => {
    if (weights.some((w) => w.length > 2 * MOST + 1))
      throw new RangeError(`a filter has at most ${2 * MOST + 1} weights`);
    all.set(source, 0);
    let at = weightsAt;
    for (const w of weights) {
      all.set(w, at);
      at += w.length;
    }
    run(weights.map((w) => (w.length - 1) / 2));
    return new Float32Array(all.subarray(plane, plane + source.length));
  };
  const out = plane * 4;
  const [w, line] = [weightsAt * 4, lineAt * 4];
  return {
    rows: (source, weights) => through(source, [weights], ([r]) => loops.filterRows(0, out, width, height, w, r, line)),
    columns: (source, weights) =>
      through(source, [weights], ([r]) => loops.filterColumns(0, out, width, height, w, r, 0, height)),
    both: (source, across, down) =>
      through(source, [across, down], ([a, d]) =>
        loops.filterBoth(0, out, width, height, w, a, d, 0, height, line, stripAt * 4),
      ),
  };
}

/** Gaussian weights that add up to one. */
export function gaussianKernel(sigma: number, radius: number): Float64Array {
  const kernel = Float64Array.from({ length: radius * 2 + 1 }, (_, i) =>
    exp(-((i - radius) ** 2) / (2 * sigma * sigma)),
  );
  const sum = kernel.reduce((a, b) => a + b, 0);
  return kernel.map((k) => k / sum);
}
