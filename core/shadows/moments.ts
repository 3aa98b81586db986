/**
 * Moment shadow maps: four powers of depth a texel, blurred like a picture, give a smooth upper bound of the shadow.
 * Peters & Klein 2015, Moment Shadow Mapping (Hamburger four-moment version).
 */
import { SHADOW_TILE_SHIFT, type ShadowMemory } from './shadowMap';
import type { ShadowView } from '../light/shadowView';

/** Depth that grows away from the light, 0…1 over the map's span. */
export function momentDepth(view: ShadowView, reversed: number): number {
  if (!view.perspective) return 1 - reversed;
  if (reversed <= 0) return 1;
  const metres = view.depthScale / reversed;
  return metres < view.span ? metres / view.span : 1;
}

const SIDE = 1 << SHADOW_TILE_SHIFT;
const LARGEST_RADIUS = 12;
const WIDE = SIDE + 2 * LARGEST_RADIUS;
/** Moments of one row of a tile and its surroundings. */
const line = new Float64Array(WIDE * 4);
/** Rows blurred along x. */
const rows = new Float64Array(WIDE * SIDE * 4);

/** Writes the blurred moments of one tile of a drawn map. @param radius half width of the box blur, texels */
export function blurMomentsTile(memory: ShadowMemory, view: ShadowView, tileIndex: number, radius: number): void {
  const n = view.resolution;
  const across = Math.ceil(n / SIDE);
  const x0 = (tileIndex % across) * SIDE;
  const y0 = Math.floor(tileIndex / across) * SIDE;
  const w = Math.min(n, x0 + SIDE) - x0;
  const h = Math.min(n, y0 + SIDE) - y0;
  const r = Math.min(LARGEST_RADIUS, Math.round(radius));
  const map = memory.shadowTexels;
  const clamp = (i: number): number => (i < 0 ? 0 : i >= n ? n - 1 : i);
  for (let y = 0; y < h + 2 * r; y++) {
    const row = view.offset + clamp(y0 + y - r) * n;
    for (let x = 0; x < w + 2 * r; x++) {
      const z = momentDepth(view, map[row + clamp(x0 + x - r)]);
      const z2 = z * z;
      line[x * 4] = z;
      line[x * 4 + 1] = z2;
      line[x * 4 + 2] = z2 * z;
      line[x * 4 + 3] = z2 * z2;
    }
    slide(line, 0, 4, w, r, rows, y * SIDE * 4, 4, 1);
  }
  // the second direction ends in the map's own memory
  const scale = 1 / (2 * r + 1) ** 2;
  for (let x = 0; x < w; x++)
    slide(rows, x * 4, SIDE * 4, h, r, memory.moments, (view.offset + y0 * n + x0 + x) * 4, n * 4, scale);
}

/**
 * Sums of 2 r + 1 neighbours, four numbers each, by taking one in and letting one go.
 * Steps are in numbers from one place to the next.
 */
function slide(
  from: Float64Array,
  start: number,
  step: number,
  count: number,
  r: number,
  to: Float64Array | Float32Array,
  toStart: number,
  toStep: number,
  scale: number,
): void {
  let [a, b, c, d] = [0, 0, 0, 0];
  const reach = 2 * r * step;
  for (let i = start; i < start + reach; i += step) {
    a += from[i];
    b += from[i + 1];
    c += from[i + 2];
    d += from[i + 3];
  }
  for (let k = 0, i = start, o = toStart; k < count; k++, i += step, o += toStep) {
    const last = i + reach;
    a += from[last];
    b += from[last + 1];
    c += from[last + 2];
    d += from[last + 3];
    to[o] = a * scale;
    to[o + 1] = b * scale;
    to[o + 2] = c * scale;
    to[o + 3] = d * scale;
    a -= from[i];
    b -= from[i + 1];
    c -= from[i + 2];
    d -= from[i + 3];
  }
}

/** Keeps the system solvable where a texel holds one depth alone. */
const MOMENT_BIAS = 1e-6;

/**
 * Share of light at a place of a moment map.
 * @param depth from `momentDepth`, already biased
 * @param leak light below this share counts as none, 0…0.95
 */
export function readMoments(
  memory: ShadowMemory,
  view: ShadowView,
  u: number,
  v: number,
  depth: number,
  leak: number,
): number {
  const n = view.resolution;
  const { moments } = memory;
  const x = Math.min(n - 1.001, Math.max(0, u - 0.5));
  const y = Math.min(n - 1.001, Math.max(0, v - 0.5));
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const fx = x - x0;
  const fy = y - y0;
  const a = (view.offset + y0 * n + x0) * 4;
  const b = a + n * 4;
  const at = (c: number): number => {
    const top = moments[a + c] + (moments[a + 4 + c] - moments[a + c]) * fx;
    const bottom = moments[b + c] + (moments[b + 4 + c] - moments[b + c]) * fx;
    const mean = top + (bottom - top) * fy;
    return mean + (0.5 - mean) * MOMENT_BIAS;
  };
  const lit = 1 - shadowBound(at(0), at(1), at(2), at(3), depth);
  return lit <= leak ? 0 : (lit - leak) / (1 - leak);
}

/** Least share of depths before `z` that four moments allow (Peters & Klein 2015, algorithm 3). */
export function shadowBound(b1: number, b2: number, b3: number, b4: number, z: number): number {
  const d22 = b2 - b1 * b1;
  if (d22 <= 0) return z > b1 ? 1 : 0;
  const l32d22 = b3 - b1 * b2;
  const d33d22 = (b4 - b2 * b2) * d22 - l32d22 * l32d22;
  const l32 = l32d22 / d22;
  let c1 = z - b1;
  let c2 = z * z - b2 - l32 * c1;
  c1 /= d22;
  c2 *= d22 / d33d22;
  c1 -= l32 * c2;
  const c0 = 1 - (c1 * b1 + c2 * b2);
  const p = c1 / c2;
  const q = c0 / c2;
  const root = Math.sqrt(Math.max(0, (p * p) / 4 - q));
  const z1 = -p / 2 - root;
  const z2 = -p / 2 + root;
  if (z2 < z) return clamp01(1 + (z1 * z2 - b1 * (z1 + z2) + b2) / ((z2 - z) * (z - z1)));
  if (z1 < z) return clamp01((z * z2 - b1 * (z + z2) + b2) / ((z2 - z1) * (z - z1)));
  return 0;
}

function clamp01(x: number): number {
  return x > 0 ? (x < 1 ? x : 1) : 0;
}
