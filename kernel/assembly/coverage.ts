/**
 * Which triangles cover which pixels: the transform, the picture's tiles, and the depth of shadow maps. Two pixels at a
 * time in doubles, so that coverage is that of the twins to the bit: core/raster/visibility, core/shadows/shadowMap.
 */
import { f, triangleMaterial, triangles, whiteCorners } from './scenery';

let clip: usize = 0;
/** Four 16-bit numbers a triangle: the pixels that it may touch, both ends inclusive. */
let boxes: usize = 0;
/** What to do with the triangles of each material, a byte. */
let kinds: usize = 0;

const OPAQUE: u8 = 0;

/** Edge functions and depth of the triangle that is drawn, as in core/raster/edges. */
let a0: f64 = 0;
let b0: f64 = 0;
let c0: f64 = 0;
let a1: f64 = 0;
let b1: f64 = 0;
let c1: f64 = 0;
let a2: f64 = 0;
let b2: f64 = 0;
let c2: f64 = 0;
let az: f64 = 0;
let bz: f64 = 0;
let cz: f64 = 0;

export function bindCoverage(clip_: usize, boxes_: usize, kinds_: usize): void {
  clip = clip_;
  boxes = boxes_;
  kinds = kinds_;
}

/** Fills a rectangle of an array of 32-bit numbers. @param stride numbers a row */
export function fillSquare(array: usize, stride: i32, x0: i32, y0: i32, x1: i32, y1: i32, value: i32): void {
  const four = i32x4.splat(value);
  for (let y = y0; y < y1; y++) {
    const row = array + (<usize>(y * stride) << 2);
    let x = x0;
    for (; x + 4 <= x1; x += 4) v128.store(row + (<usize>x << 2), four);
    for (; x < x1; x++) store<i32>(row + (<usize>x << 2), value);
  }
}

/** clip[v] = matrix · (position, 1). @param matrix sixteen doubles, row by row */
export function transform(matrix: usize, positions: usize, out: usize, from: i32, to: i32): void {
  const ac0 = pair(matrix, 0);
  const ac1 = pair(matrix, 8);
  const ac2 = pair(matrix, 16);
  const ac3 = pair(matrix, 24);
  const bd0 = pair(matrix + 64, 0);
  const bd1 = pair(matrix + 64, 8);
  const bd2 = pair(matrix + 64, 16);
  const bd3 = pair(matrix + 64, 24);
  for (let v = from; v < to; v++) {
    const p = positions + <usize>v * 12;
    const x = f64x2.splat(f(p));
    const y = f64x2.splat(f(p + 4));
    const z = f64x2.splat(f(p + 8));
    const xy = f64x2.add(
      f64x2.add(f64x2.add(f64x2.mul(ac0, x), f64x2.mul(ac1, y)), f64x2.mul(ac2, z)),
      ac3,
    );
    const zw = f64x2.add(
      f64x2.add(f64x2.add(f64x2.mul(bd0, x), f64x2.mul(bd1, y)), f64x2.mul(bd2, z)),
      bd3,
    );
    const low = f32x4.demote_f64x2_zero(xy);
    const high = f32x4.demote_f64x2_zero(zw);
    v128.store(out + (<usize>v << 4), v128.shuffle<i64>(low, high, 0, 2));
  }
}

