/** Vertices to homogeneous pixel coordinates. */

/**
 * clip[v] = matrix · (position, 1) as X, Y, Z, W; pixel position is (X/W, Y/W), depth Z/W (1 near, 0 far).
 * @param matrix row-wise 4×4, see `worldToPixels`
 * @param positions xyz per vertex, world space
 * @param clip four numbers a vertex are written for vertices `from` … `to − 1`
 */
export function transformVertices(
  matrix: Float64Array,
  positions: Float32Array,
  clip: Float32Array,
  from: number,
  to: number,
): void {
  const [a0, a1, a2, a3, b0, b1, b2, b3, c0, c1, c2, c3, d0, d1, d2, d3] = matrix;
  for (let v = from; v < to; v++) {
    const x = positions[v * 3];
    const y = positions[v * 3 + 1];
    const z = positions[v * 3 + 2];
    const o = v * 4;
    clip[o] = a0 * x + a1 * y + a2 * z + a3;
    clip[o + 1] = b0 * x + b1 * y + b2 * z + b3;
    clip[o + 2] = c0 * x + c1 * y + c2 * z + c3;
    clip[o + 3] = d0 * x + d1 * y + d2 * z + d3;
  }
}
