/** Real spherical harmonics up to the second order (nine coefficients), y up. */

const C0 = 0.28209479177387814;
const C1 = 0.4886025119029199;
const C2 = 1.0925484305920792;
const C3 = 0.31539156525252005;
const C4 = 0.5462742152960396;

/** Writes the nine basis functions at a unit direction. */
export function shBasis(x: number, y: number, z: number, out: Float64Array): void {
  out[0] = C0;
  out[1] = C1 * y;
  out[2] = C1 * z;
  out[3] = C1 * x;
  out[4] = C2 * x * y;
  out[5] = C2 * y * z;
  out[6] = C3 * (3 * z * z - 1);
  out[7] = C2 * x * z;
  out[8] = C4 * (x * x - y * y);
}

/**
 * Projects radiance and folds in the clamped cosine, so that evaluating the result gives irradiance.
 * Ramamoorthi & Hanrahan 2001, An Efficient Representation for Irradiance Environment Maps.
 * @param radiance called with a unit direction, writes rgb
 * @param side samples per axis of an equal-area grid over the sphere
 * @returns 27 numbers: nine coefficients of r, then g, then b; irradiance in the unit of radiance · sr
 */
export function projectIrradiance(
  radiance: (x: number, y: number, z: number, out: Float64Array) => void,
  side: number,
  direction: (u: number, v: number, out: Float64Array) => void,
): Float32Array {
  const sums = new Float64Array(27);
  const basis = new Float64Array(9);
  const rgb = new Float64Array(3);
  const d = new Float64Array(3);
  for (let j = 0; j < side; j++) {
    for (let i = 0; i < side; i++) {
      direction((i + 0.5) / side, (j + 0.5) / side, d);
      radiance(d[0], d[1], d[2], rgb);
      shBasis(d[0], d[1], d[2], basis);
      for (let c = 0; c < 3; c++) for (let k = 0; k < 9; k++) sums[c * 9 + k] += basis[k] * rgb[c];
    }
  }
  const weight = (4 * Math.PI) / (side * side);
  const out = new Float32Array(27);
  for (let c = 0; c < 3; c++) {
    for (let k = 0; k < 9; k++) {
      const band = k === 0 ? Math.PI : k < 4 ? (2 * Math.PI) / 3 : Math.PI / 4;
      out[c * 9 + k] = sums[c * 9 + k] * weight * band;
    }
  }
  return out;
}