/** One column of two neighbouring rows. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function pair(row: usize, at: usize): v128 {
  return f64x2.replace_lane(f64x2.splat(load<f64>(row + at)), 1, load<f64>(row + at + 32));
}

/** @returns whether the triangle can be seen at all */
function setEdges(t: i32): bool {
  const corners = triangles + <usize>t * 12;
  const v0 = clip + (<usize>load<u32>(corners) << 4);
  const v1 = clip + (<usize>load<u32>(corners, 4) << 4);
  const v2 = clip + (<usize>load<u32>(corners, 8) << 4);
  const x0 = f(v0);
  const y0 = f(v0 + 4);
  const w0 = f(v0 + 12);
  const x1 = f(v1);
  const y1 = f(v1 + 4);
  const w1 = f(v1 + 12);
  const x2 = f(v2);
  const y2 = f(v2 + 4);
  const w2 = f(v2 + 12);
  const pa0 = y1 * w2 - w1 * y2;
  const pb0 = w1 * x2 - x1 * w2;
  const pc0 = x1 * y2 - y1 * x2;
  const det = x0 * pa0 + y0 * pb0 + w0 * pc0;
  if (det == 0) return false;
  const s: f64 = det < 0 ? -1 : 1;
  const pa1 = y2 * w0 - w2 * y0;
  const pb1 = w2 * x0 - x2 * w0;
  const pc1 = x2 * y0 - y2 * x0;
  const pa2 = y0 * w1 - w0 * y1;
  const pb2 = w0 * x1 - x0 * w1;
  const pc2 = x0 * y1 - y0 * x1;
  a0 = s * pa0;
  b0 = s * pb0;
  c0 = s * pc0;
  a1 = s * pa1;
  b1 = s * pb1;
  c1 = s * pc1;
  a2 = s * pa2;
  b2 = s * pb2;
  c2 = s * pc2;
  const z0 = f(v0 + 8) / det;
  const z1 = f(v1 + 8) / det;
  const z2 = f(v2 + 8) / det;
  az = pa0 * z0 + pa1 * z1 + pa2 * z2;
  bz = pb0 * z0 + pb1 * z1 + pb2 * z2;
  cz = pc0 * z0 + pc1 * z1 + pc2 * z2;
  return true;
}

/** A sample exactly on an edge belongs to the triangle for which the edge is a left or a top one. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function ownsEdge(a: f64, b: f64): bool {
  return a > 0 || (a == 0 && b > 0);
}

let rowFrom: i32 = 0;
let rowTo: i32 = 0;

/** Narrows the row to what an edge function r + a·(x + ox) ≥ 0 leaves, one pixel too wide for safety. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function narrow(r: f64, a: f64, ox: f64): void {
  if (a > 0) {
    const x = floor<f64>(-r / a - ox) - 1;
    if (x > <f64>rowFrom) rowFrom = x < <f64>rowTo ? <i32>x : rowTo;
  } else if (a < 0) {
    const x = ceil<f64>(-r / a - ox) + 1;
    if (x < <f64>rowTo) rowTo = x > <f64>rowFrom ? <i32>x : rowFrom;
  }
}

/**
 * Draws the opaque triangles of a list into a tile and leaves the others to the caller, in their order.
 * @param list triangle numbers
 * @param left gets those that are not opaque
 * @param stride pixels a row of `depth` and `triangle`, which start at (x0, y0)
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
  ox: f64,
  oy: f64,
): i32 {
  let others = 0;
  for (let k = 0; k < count; k++) {
    const t = load<i32>(list + (<usize>k << 2));
    if (load<u8>(kinds + <usize>load<u16>(triangleMaterial + (<usize>t << 1))) != OPAQUE) {
      store<i32>(left + (<usize>others << 2), t);
      others++;
      continue;
    }
    const box = boxes + (<usize>t << 3);
    const fromX = max<i32>(<i32>load<i16>(box), x0);
    const fromY = max<i32>(<i32>load<i16>(box, 2), y0);
    const toX = min<i32>(<i32>load<i16>(box, 4) + 1, x1);
    const toY = min<i32>(<i32>load<i16>(box, 6) + 1, y1);
    if (fromX >= toX || fromY >= toY || !setEdges(t)) continue;
    const wide = toX - fromX > 8;
    const va0 = f64x2.splat(a0);
    const va1 = f64x2.splat(a1);
    const va2 = f64x2.splat(a2);
    const vaz = f64x2.splat(az);
    const least0 = leastInside(a0, b0);
    const least1 = leastInside(a1, b1);
    const least2 = leastInside(a2, b2);
    const one = f64x2.splat(1);
    const two = f64x2.splat(2);
    const middle = f64x2.splat(ox);
    const number = i32x4.splat(t);
    for (let y = fromY; y < toY; y++) {
      const py = <f64>y + oy;
      const r0 = b0 * py + c0;
      const r1 = b1 * py + c1;
      const r2 = b2 * py + c2;
      const rz = bz * py + cz;
      rowFrom = fromX;
      rowTo = toX;
      if (wide) {
        narrow(r0, a0, ox);
        narrow(r1, a1, ox);
        narrow(r2, a2, ox);
      }
      const row = ((y - y0) * stride - x0) << 2;
      const v0 = f64x2.splat(r0);
      const v1 = f64x2.splat(r1);
      const v2 = f64x2.splat(r2);
      const vz = f64x2.splat(rz);
      const end = f64x2.splat(<f64>rowTo);
      let xs = f64x2.add(f64x2.splat(<f64>rowFrom), f64x2(0, 1));
      for (let x = rowFrom; x < rowTo; x += 2, xs = f64x2.add(xs, two)) {
        const px = f64x2.add(xs, middle);
        const inside = v128.and(
          v128.and(
            f64x2.ge(f64x2.add(f64x2.mul(va0, px), v0), least0),
            f64x2.ge(f64x2.add(f64x2.mul(va1, px), v1), least1),
          ),
          v128.and(f64x2.ge(f64x2.add(f64x2.mul(va2, px), v2), least2), f64x2.lt(xs, end)),
        );
        if (!v128.any_true(inside)) continue;
        // what does not pass is written as it was: the tile is this thread's own
        const at = <usize>(row + (x << 2));
        const z = f64x2.add(f64x2.mul(vaz, px), vz);
        const before = f64x2.promote_low_f32x4(v128.load64_zero(depth + at));
        const passing = v128.and(v128.and(inside, f64x2.le(z, one)), f64x2.gt(z, before));
        v128.store64_lane(depth + at, f32x4.demote_f64x2_zero(v128.bitselect(z, before, passing)), 0);
        const narrow32 = v128.shuffle<i32>(passing, passing, 0, 2, 0, 2);
        v128.store64_lane(triangle + at, v128.bitselect(number, v128.load64_zero(triangle + at), narrow32), 0);
      }
    }
  }
  return others;
}

/**
 * Takes a see-through triangle among the nearest of each pixel of a tile.
 * @param layerCount, layerDepth, layerTriangle those before what is solid, the nearest first, `limit` at most
 */
