/** Sample positions inside and around a pixel. */
import { sobol2 } from '../math/sobol';
import { exp } from '../math/exact';

export type FilterName = 'box' | 'tent' | 'gaussian';

const STEPS = 256;

/** Inverse of the cumulative weight of a filter of unit radius on a regular grid of STEPS + 1 values in 0…1. */
function inverseTable(weight: (x: number) => number): Float64Array {
  const fine = STEPS * 16;
  const sums = new Float64Array(fine + 1);
  for (let i = 0; i < fine; i++) sums[i + 1] = sums[i] + Math.max(0, weight(((i + 0.5) / fine) * 2 - 1));
  const table = new Float64Array(STEPS + 1);
  let k = 0;
  for (let i = 0; i <= STEPS; i++) {
    const target = (i / STEPS) * sums[fine];
    while (k < fine - 1 && sums[k + 1] < target) k++;
    const span = sums[k + 1] - sums[k];
    table[i] = ((k + (span > 0 ? (target - sums[k]) / span : 0)) / fine) * 2 - 1;
  }
  return table;
}

const SHAPES: Record<FilterName, (x: number) => number> = {
  box: () => 1,
  tent: (x) => 1 - Math.abs(x),
  // standard deviation of half the radius, brought to zero at the rim
  gaussian: (x) => exp(-2 * x * x) - exp(-2),
};
const tables = new Map<FilterName, Float64Array>();

/** Inverse of a filter's cumulative weight: STEPS + 1 places of −1 … 1. */
export function filterTable(filter: FilterName): Float64Array {
  let table = tables.get(filter);
  if (!table) {
    table = inverseTable(SHAPES[filter]);
    tables.set(filter, table);
  }
  return table;
}

/**
 * Position of one sample relative to the pixel's corner, by drawing it from the filter (filter importance sampling,
 * Ernst et al. 2006): every sample then has weight one. The same for all pixels of a pass.
 * A single sample lies in the pixel's centre.
 * @param radius half the filter's width in pixels
 * @param out two numbers around 0.5
 */
export function samplePosition(
  sample: number,
  count: number,
  filter: FilterName,
  radius: number,
  seed: number,
  out: Float64Array,
): void {
  if (count === 1) {
    out[0] = out[1] = 0.5;
    return;
  }
  const table = filterTable(filter);
  sobol2(sample, seed, out);
  for (let k = 0; k < 2; k++) {
    const p = out[k] * STEPS;
    const i = p | 0;
    out[k] = 0.5 + radius * (table[i] + (table[i + 1] - table[i]) * (p - i));
  }
}
