/** Points of the picture that look around, and what places between them take from these: see core/around/screen. */
import { add, all, dot, mul, over, pick, sub } from './four';
import * as F from './layouts/screenFour';
import * as O from './layouts/screenOrder';
import * as P from './layouts/screenPoint';
import * as S from './layouts/sender';
import { BLOCK, C, marchFour, senderOf } from './screenMarch';

/** Points across the grid of a tile: core/around/screen/tilePoints. */
const SIDE: usize = 40;
/** Neighbours that count for less than this together are too little to go by. */
const LEAST: f32 = 0.05;
/** Cosine of their normals from which on a point counts for a place, by its fourth power. */
const LEAST_FACING: f32 = 0.2;
/** A point and a place are of one surface where one lies no farther off the other's plane than so much of their distance. */
const OFF_PLANE: f32 = 0.2;

/** Where a field of the grid's points lies: columns of `SIDE` × `SIDE` numbers. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function pointsOf(grid: usize, field: usize): usize {
  return grid + field * (SIDE * SIDE);
}

/** Looks around from the points x0 … x1, y0 … y1 of the grid. @param a room for four */
export function fillScreenGrid(a: usize, order: usize, x0: i32, y0: i32, x1: i32, y1: i32): void {
  const grid = <usize>load<u32>(order, O.SCREEN_GRID);
  const left = load<i32>(order, O.SCREEN_GRID_LEFT);
  const top = load<i32>(order, O.SCREEN_GRID_TOP);
  const width = load<i32>(order, O.SCREEN_WIDTH);
  const depth = <usize>load<u32>(order, O.SCREEN_DEPTH);
  const senders = <usize>load<u32>(order, O.SCREEN_SENDERS);
  const smooth = <usize>load<u32>(order, O.SCREEN_SMOOTH);
  const perspective = load<i32>(order, O.SCREEN_PERSPECTIVE) != 0;
  const rays = load<i32>(order, O.SCREEN_RAYS);
  const seed = load<i32>(order, O.SCREEN_SEED);
  const draws = <usize>load<u32>(order, O.SCREEN_DRAWS);
  const blends = load<i32>(order, O.SCREEN_BLENDS) != 0;
  memory.fill(grid, 0, pointsOf(0, P.POINT_BYTES));
  // four at a time stand at the same place of their blocks: their rays have the same numbers
  const stride = blends ? BLOCK : 1;
  for (let y = y0; y <= y1; y++)
    for (let phase = 0; phase < stride; phase++)
      for (let x = x0 + phase; x <= x1; x += 4 * stride) {
        let any = false;
        for (let lane = 0; lane < 4; lane++) {
          const p = a + <usize>(lane << 2);
          const gx = x + lane * stride;
          const pixel = <usize>(y * width + gx);
          // metal and glass need no irradiance: places beside them do not go by it either
          const asks = gx <= x1 && load<f32>(senderOf(senders, <i32>pixel), S.SENDER_MATTE) > 0;
          const d: f32 = asks ? load<f32>(depth + (pixel << 2)) : 0;
          store<i32>(p, d > 0 ? -1 : 0, F.FOUR_LIVE);
          // what is not there still needs numbers that can be reckoned with
          const sx = <f32>gx + 0.5;
          const sy = <f32>y + 0.5;
          const deep: f32 = d > 0 ? d : 1;
          store<f32>(p, sx, F.FOUR_X);
          store<f32>(p, sy, F.FOUR_Y);
          store<i32>(p, blends ? seed + ((y >> 2) << 14) + (gx >> 2) : seed + (y << 14) + gx, F.FOUR_SEED);
          for (let c: usize = 0; c < 3; c++) {
            const o = order + (c << 2);
            const ray =
              load<f32>(o, O.SCREEN_BASE) + sx * load<f32>(o, O.SCREEN_RIGHT) + sy * load<f32>(o, O.SCREEN_DOWN);
            const at = perspective ? ray * deep : ray + load<f32>(o, O.SCREEN_FORWARD) * deep;
            store<f32>(p + c * C, at, F.FOUR_POSITION);
            const far = pixel * 12 + (c << 2);
            store<f32>(p + c * C, d > 0 ? load<f32>(smooth + far) : 0, F.FOUR_NORMAL);
            const face = senderOf(senders, <i32>pixel) + (c << 2);
            store<f32>(p + c * C, d > 0 ? load<f32>(face, S.SENDER_FACE) : 0, F.FOUR_FACE);
          }
          any = any || d > 0;
        }
        if (!any) continue;
        const slot = (x & 1) * 8 + (y & 1) * 4 + ((x >> 1) & 1) * 2 + ((y >> 1) & 1);
        marchFour(a, order, blends ? draws + ((<usize>(slot * rays)) << 4) : draws);
        for (let lane = 0; lane < 4; lane++) {
          const p = a + <usize>(lane << 2);
          if (load<i32>(p, F.FOUR_LIVE) == 0) continue;
          const g = grid + ((<usize>(y - top) * SIDE + <usize>(x + lane * stride - left)) << 2);
          for (let c: usize = 0; c < 3; c++) {
            store<f32>(pointsOf(g, P.POINT_FOUND + (c << 2)), load<f32>(p + c * C, F.FOUR_FOUND));
            store<f32>(pointsOf(g, P.POINT_LEAN + (c << 2)), load<f32>(p + c * C, F.FOUR_LEAN));
            store<f32>(pointsOf(g, P.POINT_POSITION + (c << 2)), load<f32>(p + c * C, F.FOUR_POSITION));
            store<f32>(pointsOf(g, P.POINT_NORMAL + (c << 2)), load<f32>(p + c * C, F.FOUR_NORMAL));
          }
          store<f32>(pointsOf(g, P.POINT_SURE), load<f32>(p, F.FOUR_SURE));
          store<f32>(pointsOf(g, P.POINT_LEFT), load<f32>(p, F.FOUR_LEFT));
          store<f32>(pointsOf(g, P.POINT_HIDDEN), load<f32>(p, F.FOUR_HIDDEN));
          store<f32>(pointsOf(g, P.POINT_KNOWN), 1);
          store<f32>(
            pointsOf(g, P.POINT_BRIGHT),
            load<f32>(p, F.FOUR_FOUND) * 0.2126 +
              load<f32>(p + C, F.FOUR_FOUND) * 0.7152 +
              load<f32>(p + 2 * C, F.FOUR_FOUND) * 0.0722,
          );
        }
      }
  cutOutliers(grid);
}

