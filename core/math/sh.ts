/**
 * Real spherical harmonics for irradiance, y up: bands 0, 1, 2 and 4. The cosine lobe has no third band, and with the
 * fourth what is left out is below a hundredth of any sky's irradiance (Ramamoorthi & Hanrahan 2001, An Efficient
 * Representation for Irradiance Environment Maps, stop at the second).
 */

export const SH_TERMS = 18;
/** What makes each term's square one over the sphere. */
export const SH_FACTORS = Float64Array.of(
  0.28209479177387814,
  ...[0.4886025119029199, 0.4886025119029199, 0.4886025119029199],
  ...[1.0925484305920792, 1.0925484305920792, 0.31539156525252005, 1.0925484305920792, 0.5462742152960396],
  ...[2.5033429417967046, 1.7701307697799304, 0.9461746957575601, 0.6690465435572892, 0.10578554691520431],
  ...[0.6690465435572892, 0.47308734787878004, 1.7701307697799304, 0.6258357354491761],
);
/** Weight of each band in a cosine lobe: π, 2π/3, π/4, −π/24. */
const COSINE = Float64Array.from({ length: SH_TERMS }, (_, k) =>
  k === 0 ? Math.PI : k < 4 ? (2 * Math.PI) / 3 : k < 9 ? Math.PI / 4 : -Math.PI / 24,
);

/** Writes the eighteen basis functions at a unit direction. */
export function shBasis(x: number, y: number, z: number, out: Float64Array): void {
  const xx = x * x;
  const yy = y * y;
  const zz = z * z;
  out[0] = 1;
  out[1] = y;
  out[2] = z;
  out[3] = x;
  out[4] = x * y;
  out[5] = y * z;
  out[6] = 3 * zz - 1;
  out[7] = x * z;
  out[8] = xx - yy;
  out[9] = x * y * (xx - yy);
  out[10] = y * z * (3 * xx - yy);
  out[11] = x * y * (7 * zz - 1);
  out[12] = y * z * (7 * zz - 3);
  out[13] = 35 * zz * zz - 30 * zz + 3;
  out[14] = x * z * (7 * zz - 3);
  out[15] = (xx - yy) * (7 * zz - 1);
  out[16] = x * z * (xx - 3 * yy);
  out[17] = xx * (xx - 3 * yy) - yy * (3 * xx - yy);
  for (let k = 0; k < SH_TERMS; k++) out[k] *= SH_FACTORS[k];
}

/**
 * Projects radiance and folds in the clamped cosine, so that evaluating the result gives irradiance.
 * @param radiance called with a unit direction, writes rgb
 * @param side samples per axis of an equal-area grid over the sphere
 * @returns SH_TERMS coefficients of r, then g, then b; irradiance in the unit of radiance · sr
 */
export function projectIrradiance(
  radiance: (x: number, y: number, z: number, out: Float64Array) => void,
  side: number,
  direction: (u: number, v: number, out: Float64Array) => void,
): Float32Array {
  const sums = new Float64Array(SH_TERMS * 3);
  const rgb = new Float64Array(3);
  const d = new Float64Array(3);
  for (let j = 0; j < side; j++) {
    for (let i = 0; i < side; i++) {
      direction((i + 0.5) / side, (j + 0.5) / side, d);
      radiance(d[0], d[1], d[2], rgb);
      shBasis(d[0], d[1], d[2], basis);
      for (let c = 0; c < 3; c++) for (let k = 0; k < SH_TERMS; k++) sums[c * SH_TERMS + k] += basis[k] * rgb[c];
    }
  }
  const weight = (4 * Math.PI) / (side * side);
  return Float32Array.from(sums, (sum, i) => sum * weight * COSINE[i % SH_TERMS]);
}

const basis = new Float64Array(SH_TERMS);

/** Irradiance (rgb) for a unit normal, never below zero. @param sh numbers from `projectIrradiance` */
export function irradianceAt(sh: Float32Array, x: number, y: number, z: number, out: Float64Array): void {
  shBasis(x, y, z, basis);
  let r = 0;
  let g = 0;
  let b = 0;
  for (let k = 0; k < SH_TERMS; k++) {
    const f = basis[k];
    r += sh[k] * f;
    g += sh[SH_TERMS + k] * f;
    b += sh[2 * SH_TERMS + k] * f;
  }
  out[0] = r > 0 ? r : 0;
  out[1] = g > 0 ? g : 0;
  out[2] = b > 0 ? b : 0;
}
