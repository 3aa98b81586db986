/**
 * Which tiles of a shadow map the picture may ask. All that it shows lies in the camera's view and in the box around the
 * scene: a convex body, whose outline in the map is convex too, as is that of a part of it. Tiles clear of that need not be
 * drawn.
 */
import type { Bounds } from '../math/bounds';
import type { Mat4 } from '../math/mat4';
import { viewPlanes, type Plane } from '../math/viewPlanes';
import type { Rect } from '../measure/rect';
import type { ShadowReading } from './shadowAt';
import { mapTilesAcross, SHADOW_TILE_SHIFT } from './shadowMap';
import type { ShadowView } from '../light/shadowView';
import { LARGEST_PENUMBRA } from './softShadow';

/** What the picture can show. */
export interface Seen {
  /** World to picture: see `worldToPixels`. */
  toPixels: Mat4;
  /** Parts of it that are shown: all of it, mostly. */
  parts: readonly Rect[];
  /** How far from the middles of pixels samples may lie, pixels. */
  reach: number;
  /** Box around everything that is drawn, world space. */
  bounds: Bounds;
}

type Place = [number, number, number];
/** Columns and rows of a map, texels. */
type Texel = [number, number];

/** How far outside of a plane a place may be by rounding, as a share of the greatest distance of a plane. */
const SLACK = 1e-7;
/** Three unit normals of a smaller determinant have nearly no corner of their own. */
const PARALLEL = 1e-12;

/**
 * @param reading how the map is read
 * @returns a byte for each of the map's tiles, row by row: 1 where it may be asked
 */
export function askedTiles(seen: Seen, view: ShadowView, reading: ShadowReading): Uint8Array {
  const n = view.resolution;
  const across = mapTilesAcross(n);
  const asked = new Uint8Array(across * across);
  const margin = marginOf(view, reading);
  if (!(margin < n)) return asked.fill(1);
  for (const part of seen.parts) askFor(part, seen, view, margin, asked);
  return asked;
}

/** Marks the tiles that one part of the picture may ask. */
function askFor(part: Rect, seen: Seen, view: ShadowView, margin: number, asked: Uint8Array): void {
  const { matrix: m, resolution: n } = view;
  const across = mapTilesAcross(n);
  const { near, sides } = viewPlanes(seen.toPixels, part, seen.reach);
  const map = viewPlanes(m, { x: 0, y: 0, width: n, height: n }, margin);
  // a sun's map shows what lies before it as well
  const planes = [near, ...sides, ...boxPlanes(seen.bounds), ...map.sides, ...(view.perspective ? [map.near] : [])];
  const outline = hullOf(
    cornersOf(planes).map(([x, y, z]): Texel => {
      const w = m[12] * x + m[13] * y + m[14] * z + m[15];
      return [(m[0] * x + m[1] * y + m[2] * z + m[3]) / w, (m[4] * x + m[5] * y + m[6] * z + m[7]) / w];
    }),
  );
  const side = 1 << SHADOW_TILE_SHIFT;
  for (let row = 0; row < across; row++) {
    const [from, to] = spanOf(outline, row * side - margin, (row + 1) * side + margin);
    const first = Math.max(0, Math.floor((from - margin) / side));
    const last = Math.min(across - 1, Math.floor((to + margin) / side));
    for (let column = first; column <= last; column++) asked[row * across + column] = 1;
  }
}

/**
 * How far from its own place in a map a place may read, texels: moved off its face as `shadowAt` does it, then as far as the
 * filter reaches. A map of moments is read everywhere, for its texels are made of their neighbours.
 */
function marginOf(view: ShadowView, reading: ShadowReading): number {
  const { filter, radius: wide, automatic, normalOffset } = reading;
  const radius = filter === 'hard' ? 0 : wide;
  const filtered = filter === 'moment' ? Infinity : 2 * (filter === 'soft' ? LARGEST_PENUMBRA + wide : radius);
  const offset = automatic ? 0.75 + radius : normalOffset * (1 + radius);
  return filtered + offset * stretchOf(view, offset) + 6;
}

/** Most texels that a step of one texel's size off a face is in a map: towards a lamp all seems to move outwards. */
function stretchOf({ perspective, texelSize, resolution }: ShadowView, offset: number): number {
  if (!perspective) return 1;
  const slope = (texelSize * resolution) / 2;
  const slant = Math.sqrt(1 + 2 * slope * slope);
  const nearer = 1 - offset * texelSize * slant;
  return nearer > 0.1 ? (slant * (1 + slope)) / nearer : Infinity;
}

