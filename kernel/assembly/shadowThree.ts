/**
 * The box filter of up to 3 × 3 comparisons, no farther apart than texels: four texels in each of four rows hold them all.
 * Each is compared once and counts for all comparisons that fall into it. Twin: core/shadows/readShadow.
 */
import {
  add,
  all,
  firstHalves,
  firstTwo,
  lane0,
  lane1,
  lane2,
  lane3,
  lastHalves,
  lastTwo,
  mul,
  pick,
  sub,
} from './four';
import { BLOCK_OFFSET, OFFSET } from './lightRecord';
import { blocks, depths } from './shadowMaps';

export const NARROW_TAPS: i32 = 3;

/** How much of the comparisons falls into texels from some on: of the second, third and fourth, which reach there from a start on. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function beyond(start: v128, from: v128, weight: v128): v128 {
  return v128.and(f32x4.ge(start, from), weight);
}

/** Share of light that reaches four places. */
export let narrowLit: v128 = f32x4.splat(0);

/**
 * Sets `narrowLit`.
 * @param n texels across the map @param u, v, depth the places in the map @param reached where it is asked for
 * @returns the lanes whose filter reaches over the border, of which nothing is said
 */
export function filteredThree(
  view: usize,
  n: i32,
  u: v128,
  v: v128,
  depth: v128,
  taps: i32,
  spacing: f32,
  reached: v128,
): i32 {
  // along each axis: which texel the first comparison falls into, and where in it; closer than texels, the i-th lies at most
  // i texels behind. The border is weighted so that it slides smoothly: one comparison more, and its part of the first.
  // As it slides, it does not matter on which side of a comparison's border rounding puts a place
  const one = all(1);
  const half = all(0.5);
  const step = all(spacing);
  const inverse = all(1 / spacing);
  const middle = all(<f32>taps * 0.5);
  const startX = sub(mul(u, inverse), middle);
  const startY = sub(mul(v, inverse), middle);
  const kx = f32x4.floor(startX);
  const ky = f32x4.floor(startY);
  const shareX = sub(startX, kx);
  const shareY = sub(startY, ky);
  const placeX = mul(add(kx, half), step);
  const placeY = mul(add(ky, half), step);
  const texelX = f32x4.floor(placeX);
  const texelY = f32x4.floor(placeY);
  const x = i32x4.trunc_sat_f32x4_s(texelX);
  const y = i32x4.trunc_sat_f32x4_s(texelY);
  // four texels are read each way, whatever is behind the last that counts
  const last = i32x4.splat(n - 4);
  const none = all(0);
  const x0 = i32x4.max_s(i32x4.min_s(x, last), none);
  const y0 = i32x4.max_s(i32x4.min_s(y, last), none);
  const inner = v128.and(i32x4.eq(x0, x), i32x4.eq(y0, y));
  const left = i32x4.bitmask(v128.andnot(reached, inner));
  if (clearOfBlocks(view, n, x0, y0, depth, reached)) return left;
  const texels = i32x4.shl(i32x4.add(i32x4.mul(y0, i32x4.splat(n)), x0), 2);
  const base = depths + ((<usize>load<u32>(view, OFFSET)) << 2);
  const pitch = (<usize>n) << 2;
  const p0 = base + <usize>i32x4.extract_lane(texels, 0);
  const p1 = base + <usize>i32x4.extract_lane(texels, 1);
  const p2 = base + <usize>i32x4.extract_lane(texels, 2);
  const p3 = base + <usize>i32x4.extract_lane(texels, 3);
  // most places are lit: where nothing in all these texels is in the way no weights are needed
  const asked = pick(reached, depth, all(Infinity));
  const lit0 = f32x4.ge(lane0(asked), nearestOf(p0, pitch));
  const lit1 = f32x4.ge(lane1(asked), nearestOf(p1, pitch));
  const lit2 = f32x4.ge(lane2(asked), nearestOf(p2, pitch));
  const lit3 = f32x4.ge(lane3(asked), nearestOf(p3, pitch));
  if (i32x4.all_true(v128.and(v128.and(lit0, lit1), v128.and(lit2, lit3)))) {
    narrowLit = one;
    return left;
  }
  const inX = sub(placeX, texelX);
  const inY = sub(placeY, texelY);
  const last3 = taps == 3;
  const second1 = all(1 - spacing);
  const third1 = all(1 - 2 * spacing);
  const third2 = all(2 - 2 * spacing);
  const fourth1 = all(1 - 3 * spacing);
  const fourth2 = all(2 - 3 * spacing);
  const fourth3 = all(3 - 3 * spacing);
  const thirdX = last3 ? one : shareX;
  const thirdY = last3 ? one : shareY;
  const fourthX = last3 ? shareX : none;
  const fourthY = last3 ? shareY : none;
  const x1 = add(beyond(inX, second1, one), add(beyond(inX, third1, thirdX), beyond(inX, fourth1, fourthX)));
  const y1 = add(beyond(inY, second1, one), add(beyond(inY, third1, thirdY), beyond(inY, fourth1, fourthY)));
  const x2 = add(beyond(inX, third2, thirdX), beyond(inX, fourth2, fourthX));
  const y2 = add(beyond(inY, third2, thirdY), beyond(inY, fourth2, fourthY));
  const x3 = beyond(inX, fourth3, fourthX);
  const y3 = beyond(inY, fourth3, fourthY);
  const many = all(<f32>taps);
  const columns0 = sub(many, x1);
  const columns1 = sub(x1, x2);
  const columns2 = sub(x2, x3);
  const share0 = sub(many, y1);
  const share1 = sub(y1, y2);
  const share2 = sub(y2, y3);
  const share3 = y3;
  const low = firstTwo(columns0, columns1);
  const low2 = firstTwo(columns2, x3);
  const high = lastTwo(columns0, columns1);
  const high2 = lastTwo(columns2, x3);
  const s0 = passed(
    p0,
    pitch,
    lane0(depth),
    firstHalves(low, low2),
    lane0(share0),
    lane0(share1),
    lane0(share2),
    lane0(share3),
  );
  const s1 = passed(
    p1,
    pitch,
    lane1(depth),
    lastHalves(low, low2),
    lane1(share0),
    lane1(share1),
    lane1(share2),
    lane1(share3),
  );
  const s2 = passed(
    p2,
    pitch,
    lane2(depth),
    firstHalves(high, high2),
    lane2(share0),
    lane2(share1),
    lane2(share2),
    lane2(share3),
  );
  const s3 = passed(
    p3,
    pitch,
    lane3(depth),
    lastHalves(high, high2),
    lane3(share0),
    lane3(share1),
    lane3(share2),
    lane3(share3),
  );
  const left0 = firstTwo(s0, s1);
  const left1 = firstTwo(s2, s3);
  const right0 = lastTwo(s0, s1);
  const right1 = lastTwo(s2, s3);
  const sum = add(
    add(firstHalves(left0, left1), lastHalves(left0, left1)),
    add(firstHalves(right0, right1), lastHalves(right0, right1)),
  );
  const lit = mul(sum, all(1 / <f32>(taps * taps)));
  // all that passes is one, as where blocks say so: a place may not depend on those beside it
  narrowLit = pick(f32x4.gt(lit, all(0.9999995)), all(1), lit);
  return left;
}

