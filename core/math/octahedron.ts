/** Maps between the unit square and the sphere, y up. */
import { cos, sin } from './exact';

/**
 * Direction of a point of the unit square, equal-area (Clarberg 2008, Fast Equal-Area Mapping of the (Hemi)Sphere
 * using SIMD): a uniform grid over the square samples the sphere uniformly.
 */
export function squareToSphere(u: number, v: number, out: Float64Array): void {
  const a = 2 * u - 1;
  const b = 2 * v - 1;
  const d = 1 - (Math.abs(a) + Math.abs(b));
  const r = 1 - Math.abs(d);
  const phi = r === 0 ? 0 : (Math.PI / 4) * ((Math.abs(b) - Math.abs(a)) / r + 1);
  const f = r * Math.sqrt(2 - r * r);
  out[0] = Math.sign(a) * f * cos(phi);
  out[1] = Math.sign(d) * (1 - r * r);
  out[2] = Math.sign(b) * f * sin(phi);
}

/**
 * Octahedral map of a unit direction to the unit square (Cigolle et al. 2014, Survey of Efficient Representations for
 * Independent Unit Vectors): not equal-area, but without any trigonometry, so it serves the look-up per pixel.
 */
export function octahedralEncode(x: number, y: number, z: number, out: Float64Array): void {
  const s = 1 / (Math.abs(x) + Math.abs(y) + Math.abs(z));
  let a = x * s;
  let b = z * s;
  if (y < 0) {
    const t = a;
    a = (1 - Math.abs(b)) * (a >= 0 ? 1 : -1);
    b = (1 - Math.abs(t)) * (b >= 0 ? 1 : -1);
  }
  out[0] = 0.5 * a + 0.5;
  out[1] = 0.5 * b + 0.5;
}

/** Inverse of {@link octahedralEncode}. */
export function octahedralDecode(u: number, v: number, out: Float64Array): void {
  let a = 2 * u - 1;
  let b = 2 * v - 1;
  const y = 1 - Math.abs(a) - Math.abs(b);
  if (y < 0) {
    const t = a;
    a = (1 - Math.abs(b)) * (a >= 0 ? 1 : -1);
    b = (1 - Math.abs(t)) * (b >= 0 ? 1 : -1);
  }
  const l = Math.sqrt(a * a + y * y + b * b);
  out[0] = a / l;
  out[1] = y / l;
  out[2] = b / l;
}
