/** 4×4 matrices as 16 numbers, column-major as in glTF: element (row, column) at index column · 4 + row. */

export type Mat4 = Float64Array;

export function identity(): Mat4 {
  const m = new Float64Array(16);
  m[0] = m[5] = m[10] = m[15] = 1;
  return m;
}

/** out = a · b; `out` may be neither. */
export function multiply(a: ArrayLike<number>, b: ArrayLike<number>, out: Mat4 = new Float64Array(16)): Mat4 {
  for (let c = 0; c < 4; c++) {
    for (let r = 0; r < 4; r++) {
      out[c * 4 + r] = a[r] * b[c * 4] + a[4 + r] * b[c * 4 + 1] + a[8 + r] * b[c * 4 + 2] + a[12 + r] * b[c * 4 + 3];
    }
  }
  return out;
}

/** Matrix of translation t · rotation q (unit quaternion xyzw) · scale s. */
export function fromTrs(t: ArrayLike<number>, q: ArrayLike<number>, s: ArrayLike<number>): Mat4 {
  const [x, y, z, w] = [q[0], q[1], q[2], q[3]];
  const m = new Float64Array(16);
  m[0] = (1 - 2 * (y * y + z * z)) * s[0];
  m[1] = 2 * (x * y + z * w) * s[0];
  m[2] = 2 * (x * z - y * w) * s[0];
  m[4] = 2 * (x * y - z * w) * s[1];
  m[5] = (1 - 2 * (x * x + z * z)) * s[1];
  m[6] = 2 * (y * z + x * w) * s[1];
  m[8] = 2 * (x * z + y * w) * s[2];
  m[9] = 2 * (y * z - x * w) * s[2];
  m[10] = (1 - 2 * (x * x + y * y)) * s[2];
  m[12] = t[0];
  m[13] = t[1];
  m[14] = t[2];
  m[15] = 1;
  return m;
}

/** Inverse of an affine matrix. @throws RangeError when it is singular */
export function invertAffine(m: ArrayLike<number>): Mat4 {
  const n = cofactors3(m);
  const det = m[0] * n[0] + m[1] * n[1] + m[2] * n[2];
  if (!(Math.abs(det) > 0)) throw new RangeError('invertAffine: the matrix is singular');
  const out = new Float64Array(16);
  for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) out[c * 4 + r] = n[r * 3 + c] / det;
  for (let r = 0; r < 3; r++) out[12 + r] = -(out[r] * m[12] + out[4 + r] * m[13] + out[8 + r] * m[14]);
  out[15] = 1;
  return out;
}

/**
 * Cofactors of the upper 3×3 block, column-major: they carry normals into the transformed space
 * (up to length) also under non-uniform and mirrored scale.
 */
export function cofactors3(m: ArrayLike<number>): Float64Array {
  return Float64Array.of(
    m[5] * m[10] - m[6] * m[9],
    m[6] * m[8] - m[4] * m[10],
    m[4] * m[9] - m[5] * m[8],
    m[2] * m[9] - m[1] * m[10],
    m[0] * m[10] - m[2] * m[8],
    m[1] * m[8] - m[0] * m[9],
    m[1] * m[6] - m[2] * m[5],
    m[2] * m[4] - m[0] * m[6],
    m[0] * m[5] - m[1] * m[4],
  );
}

/** Camera-to-world matrix of an eye that looks at a target along its −Z axis. */
export function lookAt(eye: ArrayLike<number>, target: ArrayLike<number>, up: ArrayLike<number> = [0, 1, 0]): Mat4 {
  const back = unit([eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]]);
  let right = cross(up, back);
  if (length(right) < 1e-9) right = cross([0, 0, 1], back);
  if (length(right) < 1e-9) right = [1, 0, 0];
  right = unit(right);
  const top = cross(back, right);
  return Float64Array.of(...right, 0, ...top, 0, ...back, 0, eye[0], eye[1], eye[2], 1);
}

export function cross(a: ArrayLike<number>, b: ArrayLike<number>): number[] {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
}

export function dot(a: ArrayLike<number>, b: ArrayLike<number>): number {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

export function length(a: ArrayLike<number>): number {
  return Math.sqrt(dot(a, a));
}

/** The vector scaled to length 1; a zero vector stays zero. */
export function unit(a: ArrayLike<number>): number[] {
  const l = length(a) || 1;
  return [a[0] / l, a[1] / l, a[2] / l];
}

export function transformPoint(m: ArrayLike<number>, p: ArrayLike<number>): number[] {
  return [0, 1, 2].map((r) => m[r] * p[0] + m[4 + r] * p[1] + m[8 + r] * p[2] + m[12 + r]);
}
