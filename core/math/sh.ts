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

/** Irradiance (rgb) for a unit normal, never below zero. @param sh 27 numbers from `projectIrradiance` */
export function irradianceAt(sh: Float32Array, x: number, y: number, z: number, out: Float64Array): void {
  const q1 = C1 * y;
  const q2 = C1 * z;
  const q3 = C1 * x;
  const q4 = C2 * x * y;
  const q5 = C2 * y * z;
  const q6 = C3 * (3 * z * z - 1);
  const q7 = C2 * x * z;
  const q8 = C4 * (x * x - y * y);
  const e0 =
    sh[0] * C0 + sh[1] * q1 + sh[2] * q2 + sh[3] * q3 + sh[4] * q4 + sh[5] * q5 + sh[6] * q6 + sh[7] * q7 + sh[8] * q8;
  const e1 =
    sh[9] * C0 +
    sh[10] * q1 +
    sh[11] * q2 +
    sh[12] * q3 +
    sh[13] * q4 +
    sh[14] * q5 +
    sh[15] * q6 +
    sh[16] * q7 +
    sh[17] * q8;
  const e2 =
    sh[18] * C0 +
    sh[19] * q1 +
    sh[20] * q2 +
    sh[21] * q3 +
    sh[22] * q4 +
    sh[23] * q5 +
    sh[24] * q6 +
    sh[25] * q7 +
    sh[26] * q8;
  out[0] = e0 > 0 ? e0 : 0;
  out[1] = e1 > 0 ? e1 : 0;
  out[2] = e2 > 0 ? e2 : 0;
}
