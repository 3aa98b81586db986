/**
 * Which triangles cover which pixels: the picture's tiles, and the depth of shadow maps. Four pixels at a time in floats
 * from a tile's corner on, to the bits of the twins: core/raster/visibility, core/shadows/shadowMap.
 */
import { add, all, lane0, lane1, lane2, lane3, mul, over, pick, sub } from './four';
import {
  BOX,
  DOWN,
  kinds,
  makeReady,
  NUMBER,
  OFFSET,
  OPAQUE,
  READY,
  ready,
  READY_BYTES,
  readyEnd,
  sortOut,
} from './ready';
import { triangleMaterial, whiteCorners } from './scenery';

/** Where see-through triangles go: see `drawLayer`. */
let layerCount: usize = 0;
let layerDepth: usize = 0;
let layerTriangle: usize = 0;
let layerLimit: i32 = 0;
/** Where sheets of glass go, and what they let through, in 1/32768, twice: see `drawSheets`. */
let sheetDepth: usize = 0;
let sheetColour: usize = 0;
let tint: v128 = i16x8.splat(0);

/**
 * What the edge functions are at least where a sample belongs to the triangle. One exactly on an edge belongs to it where
 * the edge is a left or a top one: 0 may be the neighbour's, and nothing lies between 0 and the least normal number, for
 * sums of floats are no finer than their summands.
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function leastInside(across: v128, down: v128): v128 {
  const none = all(0);
  const left = f32x4.gt(across, none);
  const top = v128.and(f32x4.eq(across, none), f32x4.gt(down, none));
  return v128.andnot(all(1.1754943508222875e-38), v128.or(left, top));
}

/** The greatest of the first three whole numbers. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function greatest(a: v128): i32 {
  return max<i32>(max<i32>(i32x4.extract_lane(a, 0), i32x4.extract_lane(a, 1)), i32x4.extract_lane(a, 2));
}

/** What is done with the pixels that a triangle covers. */
const SOLID: i32 = 0;
const DEPTH: i32 = 1;
const LAYER: i32 = 2;
const SHEET: i32 = 3;
/** Rows of wider boxes are narrowed to what their edges leave. */
const WIDE: i32 = 16;

