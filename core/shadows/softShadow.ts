/**
 * Percentage-closer soft shadows: the mean depth of what is in the way gives the width of the filter
 * (Fernando 2005, Percentage-Closer Soft Shadows). Every comparison is made with the plane of the surface rather than with
 * one depth (Isidoro 2006, Shadow Mapping: GPU-based Tips and Techniques), so that a wide filter does not shade what leans.
 */
import { blocksAcross, SHADOW_BLOCK_SHIFT } from './shadowMap';
import type { ShadowView } from '../light/shadowView';

/** Texels: wider than this, what is in the way is told by too few comparisons. Half the width of the filter. */
export const LARGEST_PENUMBRA = 48;
/** Comparisons a side, at most one more: for what is in the way, and for how much passes. */
const SEARCH_TAPS = 5;
const FILTER_TAPS = 16;
/** Texels that a comparison may stand for without missing anything. */
const FEW_TEXELS = 2;
/** Half the side of the square that covers as much as a disc, over the disc's radius. */
const SQUARE_FOR_DISC = Math.sqrt(Math.PI) / 2;
/** A surface at a grazing angle is taken as no steeper than this cosine. */
const STEEPEST = 0.1;

/** Where a place lies in a map, and how depth runs along its surface there. */
export interface MapPlace {
  /** Texels. */
  u: number;
  v: number;
  /** Reversed depth, already biased. */
  depth: number;
  /** Change of depth a texel. */
  gu: number;
  gv: number;
}

/** What a square of comparisons finds: weights of all and of those in the way, these times their depth, and the nearest depth anywhere around. */
const found = { nearer: 0, depth: 0, all: 0, nearest: 0 };

/**
 * Share of light that passes.
 * @param size radius of the light, metres; of a sun the tangent of half its angular diameter
 * @param least half width of the filter where what is in the way touches, texels
 * @param clamp read the border beyond the edges (cube faces) instead of taking it as lit
 */
export function softShadow(
  texels: Float32Array,
  blocks: Float32Array,
  view: ShadowView,
  at: MapPlace,
  light: { size: number; least: number; clamp: boolean },
): number {
  const { depth } = at;
  const { size, least, clamp } = light;
  const metres = view.perspective ? view.depthScale / depth : 0;
  const widest = view.perspective ? size / (metres * view.texelSize) : (size * fromFront(view, depth)) / view.texelSize;
  const search = Math.min(LARGEST_PENUMBRA, Math.max(least, widest));
  const clear = clearAround(blocks, view, at, search + 1);
  if (clear >= 0) return clear;
  compare(texels, view, at, search, SEARCH_TAPS, clamp);
  // a search that steps over texels may miss what is thin: the nearest thing around stands for it
  const missed = found.nearer === 0 && found.nearest > depth && 2 * search > FEW_TEXELS * SEARCH_TAPS;
  if (found.nearer === 0 && !missed) return 1;
  const nearer = missed ? found.nearest : found.depth / found.nearer;
  let radius: number;
  if (view.perspective) {
    const blocker = view.depthScale / nearer;
    radius = (size * (metres - blocker)) / (blocker * metres * view.texelSize);
  } else radius = (size * (nearer - depth)) / view.depthScale / view.texelSize;
  const half = Math.min(LARGEST_PENUMBRA, Math.max(least, radius * SQUARE_FOR_DISC));
  compare(texels, view, at, half, FILTER_TAPS, clamp);
  return 1 - found.nearer / found.all;
}

/**
 * Depth that a plane gains per texel, into `out.gu` and `out.gv`. A step along the map that leaves v as it is lies across
 * both the plane's normal and the gradient of v.
 * @param fx … the true normal of the surface
 */
