/**
 * Light portals: rectangles in openings through which a room is lit. Directions towards the surroundings are drawn evenly
 * over the portals as they are seen from a place (Ureña, Fajardo & King 2013, An Area-Preserving Parametrization for
 * Spherical Rectangles). A portal only guides: it neither gives nor holds back light.
 */
import { acos, cos, sin } from '../math/exact';
import type { Mat4 } from '../math/mat4';
import type { PlacedPortal } from '../scene/source';

/** Corner xyz, then the two edges as unit vectors, their lengths, and the normal: one record a portal, world space. */
const STRIDE = 14;
const [EDGE_X, EDGE_Y, LENGTH_X, LENGTH_Y, NORMAL] = [3, 6, 9, 10, 11];

export interface Portals {
  count: number;
  records: Float64Array;
  /** Solid angle of each from the place asked last, steradian. */
  solid: Float64Array;
}

export function placePortals(sources: readonly PlacedPortal[], world: readonly Mat4[]): Portals | null {
  if (sources.length === 0) return null;
  const records = new Float64Array(sources.length * STRIDE);
  sources.forEach(({ node, width, height }, i) => {
    const m = world[node];
    const x = unit(m, 0);
    const y = unit(m, 4);
    const normal = [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]];
    const corner = [0, 1, 2].map((k) => m[12 + k] - (x[k] * width + y[k] * height) / 2);
    records.set([...corner, ...x, ...y, width, height, ...normal], i * STRIDE);
  });
  return { count: sources.length, records, solid: new Float64Array(sources.length) };
}

function unit(m: Mat4, at: number): number[] {
  const l = Math.sqrt(m[at] ** 2 + m[at + 1] ** 2 + m[at + 2] ** 2) || 1;
  return [m[at] / l, m[at + 1] / l, m[at + 2] / l];
}

/** Solid angles under which nothing is drawn: the arithmetic below has no digits left. */
const SMALLEST = 1e-8;

/** Writes the solid angle of each portal from a place. @returns all together, steradian */
export function lookAtPortals(portals: Portals, x: number, y: number, z: number): number {
  let sum = 0;
  for (let i = 0; i < portals.count; i++) {
    view(portals, i, x, y, z);
    portals.solid[i] = seen.solid > SMALLEST ? seen.solid : 0;
    sum += portals.solid[i];
  }
  return sum;
}

/**
 * Draws a direction through one of the portals, after `lookAtPortals` from the same place.
 * @param u, v numbers in [0, 1)
 * @param all what `lookAtPortals` gave, above 0
 */
export function throughPortal(
  portals: Portals,
  all: number,
  x: number,
  y: number,
  z: number,
  u: number,
  v: number,
  out: Float64Array,
): void {
  let left = u * all;
  let i = 0;
  while (i < portals.count - 1 && (left >= portals.solid[i] || portals.solid[i] === 0)) left -= portals.solid[i++];
  while (portals.solid[i] === 0) i--;
  view(portals, i, x, y, z);
  const { x0, x1, y0, y1, z0, solid, turn, b0, b1 } = seen;
  const a = Math.min(1, Math.max(0, left / portals.solid[i])) * solid + turn;
  const f = (cos(a) * b0 - b1) / sin(a);
  const c = Math.min(1, Math.max(-1, (f > 0 ? 1 : -1) / Math.sqrt(f * f + b0 * b0)));
  const px = Math.min(x1, Math.max(x0, (c * Math.abs(z0)) / Math.max(Math.sqrt(1 - c * c), 1e-12)));
  const d = Math.sqrt(px * px + z0 * z0);
  const h0 = y0 / Math.sqrt(d * d + y0 * y0);
  const h1 = y1 / Math.sqrt(d * d + y1 * y1);
  const h = h0 + v * (h1 - h0);
  const py = h * h < 1 - 1e-12 ? (h * d) / Math.sqrt(1 - h * h) : y1;
  const { records } = portals;
  const r = i * STRIDE;
  const l = Math.sqrt(px * px + py * py + z0 * z0);
  for (let k = 0; k < 3; k++)
    out[k] = (px * records[r + EDGE_X + k] + py * records[r + EDGE_Y + k] + z0 * records[r + NORMAL + k]) / l;
}

/** How many portals a ray from a place goes through. */
export function portalsCrossed(
  portals: Portals,
  x: number,
  y: number,
  z: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  const { records } = portals;
  let crossed = 0;
  for (let i = 0; i < portals.count; i++) {
    if (portals.solid[i] === 0) continue;
    const r = i * STRIDE;
    const cx = records[r] - x;
    const cy = records[r + 1] - y;
    const cz = records[r + 2] - z;
    const down = dot(records, r + NORMAL, dx, dy, dz);
    if (down === 0) continue;
    const t = dot(records, r + NORMAL, cx, cy, cz) / down;
    if (t <= 0) continue;
    const a = dot(records, r + EDGE_X, dx * t - cx, dy * t - cy, dz * t - cz);
    const b = dot(records, r + EDGE_Y, dx * t - cx, dy * t - cy, dz * t - cz);
    if (a >= 0 && a <= records[r + LENGTH_X] && b >= 0 && b <= records[r + LENGTH_Y]) crossed++;
  }
  return crossed;
}

function dot(m: Float64Array, at: number, x: number, y: number, z: number): number {
  return m[at] * x + m[at + 1] * y + m[at + 2] * z;
}

/** A portal in its own axes with the eye at the origin, and the terms of its solid angle. */
const seen = { x0: 0, x1: 0, y0: 0, y1: 0, z0: 0, solid: 0, turn: 0, b0: 0, b1: 0 };

function view({ records }: Portals, i: number, x: number, y: number, z: number): void {
  const r = i * STRIDE;
  const cx = records[r] - x;
  const cy = records[r + 1] - y;
  const cz = records[r + 2] - z;
  const x0 = (seen.x0 = dot(records, r + EDGE_X, cx, cy, cz));
  const y0 = (seen.y0 = dot(records, r + EDGE_Y, cx, cy, cz));
  const x1 = (seen.x1 = x0 + records[r + LENGTH_X]);
  const y1 = (seen.y1 = y0 + records[r + LENGTH_Y]);
  const z0 = (seen.z0 = dot(records, r + NORMAL, cx, cy, cz));
  const zz = z0 * z0;
  seen.solid = 0;
  if (zz === 0) return;
  // z of the normals of the four planes through the eye and an edge
  const n0 = -y0 / Math.sqrt(zz + y0 * y0);
  const n1 = x1 / Math.sqrt(zz + x1 * x1);
  const n2 = y1 / Math.sqrt(zz + y1 * y1);
  const n3 = -x0 / Math.sqrt(zz + x0 * x0);
  const g2 = acos(-n2 * n3);
  const g3 = acos(-n3 * n0);
  seen.turn = 2 * Math.PI - g2 - g3;
  seen.solid = acos(-n0 * n1) + acos(-n1 * n2) - seen.turn;
  seen.b0 = n0;
  seen.b1 = n2;
}
