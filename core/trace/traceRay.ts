/**
 * Rays through the hierarchy. All arithmetic is in doubles on exact 32-bit corners, and a hit on an edge counts for both
 * its triangles, so that closed surfaces let nothing through.
 */
import type { BvhArrays } from './buildBvh';

const STACK = 128;
const stack = new Int32Array(STACK);
const stackNear = new Float64Array(STACK);
/** Directions are kept off zero, so that infinity times zero never appears. */
const TINY = 1e-18;

/** What a ray met last. */
export const hit = { triangle: -1, place: -1, distance: Infinity, u: 0, v: 0 };

/**
 * Visits triangles that a ray meets, nearest boxes first.
 * @param accept called with a leaf place and (u, v, distance) of a hit; returns the distance beyond which nothing matters
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
  const { bvhBoxes: boxes, bvhChildren: children, bvhCorners: P } = bvh;
  const ix = 1 / (dx > TINY || dx < -TINY ? dx : TINY);
  const iy = 1 / (dy > TINY || dy < -TINY ? dy : TINY);
  const iz = 1 / (dz > TINY || dz < -TINY ? dz : TINY);
  // where the near plane of a box lies, by the sign of the direction
  const nx = ix < 0 ? 3 : 0;
  const ny = iy < 0 ? 4 : 1;
  const nz = iz < 0 ? 5 : 2;
  const fx = 3 - nx;
  const fy = 5 - ny;
  const fz = 7 - nz;
  let top = 0;
  let node = 0;
  for (;;) {
    if (node >= 0) {
      const a = node * 12;
      const b = a + 6;
      const near0 = max4((boxes[a + nx] - ox) * ix, (boxes[a + ny] - oy) * iy, (boxes[a + nz] - oz) * iz, 0);
      const far0 = min4((boxes[a + fx] - ox) * ix, (boxes[a + fy] - oy) * iy, (boxes[a + fz] - oz) * iz, limit);
      const near1 = max4((boxes[b + nx] - ox) * ix, (boxes[b + ny] - oy) * iy, (boxes[b + nz] - oz) * iz, 0);
      const far1 = min4((boxes[b + fx] - ox) * ix, (boxes[b + fy] - oy) * iy, (boxes[b + fz] - oz) * iz, limit);
      // three roundings of each product widen the interval (Ize 2013, Robust BVH Ray Traversal)
      const in0 = near0 <= far0 * 1.0000000000000007;
      const in1 = near1 <= far1 * 1.0000000000000007;
      let first = children[node * 2];
      let second = children[node * 2 + 1];
      if (in0 && in1) {
        const swap = near1 < near0;
        if (swap) {
          const c = first;
          first = second;
          second = c;
        }
        stack[top] = second;
        stackNear[top++] = swap ? near0 : near1;
        node = first;
        continue;
      }
      if (in0) {
        node = first;
        continue;
      }
      if (in1) {
        node = second;
        continue;
      }
    } else {
      const code = -1 - node;
      const from = code >> 3;
      const to = from + (code & 7) + 1;
      for (let i = from; i < to; i++) {
        const p = i * 9;
        const ax = P[p];
        const ay = P[p + 1];
        const az = P[p + 2];
        const e1x = P[p + 3] - ax;
        const e1y = P[p + 4] - ay;
        const e1z = P[p + 5] - az;
        const e2x = P[p + 6] - ax;
        const e2y = P[p + 7] - ay;
        const e2z = P[p + 8] - az;
        // Möller & Trumbore 1997, Fast, Minimum Storage Ray-Triangle Intersection
        const qx = dy * e2z - dz * e2y;
        const qy = dz * e2x - dx * e2z;
        const qz = dx * e2y - dy * e2x;
        const det = e1x * qx + e1y * qy + e1z * qz;
        if (det === 0) continue;
        const inv = 1 / det;
        const tx = ox - ax;
        const ty = oy - ay;
        const tz = oz - az;
        const u = (tx * qx + ty * qy + tz * qz) * inv;
        if (u < -EDGE || u > 1 + EDGE) continue;
        const rx = ty * e1z - tz * e1y;
        const ry = tz * e1x - tx * e1z;
        const rz = tx * e1y - ty * e1x;
        const v = (dx * rx + dy * ry + dz * rz) * inv;
        if (v < -EDGE || u + v > 1 + EDGE) continue;
        const t = (e2x * rx + e2y * ry + e2z * rz) * inv;
        if (!(t > 0 && t < limit)) continue;
        limit = accept(i, u, v, t, limit);
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
