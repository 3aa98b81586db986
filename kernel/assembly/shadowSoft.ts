/** Percentage-closer soft shadows, one place at a time. Twin: core/shadows/softShadow. */
import {
  BLOCK_OFFSET,
  DEPTH_SCALE,
  HALF_WIDTH,
  OFFSET,
  PERSPECTIVE,
  RESOLUTION,
  SOFT_SIZE,
  TEXEL_SIZE,
} from './lightRecord';
import { f, whole } from './scenery';
import { blocks, depths } from './shadowMaps';

const LARGEST_PENUMBRA: f64 = 48;
const SEARCH_TAPS: f64 = 5;
const FILTER_TAPS: f64 = 16;
const FEW_TEXELS: f64 = 2;
/** √π / 2 */
const SQUARE_FOR_DISC: f64 = 0.886226925452758;
const STEEPEST: f64 = 0.1;

/** Change of depth a texel along the surface. */
let gu: f64 = 0;
let gv: f64 = 0;
/** Weights of what is in the way, and these times its depth. */
let nearer: f64 = 0;
let nearerDepth: f64 = 0;
/** Nearest depth around. */
let nearest: f64 = 0;

/** Share of a light with extent that passes. @param depth biased @param fx … the true normal @param clamp read the border beyond the edges */
export function softLit(
  light: usize,
  view: usize,
  u: f64,
  v: f64,
  depth: f64,
  fx: f64,
  fy: f64,
  fz: f64,
  clamp: bool,
): f64 {
  // beside the lamp a place lies any number of texels away
  const side = <f64>load<i32>(view, RESOLUTION);
  u = min<f64>(2 * side, max<f64>(-side, u));
  v = min<f64>(2 * side, max<f64>(-side, v));
  planeInMap(view, u, v, depth, fx, fy, fz);
  const size = f(light + SOFT_SIZE);
  const least = f(light + HALF_WIDTH);
  const perspective = load<i32>(view, PERSPECTIVE) != 0;
  const scale = f(view + DEPTH_SCALE);
  const texel = f(view + TEXEL_SIZE);
  const metres = perspective ? scale / depth : 0;
  const widest = perspective ? size / (metres * texel) : (size * (1 - depth)) / scale / texel;
  const search = min<f64>(LARGEST_PENUMBRA, max<f64>(least, widest));
  const clear = clearAround(view, u, v, depth, search + 1);
  if (clear >= 0) return clear;
  compare(view, u, v, depth, search, SEARCH_TAPS, clamp);
  // a search that steps over texels may miss what is thin: the nearest thing around stands for it
  const missed = nearer == 0 && nearest > depth && 2 * search > FEW_TEXELS * SEARCH_TAPS;
  if (nearer == 0 && !missed) return 1;
  const mean = missed ? nearest : nearerDepth / nearer;
  let radius: f64;
  if (perspective) {
    const blocker = scale / mean;
    radius = (size * (metres - blocker)) / (blocker * metres * texel);
  } else radius = (size * (mean - depth)) / scale / texel;
  const half = min<f64>(LARGEST_PENUMBRA, max<f64>(least, radius * SQUARE_FOR_DISC));
  compare(view, u, v, depth, half, FILTER_TAPS, clamp);
  return 1 - (nearer / (4 * half * half)) * cellArea(half, FILTER_TAPS);
}

