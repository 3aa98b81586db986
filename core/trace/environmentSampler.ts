/** Directions drawn where an environment is bright: by a table of equal pieces of the sphere and their light. */
import { atan2, cos, sin } from '../math/exact';
import { luminance } from '../math/color';
import type { RadianceFunction } from '../light/surroundings/kind';

/**
 * Rows part the sphere evenly in height, columns evenly around, so that all cells span the same solid angle.
 * `rows` and `cells` are running sums of probability: height + 1 numbers, and width + 1 numbers a row.
 */
export interface EnvironmentSampler {
  width: number;
  height: number;
  rows: Float64Array;
  cells: Float64Array;
  /** Luminance over the whole sphere, nit × steradian. */
  total: number;
}

/** Looks a side into each cell. */
const LOOKS = 4;
/** Share of directions drawn evenly, so that no light is missed for being small within its cell. */
const EVEN = 0.05;

export function buildEnvironmentSampler(
  radiance: RadianceFunction,
  width: number,
  height: number,
): EnvironmentSampler | null {
  const light = new Float64Array(width * height);
  const rgb = new Float64Array(3);
  let sum = 0;
  for (let r = 0; r < height; r++) {
    for (let i = 0; i < LOOKS; i++) {
      const y = 1 - (2 * (r + (i + 0.5) / LOOKS)) / height;
      const s = Math.sqrt(1 - y * y);
      for (let c = 0; c < width * LOOKS; c++) {
        const phi = (2 * Math.PI * (c + 0.5)) / (width * LOOKS);
        radiance(s * cos(phi), y, s * sin(phi), rgb);
        const l = Math.max(0, luminance(rgb[0], rgb[1], rgb[2])) / (LOOKS * LOOKS);
        light[r * width + ((c / LOOKS) | 0)] += l;
        sum += l;
      }
    }
  }
  if (!(sum > 0)) return null;
  const rows = new Float64Array(height + 1);
  const cells = new Float64Array(height * (width + 1));
  const even = EVEN / (width * height);
  for (let r = 0; r < height; r++) {
    const at = r * (width + 1);
    for (let c = 0; c < width; c++)
      cells[at + c + 1] = cells[at + c] + ((1 - EVEN) * light[r * width + c]) / sum + even;
    rows[r + 1] = rows[r] + cells[at + width];
  }
  return { width, height, rows, cells, total: (sum * 4 * Math.PI) / (width * height) };
}

/** Draws a direction. @param out xyz and its density per steradian */
export function sampleEnvironment(from: EnvironmentSampler, u: number, v: number, out: Float64Array): void {
  const { width, height, rows, cells } = from;
  const pick = u * rows[height];
  const r = place(rows, 0, height, pick);
  const share = rows[r + 1] - rows[r];
  const fy = (pick - rows[r]) / share;
  const at = r * (width + 1);
  const along = v * share;
  const c = place(cells, at, width, along);
  const cell = cells[at + c + 1] - cells[at + c];
  const fx = (along - cells[at + c]) / cell;
  const y = 1 - (2 * (r + fy)) / height;
  const phi = (2 * Math.PI * (c + fx)) / width;
  const s = Math.sqrt(Math.max(0, 1 - y * y));
  out[0] = s * cos(phi);
  out[1] = y;
  out[2] = s * sin(phi);
  out[3] = (cell * width * height) / (4 * Math.PI);
}

/** Density per steradian with which a direction is drawn. */
export function environmentDensity(from: EnvironmentSampler, x: number, y: number, z: number): number {
  const { width, height, cells } = from;
  const r = Math.min(height - 1, Math.max(0, (((1 - y) * height) / 2) | 0));
  const turn = atan2(z, x) / (2 * Math.PI);
  const c = Math.min(width - 1, ((turn < 0 ? turn + 1 : turn) * width) | 0);
  const at = r * (width + 1) + c;
  return ((cells[at + 1] - cells[at]) * width * height) / (4 * Math.PI);
}

/** Which of `count` pieces of a running sum holds a value. */
export function place(sums: Float64Array, from: number, count: number, value: number): number {
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sums[from + middle + 1] <= value) low = middle + 1;
    else high = middle;
  }
  return low;
}