export function drawLayer(
  t: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  depth: usize,
  layerCount: usize,
  layerDepth: usize,
  layerTriangle: usize,
  limit: i32,
  stride: i32,
  ox: f64,
  oy: f64,
): void {
  const box = boxes + (<usize>t << 3);
  const fromX = max<i32>(<i32>load<i16>(box), x0);
  const fromY = max<i32>(<i32>load<i16>(box, 2), y0);
  const toX = min<i32>(<i32>load<i16>(box, 4) + 1, x1);
  const toY = min<i32>(<i32>load<i16>(box, 6) + 1, y1);
  if (fromX >= toX || fromY >= toY || !setEdges(t)) return;
  const wide = toX - fromX > 8;
  const va0 = f64x2.splat(a0);
  const va1 = f64x2.splat(a1);
  const va2 = f64x2.splat(a2);
  const vaz = f64x2.splat(az);
  const least0 = leastInside(a0, b0);
  const least1 = leastInside(a1, b1);
  const least2 = leastInside(a2, b2);
  const one = f64x2.splat(1);
  const two = f64x2.splat(2);
  const middle = f64x2.splat(ox);
  for (let y = fromY; y < toY; y++) {
    const py = <f64>y + oy;
    const r0 = b0 * py + c0;
    const r1 = b1 * py + c1;
    const r2 = b2 * py + c2;
    rowFrom = fromX;
    rowTo = toX;
    if (wide) {
      narrow(r0, a0, ox);
      narrow(r1, a1, ox);
      narrow(r2, a2, ox);
    }
    const row = (y - y0) * stride - x0;
    const v0 = f64x2.splat(r0);
    const v1 = f64x2.splat(r1);
    const v2 = f64x2.splat(r2);
    const vz = f64x2.splat(bz * py + cz);
    const end = f64x2.splat(<f64>rowTo);
    let xs = f64x2.add(f64x2.splat(<f64>rowFrom), f64x2(0, 1));
    for (let x = rowFrom; x < rowTo; x += 2, xs = f64x2.add(xs, two)) {
      const px = f64x2.add(xs, middle);
      const inside = v128.and(
        v128.and(
          f64x2.ge(f64x2.add(f64x2.mul(va0, px), v0), least0),
          f64x2.ge(f64x2.add(f64x2.mul(va1, px), v1), least1),
        ),
        v128.and(f64x2.ge(f64x2.add(f64x2.mul(va2, px), v2), least2), f64x2.lt(xs, end)),
      );
      if (!v128.any_true(inside)) continue;
      const i = <usize>(row + x);
      const z = f64x2.add(f64x2.mul(vaz, px), vz);
      const solid = f64x2.promote_low_f32x4(v128.load64_zero(depth + (i << 2)));
      const lanes = i64x2.bitmask(v128.and(v128.and(inside, f64x2.le(z, one)), f64x2.gt(z, solid)));
      if (lanes & 1) addLayer(t, i, f64x2.extract_lane(z, 0), layerCount, layerDepth, layerTriangle, limit);
      if (lanes & 2) addLayer(t, i + 1, f64x2.extract_lane(z, 1), layerCount, layerDepth, layerTriangle, limit);
    }
  }
}