function boxPlanes({ min, max }: Bounds): Plane[] {
  return [
    [1, 0, 0, -min[0]],
    [0, 1, 0, -min[1]],
    [0, 0, 1, -min[2]],
    [-1, 0, 0, max[0]],
    [0, -1, 0, max[1]],
    [0, 0, -1, max[2]],
  ];
}

/** The corners of what lies inside of all planes: places where three of them meet (Cramer's rule). */
function cornersOf(planes: readonly Plane[]): Place[] {
  // four numbers a plane, of unit normal
  const p = new Float64Array(planes.length * 4);
  planes.forEach(([a, b, c, d], k) => {
    const l = Math.sqrt(a * a + b * b + c * c);
    p.set([a / l, b / l, c / l, d / l], k * 4);
  });
  let slack = SLACK;
  for (let k = 3; k < p.length; k += 4) slack = Math.max(slack, SLACK * Math.abs(p[k]));
  const corners: Place[] = [];
  for (let i = 0; i < p.length; i += 4)
    for (let j = i + 4; j < p.length; j += 4) {
      // the direction of the line in which two of them meet
      const u = p[i + 1] * p[j + 2] - p[i + 2] * p[j + 1];
      const v = p[i + 2] * p[j] - p[i] * p[j + 2];
      const w = p[i] * p[j + 1] - p[i + 1] * p[j];
      for (let k = j + 4; k < p.length; k += 4) {
        const a = p[k];
        const b = p[k + 1];
        const c = p[k + 2];
        const det = a * u + b * v + c * w;
        if (Math.abs(det) < PARALLEL) continue;
        const d1 = p[i + 3];
        const d2 = p[j + 3];
        const d3 = p[k + 3];
        const x = -(d3 * u + d1 * (p[j + 1] * c - p[j + 2] * b) + d2 * (b * p[i + 2] - c * p[i + 1])) / det;
        const y = -(d3 * v + d1 * (p[j + 2] * a - p[j] * c) + d2 * (c * p[i] - a * p[i + 2])) / det;
        const z = -(d3 * w + d1 * (p[j] * b - p[j + 1] * a) + d2 * (a * p[i + 1] - b * p[i])) / det;
        let inside = true;
        for (let q = 0; inside && q < p.length; q += 4)
          inside = p[q] * x + p[q + 1] * y + p[q + 2] * z + p[q + 3] >= -slack;
        if (inside) corners.push([x, y, z]);
      }
    }
  return corners;
}

/** Convex hull of places, in order (Andrew 1979, Another efficient algorithm for convex hulls in two dimensions). */
function hullOf(places: Texel[]): Texel[] {
  const sorted = places.sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const chain = (points: readonly Texel[]): Texel[] => {
    const hull: Texel[] = [];
    for (const p of points) {
      while (hull.length > 1 && !turns(hull[hull.length - 2], hull[hull.length - 1], p)) hull.pop();
      hull.push(p);
    }
    return hull.slice(0, -1);
  };
  const lower = chain(sorted);
  const upper = chain([...sorted].reverse());
  // one place, or the same one again and again
  return lower.length + upper.length > 0 ? [...lower, ...upper] : sorted.slice(0, 1);
}

/** Does the way from a over b to c turn to the left? */
function turns(a: Texel, b: Texel, c: Texel): boolean {
  return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) > 0;
}

/** Least and greatest column of what of a convex outline lies in rows `low` to `high`. */
function spanOf(outline: readonly Texel[], low: number, high: number): [number, number] {
  let from = Infinity;
  let to = -Infinity;
  outline.forEach(([x0, y0], i) => {
    const [x1, y1] = outline[(i + 1) % outline.length];
    if (Math.max(y0, y1) < low || Math.min(y0, y1) > high) return;
    const rise = y1 - y0;
    for (const y of [low, high]) {
      // a level edge lies in the rows as a whole
      const ends = rise === 0 ? [x0, x1] : [x0 + (x1 - x0) * Math.min(1, Math.max(0, (y - y0) / rise))];
      from = Math.min(from, ...ends);
      to = Math.max(to, ...ends);
    }
  });
  return [from, to];
}