function planeInMap(view: usize, u: f64, v: f64, depth: f64, fx: f64, fy: f64, fz: f64): void {
  const perspective = load<i32>(view, PERSPECTIVE) != 0;
  const ku: f64 = perspective ? u : 0;
  const kv: f64 = perspective ? v : 0;
  const ux = f(view) - ku * f(view + 48);
  const uy = f(view + 4) - ku * f(view + 52);
  const uz = f(view + 8) - ku * f(view + 56);
  const vx = f(view + 16) - kv * f(view + 48);
  const vy = f(view + 20) - kv * f(view + 52);
  const vz = f(view + 24) - kv * f(view + 56);
  const d = view + (perspective ? 48 : 32);
  const scale: f64 = perspective ? -depth : 1;
  const dx = f(d) * scale;
  const dy = f(d + 4) * scale;
  const dz = f(d + 8) * scale;
  const ax = vy * fz - vz * fy;
  const ay = vz * fx - vx * fz;
  const az = vx * fy - vy * fx;
  const bx = uy * fz - uz * fy;
  const by = uz * fx - ux * fz;
  const bz = ux * fy - uy * fx;
  const all = ux * ax + uy * ay + uz * az;
  const least = STEEPEST * sqrt<f64>((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz));
  const turned = abs<f64>(all) > least ? all : all < 0 ? -least : least;
  gu = (dx * ax + dy * ay + dz * az) / turned;
  gv = -(dx * bx + dy * by + dz * bz) / turned;
}

/** Texels a cell of the grid: squared, for sides are counted in cells. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function cellArea(half: f64, taps: f64): f64 {
  const cell = max<f64>(1, ceil<f64>((2 * half) / taps));
  return cell * cell;
}

/** Compares a square of texels with the surface's plane: four at once where they lie side by side within the map. */
function compare(view: usize, u: f64, v: f64, depth: f64, half: f64, taps: f64, clamp: bool): void {
  const n = load<i32>(view, RESOLUTION);
  const base = depths + ((<usize>load<u32>(view, OFFSET)) << 2);
  if (2 * half <= taps) {
    const x0 = whole(floor<f64>(u - half));
    const y0 = whole(floor<f64>(v - half));
    const x1 = whole(floor<f64>(u + half));
    const y1 = whole(floor<f64>(v + half));
    if (x0 >= 0 && y0 >= 0 && x1 + 3 < n && y1 < n) {
      compareNear(base, n, u, v, depth, half, x0, y0, x1, y1);
      return;
    }
  }
  compareAcross(base, n, u, v, depth, half, max<f64>(1, ceil<f64>((2 * half) / taps)), clamp);
}