/** Puts a layer in its place among those of a pixel; where they are full the farthest goes. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function addLayer(t: i32, i: usize, z: f64, counts: usize, depths: usize, numbers: usize, limit: i32): void {
  let n = <i32>load<u8>(counts + i);
  const first = (i * <usize>limit) << 2;
  const depth = depths + first;
  const number = numbers + first;
  if (n == limit) {
    if (z <= f(depth + (<usize>(n - 1) << 2))) return;
    n--;
  }
  let k = <usize>n << 2;
  for (; k > 0 && f(depth + k - 4) < z; k -= 4) {
    store<f32>(depth + k, load<f32>(depth + k - 4));
    store<i32>(number + k, load<i32>(number + k - 4));
  }
  store<f32>(depth + k, <f32>z);
  store<i32>(number + k, t);
  store<u8>(counts + i, <u8>(n + 1));
}

/**
 * What an edge function is at least where a sample belongs to the triangle: 0 may be the neighbour's, and nothing lies
 * between 0 and the least normal number, for it is made of products of floats.
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function leastInside(a: f64, b: f64): v128 {
  return f64x2.splat(ownsEdge(a, b) ? 0 : 2.2250738585072014e-308);
}

/**
 * Draws the depth of the solid triangles of a list into a square of a shadow map; the others are left to the caller.
 * @param solid what `kinds` holds for them
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
  map: usize,
  stride: i32,
): i32 {
  let others = 0;
  const zero = f64x2.splat(0);
  const one = f64x2.splat(1);
  const two = f64x2.splat(2);
  for (let k = 0; k < count; k++) {
    const t = load<i32>(list + (<usize>k << 2));
    if (<i32>load<u8>(kinds + <usize>load<u16>(triangleMaterial + (<usize>t << 1))) != solid) {
      store<i32>(left + (<usize>others << 2), t);
      others++;
      continue;
    }
    const box = boxes + (<usize>t << 3);
    const fromX = max<i32>(<i32>load<i16>(box), x0);
    const fromY = max<i32>(<i32>load<i16>(box, 2), y0);
    const toX = min<i32>(<i32>load<i16>(box, 4) + 1, x1);
    const toY = min<i32>(<i32>load<i16>(box, 6) + 1, y1);
    if (fromX >= toX || fromY >= toY || !setEdges(t)) continue;
    const wide = toX - fromX > 8;
    const va0 = f64x2.splat(a0);
    const va1 = f64x2.splat(a1);
    const va2 = f64x2.splat(a2);
    const vaz = f64x2.splat(az);
    for (let y = fromY; y < toY; y++) {
      const py = <f64>y + 0.5;
      const r0 = b0 * py + c0;
      const r1 = b1 * py + c1;
      const r2 = b2 * py + c2;
      const rz = bz * py + cz;
      rowFrom = fromX;
      rowTo = toX;
      if (wide) {
        narrow(r0, a0, 0.5);
        narrow(r1, a1, 0.5);
        narrow(r2, a2, 0.5);
      }
      const row = map + (<usize>(y * stride) << 2);
      const v0 = f64x2.splat(r0);
      const v1 = f64x2.splat(r1);
      const v2 = f64x2.splat(r2);
      const vz = f64x2.splat(rz);
      const end = f64x2.splat(<f64>rowTo);
      let px = f64x2.add(f64x2.splat(<f64>rowFrom), f64x2(0.5, 1.5));
      for (let x = rowFrom; x < rowTo; x += 2, px = f64x2.add(px, two)) {
        // an edge may be drawn by both its triangles: for depth alone that changes nothing
        const inside = v128.and(
          v128.and(
            f64x2.ge(f64x2.add(f64x2.mul(va0, px), v0), zero),
            f64x2.ge(f64x2.add(f64x2.mul(va1, px), v1), zero),
          ),
          v128.and(f64x2.ge(f64x2.add(f64x2.mul(va2, px), v2), zero), f64x2.lt(px, end)),
        );
        if (!v128.any_true(inside)) continue;
        const z = f64x2.add(f64x2.mul(vaz, px), vz);
        const at = row + (<usize>x << 2);
        const before = f64x2.promote_low_f32x4(v128.load64_zero(at));
        const passing = v128.and(v128.and(inside, f64x2.le(z, one)), f64x2.gt(z, before));
        const after = f32x4.demote_f64x2_zero(v128.bitselect(z, before, passing));
        // behind the last texel begins the square of another thread
        if (x + 1 < x1) v128.store64_lane(at, after, 0);
        else v128.store32_lane(at, after, 0);
      }
    }
  }
  return others;
}

/**
 * Rounds a square of a map to its codes (0 for none) and writes nearest and farthest depth of each block of 16 × 16.
 * @param blocks two floats a block of the whole map
 */