/** A point is no brighter than so many times those around it. */
const OUTLIER: f32 = 8;
/** Fewer neighbours than this say nothing. */
const FEWEST: f32 = 4;

/**
 * What a single ray of many points meets is too small for all of them: it is cut to what the neighbours, two points around,
 * make likely, lest it be seen as lone bright blots.
 */
function cutOutliers(grid: usize): void {
  const row = SIDE << 2;
  for (let y: usize = 2; y < SIDE - 2; y++)
    for (let x: usize = 2; x < SIDE - 2; x += 4) {
      const g = grid + ((y * SIDE + x) << 2);
      const own = field(g, P.POINT_BRIGHT);
      if (!v128.any_true(own)) continue;
      let sum = all(0);
      let count = all(-1);
      for (let line = g - 2 * row; line <= g + 2 * row; line += row)
        for (let at = line - 8; at <= line + 8; at += 4) {
          sum = add(sum, field(at, P.POINT_BRIGHT));
          count = add(count, field(at, P.POINT_KNOWN));
        }
      const most = mul(over(sub(sum, own), count), all(OUTLIER));
      const cut = v128.and(f32x4.gt(own, most), f32x4.ge(count, all(FEWEST)));
      if (!v128.any_true(cut)) continue;
      const kept = pick(cut, over(most, own), all(1));
      for (let c: usize = 0; c < 12; c += 4) {
        const to = pointsOf(g, P.POINT_FOUND + c);
        v128.store(to, mul(v128.load(to), kept));
      }
    }
}

/** Four sums of four numbers each. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function sums(a: v128, b: v128, c: v128, d: v128): v128 {
  const ab = add(v128.shuffle<i32>(a, b, 0, 4, 1, 5), v128.shuffle<i32>(a, b, 2, 6, 3, 7));
  const cd = add(v128.shuffle<i32>(c, d, 0, 4, 1, 5), v128.shuffle<i32>(c, d, 2, 6, 3, 7));
  return add(v128.shuffle<i32>(ab, cd, 0, 1, 4, 5), v128.shuffle<i32>(ab, cd, 2, 3, 6, 7));
}

/** A field of four neighbouring points. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function field(at: usize, f: usize): v128 {
  return v128.load(pointsOf(at, f));
}

/**
 * Takes what four places have from the points around them (joint bilateral upsampling: Kopf et al. 2007).
 * @returns bits of the live ones for which too little counts
 */
