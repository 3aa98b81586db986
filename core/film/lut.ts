/** Look-up tables of colour, for looking at a picture as it will be graded. They change no file. */

export interface Lut {
  name: string;
  kind: '1D' | '3D';
  /** Entries along a side. */
  size: number;
  /** Input that the first and the last entry stand for, per colour. */
  domain: { min: readonly [number, number, number]; max: readonly [number, number, number] };
  /** rgb an entry, red fastest. */
  table: Float32Array;
}

const at = new Float64Array(3);
const share = new Float64Array(3);
const index = new Int32Array(3);

const rgb = new Float64Array(3);

/**
 * Takes display codes through a table.
 * @param codes rgba, 0…255
 */
export function applyLut(codes: Uint8ClampedArray, lut: Lut): Uint8ClampedArray<ArrayBuffer> {
  const out = new Uint8ClampedArray(codes.length);
  for (let i = 0; i < codes.length; i += 4) {
    throughLut(lut, codes[i] / 255, codes[i + 1] / 255, codes[i + 2] / 255, rgb);
    for (let c = 0; c < 3; c++) out[i + c] = rgb[c] * 255;
    out[i + 3] = codes[i + 3];
  }
  return out;
}

/**
 * One colour through a table: a line between entries of one, a tetrahedron between those of a cube
 * (Kasson, Nin, Plouffe & Hafner 1995, Performing Color Space Conversions with Three-Dimensional Linear Interpolation).
 * @param r display code, 0…1; likewise `g` and `b`
 */
export function throughLut(lut: Lut, r: number, g: number, b: number, out: Float64Array): void {
  const { size, domain, table, kind } = lut;
  at[0] = r;
  at[1] = g;
  at[2] = b;
  for (let c = 0; c < 3; c++) {
    const span = domain.max[c] - domain.min[c];
    const p = ((at[c] - domain.min[c]) / span) * (size - 1);
    at[c] = p < 0 ? 0 : p > size - 1 ? size - 1 : p;
    index[c] = Math.min(size - 2, Math.floor(at[c]));
    share[c] = at[c] - index[c];
  }
  if (kind === '1D') {
    for (let c = 0; c < 3; c++) {
      const low = table[index[c] * 3 + c];
      out[c] = low + (table[(index[c] + 1) * 3 + c] - low) * share[c];
    }
  } else inCube(table, size, out);
}

/** From the near corner to the far one, along the colours in the order of their shares. */
function inCube(table: Float32Array, size: number, rgb: Float64Array): void {
  const steps = [3, size * 3, size * size * 3];
  const near = index[0] * steps[0] + index[1] * steps[1] + index[2] * steps[2];
  const first = share[0] >= share[1] ? (share[0] >= share[2] ? 0 : 2) : share[1] >= share[2] ? 1 : 2;
  const last = share[0] < share[1] ? (share[0] < share[2] ? 0 : 2) : share[1] < share[2] ? 1 : 2;
  const middle = 3 - first - last;
  const a = near + steps[first];
  const b = a + steps[middle];
  const far = near + steps[0] + steps[1] + steps[2];
  for (let c = 0; c < 3; c++)
    rgb[c] =
      table[near + c] * (1 - share[first]) +
      table[a + c] * (share[first] - share[middle]) +
      table[b + c] * (share[middle] - share[last]) +
      table[far + c] * share[last];
}