export function finishDepths(
  map: usize,
  stride: i32,
  codes: f64,
  blocks: usize,
  across: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
): void {
  for (let by = y0; by < y1; by += 16) {
    for (let bx = x0; bx < x1; bx += 16) {
      let low = f32x4.splat(Infinity);
      let high = f32x4.splat(0);
      const toY = min<i32>(by + 16, y1);
      const toX = min<i32>(bx + 16, x1);
      for (let y = by; y < toY; y++) {
        const row = map + (<usize>(y * stride) << 2);
        let x = bx;
        if (codes > 0) {
          let i = bx;
          const many = f64x2.splat(codes);
          const half = f64x2.splat(0.5);
          for (; i + 2 <= toX; i += 2) {
            const at = row + (<usize>i << 2);
            const z = f64x2.promote_low_f32x4(v128.load64_zero(at));
            const rounded = f64x2.div(f64x2.floor(f64x2.add(f64x2.mul(z, many), half)), many);
            v128.store64_lane(at, f32x4.demote_f64x2_zero(rounded), 0);
          }
          for (; i < toX; i++) {
            const at = row + (<usize>i << 2);
            store<f32>(at, <f32>(floor<f64>(f(at) * codes + 0.5) / codes));
          }
        }
        for (; x + 4 <= toX; x += 4) {
          const z = v128.load(row + (<usize>x << 2));
          low = f32x4.pmin(low, z);
          high = f32x4.pmax(high, z);
        }
        for (; x < toX; x++) {
          const z = v128.load32_splat(row + (<usize>x << 2));
          low = f32x4.pmin(low, z);
          high = f32x4.pmax(high, z);
        }
      }
      const at = blocks + (<usize>((by >> 4) * across + (bx >> 4)) << 3);
      store<f32>(at, min(min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)), min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3))));
      store<f32>(at, max(max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)), max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3))), 4);
    }
  }
}