export function readGrid(a: usize, order: usize, grid: usize): i32 {
  const left = load<i32>(order, O.SCREEN_GRID_LEFT);
  const top = load<i32>(order, O.SCREEN_GRID_TOP);
  const blends = load<i32>(order, O.SCREEN_BLENDS) != 0;
  const none = all(0);
  let unknown = 0;
  for (let lane = 0; lane < 4; lane++) {
    const p = a + <usize>(lane << 2);
    if (load<i32>(p, F.FOUR_LIVE) == 0) continue;
    const gx = load<f32>(p, F.FOUR_X) - 0.5;
    const gy = load<f32>(p, F.FOUR_Y) - 0.5;
    const x0 = floor(gx);
    const y0 = floor(gy);
    const fx = gx - x0;
    const fy = gy - y0;
    const across = blends
      ? f32x4.replace_lane(f32x4.replace_lane(all(1), 0, 1 - fx), 3, fx)
      : f32x4.replace_lane(f32x4.replace_lane(none, 1, 1 - fx), 2, fx);
    const x = all(load<f32>(p, F.FOUR_POSITION));
    const y = all(load<f32>(p + C, F.FOUR_POSITION));
    const z = all(load<f32>(p + 2 * C, F.FOUR_POSITION));
    const nx = all(load<f32>(p, F.FOUR_NORMAL));
    const ny = all(load<f32>(p + C, F.FOUR_NORMAL));
    const nz = all(load<f32>(p + 2 * C, F.FOUR_NORMAL));
    const faceX = all(load<f32>(p, F.FOUR_FACE));
    const faceY = all(load<f32>(p + C, F.FOUR_FACE));
    const faceZ = all(load<f32>(p + 2 * C, F.FOUR_FACE));
    let sum = none;
    let red = none;
    let green = none;
    let blue = none;
    let sure = none;
    let leanX = none;
    let leanY = none;
    let leanZ = none;
    let wentLeft = none;
    let wentHidden = none;
    const first = blends ? 0 : 1;
    for (let k = first; k < 4 - first; k++) {
      const down: f32 = k == 0 ? 1 - fy : k == 3 ? fy : blends ? 1 : k == 1 ? 1 - fy : fy;
      const line = <i32>y0 - 1 + k - top;
      const g = grid + ((<usize>line * SIDE + <usize>(<i32>x0 - 1 - left)) << 2);
      const ex = sub(field(g, P.POINT_POSITION), x);
      const ey = sub(field(g, P.POINT_POSITION + 4), y);
      const ez = sub(field(g, P.POINT_POSITION + 8), z);
      // by the true face: normals that pictures bend differ from place to place of one surface
      const off = dot(ex, ey, ez, faceX, faceY, faceZ);
      const facing = dot(
        field(g, P.POINT_NORMAL),
        field(g, P.POINT_NORMAL + 4),
        field(g, P.POINT_NORMAL + 8),
        nx,
        ny,
        nz,
      );
      const kindred = mul(facing, facing);
      const most = add(mul(dot(ex, ey, ez, ex, ey, ez), all(OFF_PLANE * OFF_PLANE)), all(1e-12));
      const kin = v128.and(f32x4.gt(facing, all(LEAST_FACING)), f32x4.le(mul(off, off), most));
      const weight = v128.and(kin, mul(mul(across, all(down)), mul(mul(kindred, kindred), field(g, P.POINT_KNOWN))));
      sum = add(sum, weight);
      red = add(red, mul(field(g, P.POINT_FOUND), weight));
      green = add(green, mul(field(g, P.POINT_FOUND + 4), weight));
      blue = add(blue, mul(field(g, P.POINT_FOUND + 8), weight));
      sure = add(sure, mul(field(g, P.POINT_SURE), weight));
      leanX = add(leanX, mul(field(g, P.POINT_LEAN), weight));
      leanY = add(leanY, mul(field(g, P.POINT_LEAN + 4), weight));
      leanZ = add(leanZ, mul(field(g, P.POINT_LEAN + 8), weight));
      wentLeft = add(wentLeft, mul(field(g, P.POINT_LEFT), weight));
      wentHidden = add(wentHidden, mul(field(g, P.POINT_HIDDEN), weight));
    }
    let light = sums(red, green, blue, sure);
    let lean = sums(leanX, leanY, leanZ, sum);
    let lost = sums(wentLeft, wentHidden, none, none);
    const whole = f32x4.extract_lane(lean, 3);
    if (whole < LEAST) {
      unknown |= 1 << lane;
      continue;
    }
    const scale = all(1 / whole);
    light = mul(light, scale);
    lean = mul(lean, scale);
    lost = mul(lost, scale);
    v128.store32_lane(p + F.FOUR_FOUND, light, 0);
    v128.store32_lane(p + C + F.FOUR_FOUND, light, 1);
    v128.store32_lane(p + 2 * C + F.FOUR_FOUND, light, 2);
    v128.store32_lane(p + F.FOUR_SURE, light, 3);
    v128.store32_lane(p + F.FOUR_LEAN, lean, 0);
    v128.store32_lane(p + C + F.FOUR_LEAN, lean, 1);
    v128.store32_lane(p + 2 * C + F.FOUR_LEAN, lean, 2);
    v128.store32_lane(p + F.FOUR_LEFT, lost, 0);
    v128.store32_lane(p + F.FOUR_HIDDEN, lost, 1);
  }
  return unknown;
}