/** The nearest to the light of four rows of texels, column by column. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function nearestOf(p: usize, pitch: usize): v128 {
  const above = f32x4.pmax(v128.load(p), v128.load(p + pitch));
  const below = f32x4.pmax(v128.load(p + 2 * pitch), v128.load(p + 3 * pitch));
  return f32x4.pmax(above, below);
}

/** Weights of the texels around one place that a depth reaches, row by row. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function passed(p: usize, pitch: usize, reach: v128, near: v128, r0: v128, r1: v128, r2: v128, r3: v128): v128 {
  const a = mul(v128.and(f32x4.ge(reach, v128.load(p)), near), r0);
  const b = mul(v128.and(f32x4.ge(reach, v128.load(p + pitch)), near), r1);
  const c = mul(v128.and(f32x4.ge(reach, v128.load(p + 2 * pitch)), near), r2);
  const d = mul(v128.and(f32x4.ge(reach, v128.load(p + 3 * pitch)), near), r3);
  return add(add(a, b), add(c, d));
}

/** Do all places lie before, or all behind everything in the blocks around them? Then `narrowLit` is set. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function clearOfBlocks(view: usize, n: i32, x: v128, y: v128, depth: v128, reached: v128): bool {
  const bx = i32x4.shr_s(x, 4);
  const by = i32x4.shr_s(y, 4);
  const column = lane0(bx);
  const line = lane0(by);
  // within two blocks of each other, both ways
  const one = i32x4.splat(1);
  const endX = i32x4.shr_s(i32x4.add(x, i32x4.splat(3)), 4);
  const endY = i32x4.shr_s(i32x4.add(y, i32x4.splat(3)), 4);
  const near = v128.and(
    v128.and(i32x4.ge_s(bx, column), i32x4.le_s(endX, i32x4.add(column, one))),
    v128.and(i32x4.ge_s(by, line), i32x4.le_s(endY, i32x4.add(line, one))),
  );
  if (!i32x4.all_true(near)) return false;
  const across = (n + 15) >> 4;
  const from = blocks + ((<usize>load<u32>(view, BLOCK_OFFSET)) << 3);
  const at = from + ((<usize>(i32x4.extract_lane(by, 0) * across + i32x4.extract_lane(bx, 0))) << 3);
  const right: usize = v128.any_true(i32x4.gt_s(endX, column)) ? 8 : 0;
  const below: usize = v128.any_true(i32x4.gt_s(endY, line)) ? (<usize>across) << 3 : 0;
  const a = v128.load64_zero(at);
  const b = v128.load64_zero(at + right);
  const c = v128.load64_zero(at + below);
  const d = v128.load64_zero(at + below + right);
  const least = f32x4.pmin(f32x4.pmin(a, b), f32x4.pmin(c, d));
  const most = f32x4.pmax(f32x4.pmax(a, b), f32x4.pmax(c, d));
  const before = f32x4.ge(depth, lane1(most));
  const behind = f32x4.lt(depth, lane0(least));
  if (i32x4.all_true(v128.or(before, v128.not(reached)))) {
    narrowLit = all(1);
    return true;
  }
  if (i32x4.all_true(v128.or(behind, v128.not(reached)))) {
    narrowLit = all(0);
    return true;
  }
  return false;
}