/**
 * Goes through the pixels of a triangle.
 * @param what one of the above, known when this is compiled @param at the triangle, see `ready`
 * @param depth the tile's depths, or those of solid surfaces @param number the tile's triangles
 * @param pitch pixels a row @param width pixels of the tile in a row
 * @param ox, oy position of the sample inside the pixel
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function cover(what: i32, at: usize, depth: usize, number: usize, pitch: i32, width: i32, ox: f32, oy: f32): void {
  const t = load<i32>(at, NUMBER);
  const fromX = <i32>load<i16>(at, BOX);
  const fromY = <i32>load<i16>(at, BOX + 2);
  const toX = <i32>load<i16>(at, BOX + 4);
  const toY = <i32>load<i16>(at, BOX + 6);
  const across = v128.load(at);
  const down = v128.load(at, DOWN);
  const offset = v128.load(at, OFFSET);
  const a0 = lane0(across);
  const a1 = lane1(across);
  const a2 = lane2(across);
  const az = lane3(across);
  // for depth alone it changes nothing that both triangles of an edge draw it
  const least = what == DEPTH ? all(0) : leastInside(across, down);
  const least0 = what == DEPTH ? least : lane0(least);
  const least1 = what == DEPTH ? least : lane1(least);
  const least2 = what == DEPTH ? least : lane2(least);
  const middle = all(ox);
  const steps = f32x4(0, 1, 2, 3);
  if (toX - fromX <= 4) {
    const xs = add(all(<f32>fromX), steps);
    const px = add(xs, middle);
    const p0 = mul(a0, px);
    const p1 = mul(a1, px);
    const p2 = mul(a2, px);
    const pz = mul(az, px);
    const within = f32x4.lt(xs, all(<f32>toX));
    for (let y = fromY; y < toY; y++) {
      const r = add(mul(down, all(<f32>y + oy)), offset);
      const inside = v128.and(
        v128.and(f32x4.ge(add(p0, lane0(r)), least0), f32x4.ge(add(p1, lane1(r)), least1)),
        v128.and(f32x4.ge(add(p2, lane2(r)), least2), within),
      );
      touch(what, t, depth, number, y * pitch + fromX, width - fromX, inside, add(pz, lane3(r)));
    }
    return;
  }
  // where edges meet a row, for what rises to the right and what falls; elsewhere they say nothing
  const wide = toX - fromX > WIDE;
  const inverse = over(all(-1), across);
  const rises = f32x4.gt(across, all(0));
  const falls = f32x4.lt(across, all(0));
  for (let y = fromY; y < toY; y++) {
    const r = add(mul(down, all(<f32>y + oy)), offset);
    let rowFrom = fromX;
    let rowTo = toX;
    if (wide) {
      // one pixel too wide for safety
      const x = sub(mul(r, inverse), middle);
      const first = i32x4.trunc_sat_f32x4_s(f32x4.floor(pick(rises, x, all(-1e9))));
      const last = i32x4.trunc_sat_f32x4_s(f32x4.ceil(pick(falls, x, all(1e9))));
      rowFrom = max<i32>(rowFrom, greatest(first) - 1);
      rowTo = min<i32>(rowTo, 1 - greatest(i32x4.neg(last)));
    }
    const r0 = lane0(r);
    const r1 = lane1(r);
    const r2 = lane2(r);
    const rz = lane3(r);
    const end = all(<f32>rowTo);
    let xs = add(all(<f32>rowFrom), steps);
    for (let x = rowFrom; x < rowTo; x += 4, xs = add(xs, all(4))) {
      const px = add(xs, middle);
      const inside = v128.and(
        v128.and(f32x4.ge(add(mul(a0, px), r0), least0), f32x4.ge(add(mul(a1, px), r1), least1)),
        v128.and(f32x4.ge(add(mul(a2, px), r2), least2), f32x4.lt(xs, end)),
      );
      touch(what, t, depth, number, y * pitch + x, width - x, inside, add(mul(az, px), rz));
    }
  }
}

/** Four pixels, from the `at`-th on; `left` of them and those behind them lie in the tile. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function touch(what: i32, t: i32, depth: usize, number: usize, at: i32, left: i32, inside: v128, z: v128): void {
  const i = <usize>at;
  const at4 = i << 2;
  if (what == SHEET) {
    const before = v128.and(v128.and(inside, f32x4.le(z, all(1))), f32x4.gt(z, loadSome(depth + at4, left)));
    if (v128.any_true(before)) colour(at4, left, before, z);
    return;
  }
  const before = v128.load(depth + at4);
  const passing = v128.and(v128.and(inside, f32x4.le(z, all(1))), f32x4.gt(z, before));
  if (what == LAYER) {
    const lanes = i32x4.bitmask(passing);
    if (lanes & 1) addLayer(t, i, f32x4.extract_lane(z, 0));
    if (lanes & 2) addLayer(t, i + 1, f32x4.extract_lane(z, 1));
    if (lanes & 4) addLayer(t, i + 2, f32x4.extract_lane(z, 2));
    if (lanes & 8) addLayer(t, i + 3, f32x4.extract_lane(z, 3));
    return;
  }
  // what does not pass is written as it was: the tile is this thread's own
  v128.store(depth + at4, pick(passing, z, before));
  if (what == SOLID) v128.store(number + at4, pick(passing, i32x4.splat(t), v128.load(number + at4)));
}

/**
 * Draws the opaque triangles of a list into a tile and leaves the others to the caller, in their order.
 * @param list triangle numbers
 * @param left gets those that are not opaque
 * @param stride pixels a row of `depth` and `triangle`, which start at (x0, y0) and end three numbers late
 * @param ox, oy position of the sample inside the pixel
 * @returns how many are left
 */
export function drawTriangles(
  list: usize,
  count: i32,
  left: usize,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  depth: usize,
  triangle: usize,
  stride: i32,
  ox: f32,
  oy: f32,
): i32 {
  let others = left;
  for (let from = 0; from < count; from += READY) {
    const next = list + ((<usize>from) << 2);
    others = sortOut(next, min<i32>(READY, count - from), others, OPAQUE, x0, y0, x1, y1);
    for (let at = ready; at < readyEnd; at += READY_BYTES) cover(SOLID, at, depth, triangle, stride, 0, ox, oy);
  }
  return <i32>((others - left) >> 2);
}

/**
 * Takes a see-through triangle among the nearest of each pixel of a tile.
 * @param counts, depths, numbers those before what is solid, the nearest first, `limit` at most
 */
export function drawLayer(
  t: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  depth: usize,
  counts: usize,
  depths: usize,
  numbers: usize,
  limit: i32,
  stride: i32,
  ox: f32,
  oy: f32,
): void {
  if (!makeReady(t, x0, y0, x1, y1, ready)) return;
  layerCount = counts;
  layerDepth = depths;
  layerTriangle = numbers;
  layerLimit = limit;
  cover(LAYER, ready, depth, 0, stride, 0, ox, oy);
}