function compareNear(
  base: usize,
  n: i32,
  u: f64,
  v: f64,
  depth: f64,
  half: f64,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
): void {
  const top = v - half;
  const bottom = v + half;
  const left = f32x4.splat(<f32>(u - half - <f64>x0));
  const right = f32x4.splat(<f32>(u + half - <f64>x0));
  const columns = f32x4(0, 1, 2, 3);
  const ramp = f32x4.mul(columns, f32x4.splat(<f32>gu));
  const onward = f32x4.splat(<f32>(4 * gu));
  const four = f32x4.splat(4);
  const one = f32x4.splat(1);
  const none = f32x4.splat(0);
  const start = depth + gu * (<f64>x0 + 0.5 - u);
  let sum = none;
  let sumDepth = none;
  for (let y = y0; y <= y1; y++) {
    const wy = f32x4.splat(<f32>(min<f64>(<f64>(y + 1), bottom) - max<f64>(<f64>y, top)));
    let surface = f32x4.add(f32x4.splat(<f32>(start + gv * (<f64>y + 0.5 - v))), ramp);
    let p = base + ((<usize>(y * n + x0)) << 2);
    let column = columns;
    let rowSum = none;
    let rowDepth = none;
    for (let x = x0; x <= x1; x += 4) {
      const z = v128.load(p);
      const begins = f32x4.pmax(column, left);
      const ends = f32x4.pmin(f32x4.add(column, one), right);
      const covered = f32x4.pmax(f32x4.sub(ends, begins), none);
      const weight = v128.and(f32x4.gt(z, f32x4.pmax(surface, none)), covered);
      rowSum = f32x4.add(rowSum, weight);
      rowDepth = f32x4.add(rowDepth, f32x4.mul(weight, z));
      surface = f32x4.add(surface, onward);
      column = f32x4.add(column, four);
      p += 16;
    }
    sum = f32x4.add(sum, f32x4.mul(rowSum, wy));
    sumDepth = f32x4.add(sumDepth, f32x4.mul(rowDepth, wy));
  }
  nearer = <f64>acrossLanes(sum);
  nearerDepth = <f64>acrossLanes(sumDepth);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function acrossLanes(x: v128): f32 {
  const half = f32x4.add(x, v128.shuffle<i32>(x, x, 2, 3, 0, 1));
  return f32x4.extract_lane(half, 0) + f32x4.extract_lane(half, 1);
}

/** @param cell texels from one comparison to the next */
function compareAcross(base: usize, n: i32, u: f64, v: f64, depth: f64, half: f64, cell: f64, clamp: bool): void {
  const left = (u - half) / cell;
  const right = (u + half) / cell;
  const top = (v - half) / cell;
  const bottom = (v + half) / cell;
  const i0 = whole(floor<f64>(left));
  const i1 = whole(floor<f64>(right));
  const j0 = whole(floor<f64>(top));
  const j1 = whole(floor<f64>(bottom));
  const step = <i32>cell;
  let sum: f64 = 0;
  let sumDepth: f64 = 0;
  for (let j = j0; j <= j1; j++) {
    const wy = min<f64>(<f64>(j + 1), bottom) - max<f64>(<f64>j, top);
    let y = j * step + (step >> 1);
    const plane = depth + gv * (<f64>y + 0.5 - v);
    if (y < 0 || y >= n) {
      if (!clamp) continue;
      y = y < 0 ? 0 : n - 1;
    }
    const row = base + ((<usize>(y * n)) << 2);
    let rowSum: f64 = 0;
    let rowDepth: f64 = 0;
    let x = i0 * step + (step >> 1);
    let surface = plane + gu * (<f64>x + 0.5 - u);
    const rise = gu * cell;
    for (let i = i0; i <= i1; i++, x += step, surface += rise) {
      let at = x;
      if (x < 0 || x >= n) {
        if (!clamp) continue;
        at = x < 0 ? 0 : n - 1;
      }
      const z = f(row + ((<usize>at) << 2));
      if (z <= surface || z == 0) continue;
      const weight = i > i0 && i < i1 ? 1 : min<f64>(<f64>(i + 1), right) - max<f64>(<f64>i, left);
      rowSum += weight;
      rowDepth += weight * z;
    }
    sum += rowSum * wy;
    sumDepth += rowDepth * wy;
  }
  nearer = sum;
  nearerDepth = sumDepth;
}

/** 1 or 0 where the surface lies before or behind everything around a place, −1 where that must be looked at. */
function clearAround(view: usize, u: f64, v: f64, depth: f64, reach: f64): f64 {
  const n = load<i32>(view, RESOLUTION);
  const across = (n + 15) >> 4;
  const x0 = blockOf(u - reach, n);
  const x1 = blockOf(u + reach, n);
  const y0 = blockOf(v - reach, n);
  const y1 = blockOf(v + reach, n);
  const from = blocks + ((<usize>load<u32>(view, BLOCK_OFFSET)) << 3);
  let low: f64 = Infinity;
  let high: f64 = 0;
  for (let by = y0; by <= y1; by++) {
    for (let bx = x0; bx <= x1; bx++) {
      const at = from + ((<usize>(by * across + bx)) << 3);
      low = min<f64>(low, f(at));
      high = max<f64>(high, f(at + 4));
    }
  }
  nearest = high;
  const lean = (abs<f64>(gu) + abs<f64>(gv)) * (reach + 1);
  if (depth - lean >= high) return 1;
  const end = <f64>n;
  const inside = u - reach >= 0 && v - reach >= 0 && u + reach < end && v + reach < end;
  return inside && depth + lean < low ? 0 : -1;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function blockOf(texel: f64, n: i32): i32 {
  return texel < 0 ? 0 : texel >= <f64>n ? ((n + 15) >> 4) - 1 : whole(texel) >> 4;
}