/**
 * Lets every sheet of evenly tinted glass of a list that lies before the nearest solid surface colour the light; other
 * sheets are left to the caller. The order does not matter but for rounding, so they come after these in both twins.
 * @param glass what `kinds` holds for them
 * @param tints rgb and a one for each material: what a triangle with white corners lets through, below 0 when that is not
 *   even
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
  const one = f64x2.splat(1);
  const two = f64x2.splat(2);
  let others = 0;
  for (let k = 0; k < count; k++) {
    const t = load<i32>(list + (<usize>k << 2));
    const material = <usize>load<u16>(triangleMaterial + (<usize>t << 1));
    if (<i32>load<u8>(kinds + material) != glass) continue;
    const tint = v128.load(tints + (material << 4));
    const box = boxes + (<usize>t << 3);
    const fromX = max<i32>(<i32>load<i16>(box), x0);
    const fromY = max<i32>(<i32>load<i16>(box, 2), y0);
    const toX = min<i32>(<i32>load<i16>(box, 4) + 1, x1);
    const toY = min<i32>(<i32>load<i16>(box, 6) + 1, y1);
    if (fromX >= toX || fromY >= toY || !setEdges(t)) continue;
    if (f32x4.extract_lane(tint, 0) < 0 || !whiteCorners(t)) {
      store<i32>(left + (<usize>others << 2), t);
      others++;
      continue;
    }
    const wide = toX - fromX > 8;
    const va0 = f64x2.splat(a0);
    const va1 = f64x2.splat(a1);
    const va2 = f64x2.splat(a2);
    const vaz = f64x2.splat(az);
    const vcz = f64x2.splat(cz);
    const vc0 = f64x2.splat(c0);
    const vc1 = f64x2.splat(c1);
    const vc2 = f64x2.splat(c2);
    const least0 = leastInside(a0, b0);
    const least1 = leastInside(a1, b1);
    const least2 = leastInside(a2, b2);
    for (let y = fromY; y < toY; y++) {
      const py = <f64>y + 0.5;
      const row = <usize>(y * stride);
      const r0 = b0 * py;
      const r1 = b1 * py;
      const r2 = b2 * py;
      const vz = f64x2.splat(bz * py);
      rowFrom = fromX;
      rowTo = toX;
      if (wide) {
        narrow(r0 + c0, a0, 0.5);
        narrow(r1 + c1, a1, 0.5);
        narrow(r2 + c2, a2, 0.5);
      }
      const v0 = f64x2.splat(r0);
      const v1 = f64x2.splat(r1);
      const v2 = f64x2.splat(r2);
      const end = f64x2.splat(<f64>rowTo);
      let px = f64x2.add(f64x2.splat(<f64>rowFrom), f64x2(0.5, 1.5));
      for (let x = rowFrom; x < rowTo; x += 2, px = f64x2.add(px, two)) {
        // in this order, as everywhere where an edge decides who owns it
        const e0 = f64x2.add(f64x2.add(f64x2.mul(va0, px), v0), vc0);
        const e1 = f64x2.add(f64x2.add(f64x2.mul(va1, px), v1), vc1);
        const e2 = f64x2.add(f64x2.add(f64x2.mul(va2, px), v2), vc2);
        const inside = v128.and(
          v128.and(f64x2.ge(e0, least0), f64x2.ge(e1, least1)),
          v128.and(f64x2.ge(e2, least2), f64x2.lt(px, end)),
        );
        if (!v128.any_true(inside)) continue;
        const at = (row + <usize>x) << 2;
        const z = f64x2.add(f64x2.add(f64x2.mul(vaz, px), vz), vcz);
        const solid = f64x2.promote_low_f32x4(v128.load64_zero(map + at));
        const before = v128.and(v128.and(inside, f64x2.le(z, one)), f64x2.gt(z, solid));
        if (!v128.any_true(before)) continue;
        const nearest = f64x2.promote_low_f32x4(v128.load64_zero(depth + at));
        const nearer = f64x2.gt(v128.and(z, before), nearest);
        const depths = f32x4.demote_f64x2_zero(v128.bitselect(z, nearest, nearer));
        const was = v128.load64_zero(colour + at);
        const colours = v128.bitselect(tinted(was, tint), was, v128.shuffle<i32>(before, before, 0, 2, 0, 2));
        // behind the last texel begins the square of another thread
        if (x + 1 < x1) {
          v128.store64_lane(depth + at, depths, 0);
          v128.store64_lane(colour + at, colours, 0);
        } else {
          v128.store32_lane(depth + at, depths, 0);
          v128.store32_lane(colour + at, colours, 0);
        }
      }
    }
  }
  return others;
}

/** The colours of two texels, four bytes each, times a tint. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function tinted(colours: v128, tint: v128): v128 {
  const codes = i16x8.extend_low_i8x16_u(colours);
  const half = f32x4.splat(0.5);
  const one = f32x4.convert_i32x4_u(i32x4.extend_low_i16x8_u(codes));
  const two = f32x4.convert_i32x4_u(i32x4.extend_high_i16x8_u(codes));
  const first = i32x4.trunc_sat_f32x4_u(f32x4.add(f32x4.mul(one, tint), half));
  const second = i32x4.trunc_sat_f32x4_u(f32x4.add(f32x4.mul(two, tint), half));
  const both = i16x8.narrow_i32x4_u(first, second);
  return i8x16.narrow_i16x8_u(both, both);
}
