/**
 * Rays through the hierarchy. All arithmetic is in doubles on exact 32-bit corners, and a hit on an edge counts for both
 * its triangles, so that closed surfaces let nothing through. The plain twin of kernel/assembly/rays.
 */
import { cornersAt, LINK_WORDS, NODE_WORDS, type BvhArrays } from './bvhLayout';

const STACK = 256;
const stack = new Int32Array(STACK);
const stackNear = new Float64Array(STACK);
/** Directions are kept off zero, so that infinity times zero never appears. */
const TINY = 1e-18;
/** Three roundings of each product widen the interval (Ize 2013, Robust BVH Ray Traversal). */
const WIDEN = 1.0000000000000007;

/** What a ray met last. */
export const hit = { triangle: -1, place: -1, distance: Infinity, u: 0, v: 0 };

/**
 * Visits triangles that a ray meets, nearest boxes first.
 * @param accept called with a place and (u, v, distance) of a hit; returns the distance beyond which nothing matters
 *   any more: the hit's own for the closest hit, −1 to stop, the old limit to pass through
 */
export function traceRay(
  bvh: BvhArrays,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  limit: number,
  accept: (place: number, u: number, v: number, distance: number, limit: number) => number,
): void {
  const { bvhNodes: planes, bvhLinks: links } = bvh;
  const ix = 1 / (dx > TINY || dx < -TINY ? dx : TINY);
  const iy = 1 / (dy > TINY || dy < -TINY ? dy : TINY);
  const iz = 1 / (dz > TINY || dz < -TINY ? dz : TINY);
  // where the near planes of boxes lie, by the sign of the direction
  const nx = ix < 0 ? 12 : 0;
  const ny = iy < 0 ? 16 : 4;
  const nz = iz < 0 ? 20 : 8;
  const fx = 12 - nx;
  const fy = 20 - ny;
  const fz = 28 - nz;
  let top = 0;
  let node = 0;
  for (;;) {
    if (node >= 0) {
      const bottom = top;
      const p = node * NODE_WORDS;
      for (let k = p; k < p + 4; k++) {
        const near = max4((planes[k + nx] - ox) * ix, (planes[k + ny] - oy) * iy, (planes[k + nz] - oz) * iz, 0);
        const far = min4((planes[k + fx] - ox) * ix, (planes[k + fy] - oy) * iy, (planes[k + fz] - oz) * iz, limit);
        if (!(near <= far * WIDEN)) continue;
        // the nearest comes to lie on top
        let at = top++;
        while (at > bottom && stackNear[at - 1] < near) {
          stack[at] = stack[at - 1];
          stackNear[at] = stackNear[at - 1];
          at--;
        }
        stack[at] = links[k + LINK_WORDS];
        stackNear[at] = near;
      }
    } else {
      const code = ~node;
      const from = (code >> 3) * 4;
      const to = from + ((code & 7) + 1) * 4;
      for (let place = from; place < to; place++) {
        if (!meetTriangle(bvh, place, ox, oy, oz, dx, dy, dz)) continue;
        if (!(met.distance > 0 && met.distance < limit)) continue;
        limit = accept(place, met.u, met.v, met.distance, limit);
        if (limit < 0) return;
      }
    }
    do {
      if (top === 0) return;
      node = stack[--top];
    } while (stackNear[top] > limit);
  }
}

/** Neighbours both claim a strip of this share of their width along the common edge. */
const EDGE = 1e-12;

/** Distance along a ray and weights of the second and third corner, of the triangle that was looked at last. */
export const met = { distance: 0, u: 0, v: 0 };

/**
 * Where a ray meets the plane of a triangle, into `met` (Möller & Trumbore 1997, Fast, Minimum Storage Ray-Triangle
 * Intersection). @returns whether it is inside
 */
export function meetTriangle(
  { bvhPackets: P }: BvhArrays,
  place: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
): boolean {
  const p = cornersAt(place);
  const ax = P[p];
  const ay = P[p + 4];
  const az = P[p + 8];
  const e1x = P[p + 12] - ax;
  const e1y = P[p + 16] - ay;
  const e1z = P[p + 20] - az;
  const e2x = P[p + 24] - ax;
  const e2y = P[p + 28] - ay;
  const e2z = P[p + 32] - az;
  const qx = dy * e2z - dz * e2y;
  const qy = dz * e2x - dx * e2z;
  const qz = dx * e2y - dy * e2x;
  const det = e1x * qx + e1y * qy + e1z * qz;
  if (det === 0) return false;
  const inv = 1 / det;
  const tx = ox - ax;
  const ty = oy - ay;
  const tz = oz - az;
  const u = (tx * qx + ty * qy + tz * qz) * inv;
  const rx = ty * e1z - tz * e1y;
  const ry = tz * e1x - tx * e1z;
  const rz = tx * e1y - ty * e1x;
  const v = (dx * rx + dy * ry + dz * rz) * inv;
  met.u = u;
  met.v = v;
  met.distance = (e2x * rx + e2y * ry + e2z * rz) * inv;
  return u >= -EDGE && v >= -EDGE && u + v <= 1 + EDGE;
}

function max4(a: number, b: number, c: number, d: number): number {
  const x = a > b ? a : b;
  const y = c > d ? c : d;
  return x > y ? x : y;
}
function min4(a: number, b: number, c: number, d: number): number {
  const x = a < b ? a : b;
  const y = c < d ? c : d;
  return x < y ? x : y;
}

/** Nearest triangle along a ray into `hit`. @returns false when there is none before `limit` */
export function closestHit(
  bvh: BvhArrays,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  limit = Infinity,
): boolean {
  hit.triangle = -1;
  traceRay(bvh, ox, oy, oz, dx, dy, dz, limit, takeNearest);
  if (hit.triangle < 0) return false;
  hit.triangle = bvh.bvhOrder[hit.place];
  return true;
}

function takeNearest(place: number, u: number, v: number, distance: number): number {
  hit.triangle = 0;
  hit.place = place;
  hit.u = u;
  hit.v = v;
  hit.distance = distance;
  return distance;
}