export function planeInMap(view: ShadowView, out: MapPlace, fx: number, fy: number, fz: number): void {
  const m = view.matrix;
  const { u, v, depth } = out;
  const k = view.perspective ? 1 : 0;
  const ux = m[0] - k * u * m[12];
  const uy = m[1] - k * u * m[13];
  const uz = m[2] - k * u * m[14];
  const vx = m[4] - k * v * m[12];
  const vy = m[5] - k * v * m[13];
  const vz = m[6] - k * v * m[14];
  // reversed depth of a lamp's map is a constant over w
  const d = k === 1 ? 12 : 8;
  const scale = k === 1 ? -depth : 1;
  const dx = m[d] * scale;
  const dy = m[d + 1] * scale;
  const dz = m[d + 2] * scale;
  const ax = vy * fz - vz * fy;
  const ay = vz * fx - vx * fz;
  const az = vx * fy - vy * fx;
  const bx = uy * fz - uz * fy;
  const by = uz * fx - ux * fz;
  const bz = ux * fy - uy * fx;
  const whole = ux * ax + uy * ay + uz * az;
  const least = STEEPEST * Math.sqrt((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz));
  const turned = Math.abs(whole) > least ? whole : whole < 0 ? -least : least;
  out.gu = (dx * ax + dy * ay + dz * az) / turned;
  out.gv = -(dx * bx + dy * by + dz * bz) / turned;
}

/**
 * Compares the texels of a square around a place with the surface's plane. The square slides over a grid that stands still
 * in the map: what its first column loses the last one gains, so nothing jumps from pixel to pixel.
 * @param half half the side, texels @param taps cells a side at most
 */
function compare(
  texels: Float32Array,
  view: ShadowView,
  at: MapPlace,
  half: number,
  taps: number,
  clamp: boolean,
): void {
  const n = view.resolution;
  const cell = Math.max(1, Math.ceil((2 * half) / taps));
  const left = (at.u - half) / cell;
  const right = (at.u + half) / cell;
  const top = (at.v - half) / cell;
  const bottom = (at.v + half) / cell;
  const i0 = Math.floor(left);
  const i1 = Math.floor(right);
  const j0 = Math.floor(top);
  const j1 = Math.floor(bottom);
  let nearer = 0;
  let depth = 0;
  for (let j = j0; j <= j1; j++) {
    const wy = Math.min(j + 1, bottom) - Math.max(j, top);
    let y = j * cell + (cell >> 1);
    const plane = at.depth + at.gv * (y + 0.5 - at.v);
    if (y < 0 || y >= n) {
      if (!clamp) continue;
      y = y < 0 ? 0 : n - 1;
    }
    const row = view.offset + y * n;
    for (let i = i0; i <= i1; i++) {
      let x = i * cell + (cell >> 1);
      const surface = plane + at.gu * (x + 0.5 - at.u);
      if (x < 0 || x >= n) {
        if (!clamp) continue;
        x = x < 0 ? 0 : n - 1;
      }
      const z = texels[row + x];
      // where nothing was drawn nothing is in the way, however far the plane leans back
      if (z <= surface || z === 0) continue;
      const weight = wy * (Math.min(i + 1, right) - Math.max(i, left));
      nearer += weight;
      depth += weight * z;
    }
  }
  found.nearer = nearer;
  found.depth = depth;
  found.all = (right - left) * (bottom - top);
}

/** 1 or 0 where the surface lies before or behind everything around a place, −1 where that must be looked at. */
function clearAround(blocks: Float32Array, view: ShadowView, at: MapPlace, reach: number): number {
  const n = view.resolution;
  const across = blocksAcross(n);
  const block = (texel: number): number =>
    texel < 0 ? 0 : texel >= n ? across - 1 : Math.floor(texel) >> SHADOW_BLOCK_SHIFT;
  const [x0, x1] = [block(at.u - reach), block(at.u + reach)];
  const [y0, y1] = [block(at.v - reach), block(at.v + reach)];
  let low = Infinity;
  let high = 0;
  for (let by = y0; by <= y1; by++) {
    for (let bx = x0; bx <= x1; bx++) {
      const k = (view.blockOffset + by * across + bx) * 2;
      if (blocks[k] < low) low = blocks[k];
      if (blocks[k + 1] > high) high = blocks[k + 1];
    }
  }
  found.nearest = high;
  const lean = (Math.abs(at.gu) + Math.abs(at.gv)) * (reach + 1);
  if (at.depth - lean >= high) return 1;
  const inside = at.u - reach >= 0 && at.v - reach >= 0 && at.u + reach < n && at.v + reach < n;
  return inside && at.depth + lean < low ? 0 : -1;
}

/** Metres from the front of a sun's map to a depth: nothing that casts is farther away. */
function fromFront(view: ShadowView, depth: number): number {
  return (1 - depth) / view.depthScale;
}
