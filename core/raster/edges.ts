/**
 * Edge functions of a triangle in homogeneous pixel coordinates.
 *
 * Olano & Greer 1997, Triangle Scan Conversion using 2D Homogeneous Coordinates: with corners v = (X, Y, W), the
 * function E₀(x, y) = (v₁ × v₂) · (x, y, 1) vanishes on the edge opposite to corner 0, and so on. The barycentric
 * coordinates are Eᵢ / ΣE, already perspective-correct, and depth is Σ Eᵢ Zᵢ / det. No clipped corners are needed:
 * what lies behind the near plane has a depth above 1. Two triangles with a common edge get exactly negated functions
 * (products and differences of IEEE numbers are symmetric under exchange), so a sample on it belongs to one of them.
 *
 * What decides about samples are these functions from the corner of a tile on, rounded to 32-bit floats: four samples
 * fit in a vector, still exactly negated, and no more than a few hundred thousandths of a pixel off.
 */

import type { PixelBox } from './tile';

/** Layout: for each of three edges a, b, c (E = a·x + b·y + c), then the same for depth; made positive inside. */
export const EDGES = 12;

/**
 * Writes the twelve numbers of a triangle.
 * @returns the determinant: negative for a front face, 0 when the triangle is seen edge-on
 */
export function triangleEdges(clip: Float32Array, triangles: Uint32Array, triangle: number, out: Float64Array): number {
  const i0 = triangles[triangle * 3] * 4;
  const i1 = triangles[triangle * 3 + 1] * 4;
  const i2 = triangles[triangle * 3 + 2] * 4;
  const x0 = clip[i0];
  const y0 = clip[i0 + 1];
  const w0 = clip[i0 + 3];
  const x1 = clip[i1];
  const y1 = clip[i1 + 1];
  const w1 = clip[i1 + 3];
  const x2 = clip[i2];
  const y2 = clip[i2 + 1];
  const w2 = clip[i2 + 3];
  const a0 = y1 * w2 - w1 * y2;
  const b0 = w1 * x2 - x1 * w2;
  const c0 = x1 * y2 - y1 * x2;
  const det = x0 * a0 + y0 * b0 + w0 * c0;
  const s = det < 0 ? -1 : 1;
  const a1 = y2 * w0 - w2 * y0;
  const b1 = w2 * x0 - x2 * w0;
  const c1 = x2 * y0 - y2 * x0;
  const a2 = y0 * w1 - w0 * y1;
  const b2 = w0 * x1 - x0 * w1;
  const c2 = x0 * y1 - y0 * x1;
  out[0] = s * a0;
  out[1] = s * b0;
  out[2] = s * c0;
  out[3] = s * a1;
  out[4] = s * b1;
  out[5] = s * c1;
  out[6] = s * a2;
  out[7] = s * b2;
  out[8] = s * c2;
  const z0 = clip[i0 + 2] / det;
  const z1 = clip[i1 + 2] / det;
  const z2 = clip[i2 + 2] / det;
  out[9] = a0 * z0 + a1 * z1 + a2 * z2;
  out[10] = b0 * z0 + b1 * z1 + b2 * z2;
  out[11] = c0 * z0 + c1 * z1 + c2 * z2;
  return det;
}

const { fround } = Math;
const exact = new Float64Array(EDGES);

/**
 * Writes the twelve numbers of a triangle as they are from a corner (x0, y0) on: E = a·(x − x0) + b·(y − y0) + c.
 * @returns false when the triangle is seen edge-on
 */
export function tileEdges(
  clip: Float32Array,
  triangles: Uint32Array,
  triangle: number,
  x0: number,
  y0: number,
  out: Float32Array,
): boolean {
  if (triangleEdges(clip, triangles, triangle, exact) === 0) return false;
  for (let k = 0; k < EDGES; k += 3) {
    const a = exact[k];
    const b = exact[k + 1];
    out[k] = a;
    out[k + 1] = b;
    out[k + 2] = a * x0 + b * y0 + exact[k + 2];
  }
  return true;
}

/**
 * Begins to draw a triangle into a tile: its functions into `edges`, what of its box lies in the tile into `span`, both
 * from the tile's corner on.
 * @param boxes see `BinTarget`
 * @returns false when it leaves nothing there
 */
export function startTriangle(
  clip: Float32Array,
  triangles: Uint32Array,
  boxes: Int16Array,
  triangle: number,
  tile: PixelBox,
  edges: Float32Array,
  span: PixelBox,
): boolean {
  const right = boxes[triangle * 4 + 2] + 1;
  const bottom = boxes[triangle * 4 + 3] + 1;
  span.x0 = Math.max(boxes[triangle * 4] - tile.x0, 0);
  span.y0 = Math.max(boxes[triangle * 4 + 1] - tile.y0, 0);
  span.x1 = (right < tile.x1 ? right : tile.x1) - tile.x0;
  span.y1 = (bottom < tile.y1 ? bottom : tile.y1) - tile.y0;
  if (span.x0 >= span.x1 || span.y0 >= span.y1) return false;
  return tileEdges(clip, triangles, triangle, tile.x0, tile.y0, edges);
}

/** A sample exactly on an edge belongs to the triangle for which the edge is a left or a top one. */
export function ownsEdge(a: number, b: number): boolean {
  return a > 0 || (a === 0 && b > 0);
}

/** Depth of a triangle at a sample, and numbers proportional to the barycentrics. */
export interface CoveredPlace {
  z: number;
  e0: number;
  e1: number;
  e2: number;
}

/**
 * Does a triangle cover a sample, an edge counting for one of its two triangles, and does it lie beyond the near plane? Then
 * `at` says where.
 * @param edges see `tileEdges` @param px, py 32-bit floats, from the tile's corner on
 */
export function covers(edges: Float32Array, px: number, py: number, at: CoveredPlace): boolean {
  const a0 = edges[0];
  const b0 = edges[1];
  const c0 = edges[2];
  const a1 = edges[3];
  const b1 = edges[4];
  const c1 = edges[5];
  const a2 = edges[6];
  const b2 = edges[7];
  const c2 = edges[8];
  const az = edges[9];
  const bz = edges[10];
  const cz = edges[11];
  const e0 = fround(fround(a0 * px) + fround(fround(b0 * py) + c0));
  const e1 = fround(fround(a1 * px) + fround(fround(b1 * py) + c1));
  const e2 = fround(fround(a2 * px) + fround(fround(b2 * py) + c2));
  if (!(e0 >= 0 && e1 >= 0 && e2 >= 0)) return false;
  if (e0 === 0 && !ownsEdge(a0, b0)) return false;
  if (e1 === 0 && !ownsEdge(a1, b1)) return false;
  if (e2 === 0 && !ownsEdge(a2, b2)) return false;
  at.z = fround(fround(az * px) + fround(fround(bz * py) + cz));
  at.e0 = e0;
  at.e1 = e1;
  at.e2 = e2;
  return at.z <= 1;
}
