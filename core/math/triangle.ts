/**
 * Cross product of a triangle's edges from its first corner: along its front's normal, twice as long as its area.
 * @param a, b, c where in `P` the corners' xyz begin
 */
export function edgeCross(P: Float32Array, a: number, b: number, c: number, out: Float64Array): void {
  const ux = P[b] - P[a];
  const uy = P[b + 1] - P[a + 1];
  const uz = P[b + 2] - P[a + 2];
  const vx = P[c] - P[a];
  const vy = P[c + 1] - P[a + 1];
  const vz = P[c + 2] - P[a + 2];
  out[0] = uy * vz - uz * vy;
  out[1] = uz * vx - ux * vz;
  out[2] = ux * vy - uy * vx;
}

/** Its length. */
export function crossLength(cross: Float64Array): number {
  return Math.sqrt(cross[0] * cross[0] + cross[1] * cross[1] + cross[2] * cross[2]);
}