/** Puts a layer in its place among those of a pixel; where they are full the farthest goes. */
function addLayer(t: i32, i: usize, z: f32): void {
  let n = <i32>load<u8>(layerCount + i);
  const first = (i * <usize>layerLimit) << 2;
  const depth = layerDepth + first;
  const number = layerTriangle + first;
  if (n == layerLimit) {
    if (z <= load<f32>(depth + ((<usize>(n - 1)) << 2))) return;
    n--;
  }
  let k = (<usize>n) << 2;
  for (; k > 0 && load<f32>(depth + k - 4) < z; k -= 4) {
    store<f32>(depth + k, load<f32>(depth + k - 4));
    store<i32>(number + k, load<i32>(number + k - 4));
  }
  store<f32>(depth + k, z);
  store<i32>(number + k, t);
  store<u8>(layerCount + i, <u8>(n + 1));
}

/**
 * Draws the depth of the solid triangles of a list into a tile of a shadow map; the others are left to the caller.
 * @param solid what `kinds` holds for them
 * @param depths of the tile, from (x0, y0) on, `stride` a row; they end three numbers late
 * @returns how many are left
 */
export function drawDepths(
  list: usize,
  count: i32,
  left: usize,
  solid: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  depths: usize,
  stride: i32,
): i32 {
  let others = left;
  for (let from = 0; from < count; from += READY) {
    const next = list + ((<usize>from) << 2);
    others = sortOut(next, min<i32>(READY, count - from), others, <u8>solid, x0, y0, x1, y1);
    for (let at = ready; at < readyEnd; at += READY_BYTES) cover(DEPTH, at, depths, 0, stride, 0, 0.5, 0.5);
  }
  return <i32>((others - left) >> 2);
}

/**
 * Lets every sheet of evenly tinted glass of a list that lies before the nearest solid surface colour the light; other
 * sheets are left to the caller. The order does not matter but for rounding, so they come after these in both twins.
 * @param glass what `kinds` holds for them
 * @param tints rgb and a one for each material, in 1/32768: what a triangle with white corners lets through, below 0 when
 *   that is not even
 * @returns how many sheets are left
 */
export function drawSheets(
  list: usize,
  count: i32,
  left: usize,
  glass: i32,
  tints: usize,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  map: usize,
  depth: usize,
  colour: usize,
  stride: i32,
): i32 {
  const corner = (<usize>(y0 * stride + x0)) << 2;
  sheetDepth = depth + corner;
  sheetColour = colour + corner;
  let others = 0;
  for (let k = 0; k < count; k++) {
    const t = load<i32>(list + ((<usize>k) << 2));
    const material = <usize>load<u16>(triangleMaterial + ((<usize>t) << 1));
    if (<i32>load<u8>(kinds + material) != glass) continue;
    tint = v128.load64_splat(tints + (material << 3));
    if (!makeReady(t, x0, y0, x1, y1, ready)) continue;
    if (i16x8.extract_lane_s(tint, 0) < 0 || !whiteCorners(t)) {
      store<i32>(left + ((<usize>others) << 2), t);
      others++;
    } else cover(SHEET, ready, map + corner, 0, stride, x1 - x0, 0.5, 0.5);
  }
  return others;
}

/** The first four or fewer numbers of a row's rest: what lies behind it may be another thread's. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function loadSome(at: usize, count: i32): v128 {
  if (count >= 4) return v128.load(at);
  return count == 3
    ? v128.load32_lane(at, v128.load64_zero(at), 2, 8)
    : count == 2
      ? v128.load64_zero(at)
      : v128.load32_zero(at);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function storeSome(at: usize, count: i32, value: v128): void {
  if (count >= 4) v128.store(at, value);
  else if (count == 1) v128.store32_lane(at, value, 0);
  else {
    v128.store64_lane(at, value, 0);
    if (count == 3) v128.store32_lane(at, value, 2, 8);
  }
}

/** Lays the sheet over four texels where a mask has ones. @param at bytes from the tile's first */
function colour(at: usize, count: i32, before: v128, z: v128): void {
  const nearest = loadSome(sheetDepth + at, count);
  storeSome(sheetDepth + at, count, pick(f32x4.gt(v128.and(z, before), nearest), z, nearest));
  const was = loadSome(sheetColour + at, count);
  const first = i16x8.q15mulr_sat_s(i16x8.extend_low_i8x16_u(was), tint);
  const second = i16x8.q15mulr_sat_s(i16x8.extend_high_i8x16_u(was), tint);
  storeSome(sheetColour + at, count, pick(before, i8x16.narrow_i16x8_u(first, second), was));
}
