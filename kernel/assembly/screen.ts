/**
 * Bounced light by rays that march through what the picture shows, four at once: core/around/screen says how it is done.
 * A ray that goes behind something thicker than it is taken for, or leaves the frame, has found nothing.
 */
import { drawOf, firsts, seconds } from './draws';
import { add, all, allAt, dot, greater, lesser, mul, over, pick, root, sub } from './four';
import { cosineOf, depthsAt, sineOf } from './occlusion';
import * as F from './layouts/screenFour';
import * as O from './layouts/screenOrder';
import * as P from './layouts/screenPoint';
import * as S from './layouts/sender';
import {
  BENT,
  BOUNCE_SURE,
  col,
  COLUMN,
  DIFFUSE,
  FACE,
  FAR,
  FOUND_BOUNCE,
  fourOf,
  fours,
  LIVE,
  NORMAL,
  POSITION,
  put,
  row,
} from './row';

const PI: f32 = 3.141592653589793;
/** Bytes of a column of four. */
const C: usize = 16;
/** Sine of the angle over its own plane below which what a ray meets is the surface that it left. */
const OWN_PLANE: f32 = 0.02;
/** Pixels from the edge of the picture to which rays are followed. */
const INSIDE: f32 = 0.01;
/** A ray is behind a surface when it lies so many times as deep. */
const BEHIND: f32 = 1.0001;
/** Neighbours that count for less than this together are too little to go by. */
const LEAST: f32 = 0.05;
/** Cosine of their normals from which on a point counts for a place, by its fourth power. */
const LEAST_FACING: f32 = 0.2;
/** A point and a place are of one surface where one lies no farther off the other's plane than so much of their distance. */
const OFF_PLANE: f32 = 0.2;
/** Bytes of what is found of four. */
const FOUND_BYTES: usize = F.FOUR_KEPT - F.FOUR_FOUND;
/** Points across the grid of a tile: core/around/screen/tilePoints. */
const SIDE: usize = 40;
/** Points across a block whose rays are parts of one set, where places go by all of them. */
const BLOCK: i32 = 4;

/** The pixels in which four places of the picture lie, and their middles. */
let pixels: v128 = i32x4.splat(0);
let centreX: v128 = f32x4.splat(0);
let centreY: v128 = f32x4.splat(0);
/** Adding it leaves a whole number below 2²³ in the lowest bits. */
const WHOLE: f32 = 8388608;
const LOWEST: i32 = 0x7fffff;

/** Looks up those that are `asked` for, which lie in the picture. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function placeAt(x: v128, y: v128, width: v128, asked: v128): void {
  centreX = f32x4.floor(x);
  centreY = f32x4.floor(y);
  const ix = v128.and(add(centreX, all(WHOLE)), i32x4.splat(LOWEST));
  const iy = v128.and(add(centreY, all(WHOLE)), i32x4.splat(LOWEST));
  pixels = v128.and(asked, i32x4.add(i32x4.mul(iy, width), ix));
}

/**
 * Does a ray lie behind what is seen?
 * @param k of the ray: one over its metres along the view axis, or these of a parallel camera: in the picture both change evenly
 * @param d metres of what is seen, 0 for nothing
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function isBehind(k: v128, d: v128, perspective: bool): v128 {
  const least = mul(d, all(BEHIND));
  return v128.and(f32x4.gt(d, all(0)), perspective ? f32x4.lt(mul(k, least), all(1)) : f32x4.gt(k, least));
}

/** Cosines of directions and the faces of what is seen at four pixels. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function facing(senders: usize, four: v128, x: v128, y: v128, z: v128): v128 {
  const f0 = v128.load(senderOf(senders, i32x4.extract_lane(four, 0)), S.SENDER_FACE);
  const f1 = v128.load(senderOf(senders, i32x4.extract_lane(four, 1)), S.SENDER_FACE);
  const f2 = v128.load(senderOf(senders, i32x4.extract_lane(four, 2)), S.SENDER_FACE);
  const f3 = v128.load(senderOf(senders, i32x4.extract_lane(four, 3)), S.SENDER_FACE);
  const low = v128.shuffle<i32>(f0, f1, 0, 4, 1, 5);
  const high = v128.shuffle<i32>(f2, f3, 0, 4, 1, 5);
  const fx = v128.shuffle<i32>(low, high, 0, 1, 4, 5);
  const fy = v128.shuffle<i32>(low, high, 2, 3, 6, 7);
  const fz = v128.shuffle<i32>(
    v128.shuffle<i32>(f0, f1, 2, 6, 2, 6),
    v128.shuffle<i32>(f2, f3, 2, 6, 2, 6),
    0,
    1,
    4,
    5,
  );
  return dot(fx, fy, fz, x, y, z);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function senderOf(senders: usize, pixel: i32): usize {
  return senders + <usize>pixel * S.SENDER_BYTES;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function turned(draw: v128, by: v128): v128 {
  const sum = add(draw, by);
  return sub(sum, f32x4.floor(sum));
}

/** Of numbers 0 … 1, what their highest twelve bits leave over. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function lowBits(draw: v128): v128 {
  const part = mul(draw, all(4096));
  return sub(part, f32x4.floor(part));
}

/** Random numbers of a sample's rays, those of a block's points one after the other. */
export function drawRays(order: usize, number: i32): void {
  const draws = <usize>load<u32>(order, O.SCREEN_DRAWS);
  const points = load<i32>(order, O.SCREEN_BLENDS) != 0 ? BLOCK * BLOCK : 1;
  const count = points * load<i32>(order, O.SCREEN_RAYS);
  const seeds = i32x4.splat(load<i32>(order, O.SCREEN_SEED));
  for (let i = 0; i < count; i++) {
    drawOf(number * count + i, seeds);
    const to = draws + ((<usize>i) << 4);
    store<f32>(to, f32x4.extract_lane(firsts, 0));
    store<f32>(to, f32x4.extract_lane(seconds, 0), 4);
    drawOf(number * count + i, i32x4.add(seeds, i32x4.splat(1)));
    store<f32>(to, f32x4.extract_lane(firsts, 0), 8);
  }
}

/** From four places to what is seen at the pixels looked up last, metres. */
let metX: v128 = f32x4.splat(0);
let metY: v128 = f32x4.splat(0);
let metZ: v128 = f32x4.splat(0);

/** @param d depths at the pixels @param x, y, z of the places, from the eye */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function metAt(order: usize, d: v128, x: v128, y: v128, z: v128): void {
  const perspective = load<i32>(order, O.SCREEN_PERSPECTIVE) != 0;
  const deep = perspective ? d : all(1);
  const beyond = perspective ? all(0) : d;
  metX = sub(alongAxis(order, deep, beyond), x);
  metY = sub(alongAxis(order + 4, deep, beyond), y);
  metZ = sub(alongAxis(order + 8, deep, beyond), z);
}

/** One axis of what is seen at the pixels looked up last, metres from the eye. @param order that of the axis */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function alongAxis(order: usize, deep: v128, beyond: v128): v128 {
  const ray = add(
    allAt(order + O.SCREEN_BASE),
    add(
      mul(add(centreX, all(0.5)), allAt(order + O.SCREEN_RIGHT)),
      mul(add(centreY, all(0.5)), allAt(order + O.SCREEN_DOWN)),
    ),
  );
  return add(mul(ray, deep), mul(allAt(order + O.SCREEN_FORWARD), beyond));
}

/** Rays of each of four places, by the cosine; what they meet is added up. @param draws their random numbers: see `drawRays` */
function marchFour(a: usize, order: usize, draws: usize): void {
  const none = all(0);
  const one = all(1);
  const depth = <usize>load<u32>(order, O.SCREEN_DEPTH);
  const senders = <usize>load<u32>(order, O.SCREEN_SENDERS);
  const width = v128.load32_splat(order, O.SCREEN_WIDTH);
  // a little within the picture, so that rounding leads nowhere else
  const least = all(INSIDE);
  const mostX = sub(f32x4.convert_i32x4_s(width), least);
  const mostY = sub(f32x4.convert_i32x4_s(v128.load32_splat(order, O.SCREEN_HEIGHT)), least);
  const perspective = load<i32>(order, O.SCREEN_PERSPECTIVE) != 0;
  const range = allAt(order + O.SCREEN_RANGE);
  const thickness = allAt(order + O.SCREEN_THICKNESS);
  const rays = load<i32>(order, O.SCREEN_RAYS);
  const steps = load<i32>(order, O.SCREEN_STEPS);
  const refines = load<i32>(order, O.SCREEN_REFINES);
  const toX = order + O.SCREEN_TO_X;
  const toY = order + O.SCREEN_TO_Y;
  const middleX = allAt(order + O.SCREEN_MIDDLE);
  const middleY = allAt(order + O.SCREEN_MIDDLE + 4);
  const fx = allAt(order + O.SCREEN_FORWARD);
  const fy = allAt(order + O.SCREEN_FORWARD + 4);
  const fz = allAt(order + O.SCREEN_FORWARD + 8);
  const live = v128.load(a, F.FOUR_LIVE);
  // samples of pixels at the edge may lie outside
  const px = lesser(greater(v128.load(a, F.FOUR_X), least), mostX);
  const py = lesser(greater(v128.load(a, F.FOUR_Y), least), mostY);
  const x = v128.load(a, F.FOUR_POSITION);
  const y = v128.load(a + C, F.FOUR_POSITION);
  const z = v128.load(a + 2 * C, F.FOUR_POSITION);
  const nx = v128.load(a, F.FOUR_NORMAL);
  const ny = v128.load(a + C, F.FOUR_NORMAL);
  const nz = v128.load(a + 2 * C, F.FOUR_NORMAL);
  const gx = v128.load(a, F.FOUR_FACE);
  const gy = v128.load(a + C, F.FOUR_FACE);
  const gz = v128.load(a + 2 * C, F.FOUR_FACE);
  // all places have the same random numbers, each turned by its own (Cranley & Patterson 1976)
  drawOf(0, v128.load(a, F.FOUR_SEED));
  const turnU = firsts;
  const turnV = seconds;
  const turnT = lowBits(firsts);
  const ahead = dot(x, y, z, fx, fy, fz);
  const share: f32 = 1 / <f32>rays;
  // two directions across the normal (Duff et al. 2017, Building an Orthonormal Basis, Revisited)
  const sign = v128.or(v128.and(nz, all(-0.0)), one);
  const alpha = over(all(-1), add(sign, nz));
  const beta = mul(mul(nx, ny), alpha);
  const ax = add(one, mul(mul(sign, mul(nx, nx)), alpha));
  const ay = mul(sign, beta);
  const az = sub(none, mul(sign, nx));
  const bx = beta;
  const by = add(sign, mul(mul(ny, ny), alpha));
  const bz = sub(none, ny);
  let sure = none;
  let left = none;
  let hidden = none;
  let leanX = none;
  let leanY = none;
  let leanZ = none;
  let light0 = none;
  let light1 = none;
  let light2 = none;
  let light3 = none;
  for (let r = 0; r < rays; r++) {
    const draw = draws + ((<usize>r) << 4);
    const u = turned(allAt(draw), turnU);
    const v = turned(allAt(draw + 4), turnV);
    const jitter = turned(allAt(draw + 8), turnT);
    // a disc from a square (Shirley & Chiu 1997, A Low Distortion Map Between Disk and Square), lifted to the half sphere
    const su = sub(add(u, u), one);
    const sv = sub(add(v, v), one);
    const flat = f32x4.gt(f32x4.abs(su), f32x4.abs(sv));
    const far = pick(flat, su, sv);
    const near = pick(flat, sv, su);
    const turn = mul(all(PI / 4), over(near, pick(f32x4.eq(far, none), one, far)));
    const turn2 = mul(turn, turn);
    const long = mul(far, cosineOf(turn2));
    const short = mul(far, sineOf(turn, turn2));
    const du = pick(flat, long, short);
    const dv = pick(flat, short, long);
    const up = root(greater(sub(one, mul(far, far)), none));
    const wx = add(add(mul(ax, du), mul(bx, dv)), mul(nx, up));
    const wy = add(add(mul(ay, du), mul(by, dv)), mul(ny, up));
    const wz = add(add(mul(az, du), mul(bz, dv)), mul(nz, up));
    // a bent normal may send rays under the face: these bring nothing
    const above = v128.and(live, f32x4.gt(dot(wx, wy, wz, gx, gy, gz), none));
    sure = add(sure, v128.and(v128.andnot(live, above), all(share)));
    const away = dot(wx, wy, wz, fx, fy, fz);
    const across = dot(wx, wy, wz, allAt(toX), allAt(toX + 4), allAt(toX + 8));
    const down = dot(wx, wy, wz, allAt(toY), allAt(toY + 4), allAt(toY + 8));
    // to where the ray ends in the picture, at the latest before the eye
    let reach = range;
    let endX: v128;
    let endY: v128;
    let k0: v128;
    let k1: v128;
    if (perspective) {
      const room = over(sub(allAt(order + O.SCREEN_NEAR), ahead), pick(f32x4.lt(away, none), away, all(-1)));
      reach = pick(f32x4.lt(away, none), lesser(range, mul(room, all(0.999))), range);
      const end = add(ahead, mul(away, reach));
      k0 = over(one, ahead);
      k1 = over(one, end);
      endX = add(middleX, mul(add(mul(sub(px, middleX), ahead), mul(reach, across)), k1));
      endY = add(middleY, mul(add(mul(sub(py, middleY), ahead), mul(reach, down)), k1));
    } else {
      k0 = ahead;
      k1 = add(ahead, mul(away, reach));
      endX = add(px, mul(reach, across));
      endY = add(py, mul(reach, down));
    }
    const dx = sub(endX, px);
    const dy = sub(endY, py);
    const dk = sub(k1, k0);
    const length = root(add(mul(dx, dx), mul(dy, dy)));
    const most = all(1e30);
    const edgeX = over(sub(pick(f32x4.gt(dx, none), mostX, least), px), dx);
    const edgeY = over(sub(pick(f32x4.gt(dy, none), mostY, least), py), dy);
    const toEdge = f32x4.pmin(pick(f32x4.eq(dy, none), most, edgeY), pick(f32x4.eq(dx, none), most, edgeX));
    const leaves = f32x4.lt(toEdge, one);
    const pixelsFar = mul(length, f32x4.pmin(one, toEdge));
    let going = v128.and(above, v128.and(f32x4.ge(pixelsFar, one), f32x4.gt(reach, none)));
    // steps lie at squares of even shares of the way, from the next pixel on
    const perPixel = over(one, length);
    const rest = mul(sub(pixelsFar, one), perPixel);
    const firstX = add(px, mul(dx, perPixel));
    const firstY = add(py, mul(dy, perPixel));
    const firstK = add(k0, mul(dk, perPixel));
    const stepX = mul(dx, rest);
    const stepY = mul(dy, rest);
    const stepK = mul(dk, rest);
    let met = i32x4.splat(0);
    let stopped = i32x4.splat(0);
    let front = i32x4.splat(-1);
    let before = none;
    // of the step in which something was met: where it began and ended
    let low = none;
    let high = none;
    const perStep = all(1 / <f32>steps);
    let t = mul(jitter, perStep);
    for (let step = 0; step < steps; step++) {
      if (!v128.any_true(going)) break;
      const s = mul(t, t);
      t = add(t, perStep);
      placeAt(add(firstX, mul(stepX, s)), add(firstY, mul(stepY, s)), width, going);
      const d = depthsAt(depth, pixels);
      const k = add(firstK, mul(stepK, s));
      const behind = v128.and(going, isBehind(k, d, perspective));
      if (v128.any_true(behind)) {
        const zr = perspective ? over(one, k) : k;
        const kBefore = add(firstK, mul(stepK, before));
        const zBefore = perspective ? over(one, kBefore) : kBefore;
        const gap = sub(zr, d);
        const thick = pick(front, add(thickness, f32x4.abs(sub(zr, zBefore))), thickness);
        let now = v128.and(behind, f32x4.lt(gap, thick));
        if (v128.any_true(now)) {
          metAt(order, d, x, y, z);
          const rise = dot(metX, metY, metZ, gx, gy, gz);
          now = v128.and(now, f32x4.gt(rise, mul(all(OWN_PLANE), root(dot(metX, metY, metZ, metX, metY, metZ)))));
          met = v128.or(met, now);
          going = v128.andnot(going, now);
          low = pick(now, before, low);
          high = pick(now, s, high);
        }
        stopped = v128.or(stopped, v128.and(behind, f32x4.gt(gap, thickness)));
      }
      front = v128.not(behind);
      before = s;
    }
    let found = i32x4.splat(0);
    if (v128.any_true(met)) {
      for (let h = 0; h < refines; h++) {
        const mid = mul(add(low, high), all(0.5));
        placeAt(add(firstX, mul(stepX, mid)), add(firstY, mul(stepY, mid)), width, met);
        const there = isBehind(add(firstK, mul(stepK, mid)), depthsAt(depth, pixels), perspective);
        high = pick(there, mid, high);
        low = pick(there, low, mid);
      }
      placeAt(add(firstX, mul(stepX, high)), add(firstY, mul(stepY, high)), width, met);
      const d = depthsAt(depth, pixels);
      const kHigh = add(firstK, mul(stepK, high));
      const kLow = add(firstK, mul(stepK, low));
      const zHigh = perspective ? over(one, kHigh) : kHigh;
      const zLow = perspective ? over(one, kLow) : kLow;
      const thin = f32x4.lt(sub(zHigh, d), add(thickness, f32x4.abs(sub(zHigh, zLow))));
      const towards = facing(senders, pixels, wx, wy, wz);
      metAt(order, d, x, y, z);
      const rise = dot(metX, metY, metZ, gx, gy, gz);
      found = v128.and(v128.and(met, thin), v128.and(f32x4.lt(towards, none), f32x4.gt(rise, none)));
      stopped = v128.or(stopped, v128.andnot(met, found));
      const lanes = i32x4.bitmask(found);
      if (lanes & 1) light0 = add(light0, v128.load(senderOf(senders, i32x4.extract_lane(pixels, 0))));
      if (lanes & 2) light1 = add(light1, v128.load(senderOf(senders, i32x4.extract_lane(pixels, 1))));
      if (lanes & 4) light2 = add(light2, v128.load(senderOf(senders, i32x4.extract_lane(pixels, 2))));
      if (lanes & 8) light3 = add(light3, v128.load(senderOf(senders, i32x4.extract_lane(pixels, 3))));
    }
    const counts = all(share);
    sure = add(sure, v128.and(found, counts));
    leanX = add(leanX, v128.and(found, mul(wx, counts)));
    leanY = add(leanY, v128.and(found, mul(wy, counts)));
    leanZ = add(leanZ, v128.and(found, mul(wz, counts)));
    const lost = v128.andnot(above, found);
    hidden = add(hidden, v128.and(v128.and(lost, stopped), counts));
    left = add(left, v128.and(v128.and(v128.andnot(lost, stopped), leaves), counts));
  }
  const scale = all(PI * share);
  light0 = mul(light0, scale);
  light1 = mul(light1, scale);
  light2 = mul(light2, scale);
  light3 = mul(light3, scale);
  const rg01 = v128.shuffle<f32>(light0, light1, 0, 4, 1, 5);
  const rg23 = v128.shuffle<f32>(light2, light3, 0, 4, 1, 5);
  const b01 = v128.shuffle<f32>(light0, light1, 2, 6, 2, 6);
  const b23 = v128.shuffle<f32>(light2, light3, 2, 6, 2, 6);
  v128.store(a, v128.shuffle<f32>(rg01, rg23, 0, 1, 4, 5), F.FOUR_FOUND);
  v128.store(a + C, v128.shuffle<f32>(rg01, rg23, 2, 3, 6, 7), F.FOUR_FOUND);
  v128.store(a + 2 * C, v128.shuffle<f32>(b01, b23, 0, 1, 4, 5), F.FOUR_FOUND);
  v128.store(a, sure, F.FOUR_SURE);
  v128.store(a, leanX, F.FOUR_LEAN);
  v128.store(a + C, leanY, F.FOUR_LEAN);
  v128.store(a + 2 * C, leanZ, F.FOUR_LEAN);
  v128.store(a, left, F.FOUR_LEFT);
  v128.store(a, hidden, F.FOUR_HIDDEN);
}

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
          const d: f32 = gx <= x1 ? load<f32>(depth + (pixel << 2)) : 0;
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
function readGrid(a: usize, order: usize, grid: usize): i32 {
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

/**
 * What reaches four places by their own rays, or by those of points around them. Places for which that is too little march
 * for themselves: what the others were told by the points is kept meanwhile.
 */
export function marchFrom(a: usize, order: usize): void {
  const grid = <usize>load<u32>(order, O.SCREEN_GRID);
  const draws = <usize>load<u32>(order, O.SCREEN_DRAWS);
  if (grid == 0) return marchFour(a, order, draws);
  const live = v128.load(a, F.FOUR_LIVE);
  const unknown = readGrid(a, order, grid);
  if (unknown == 0) return;
  const mask = i32x4.ne(v128.and(i32x4.splat(unknown), i32x4(1, 2, 4, 8)), i32x4.splat(0));
  memory.copy(a + F.FOUR_KEPT, a + F.FOUR_FOUND, FOUND_BYTES);
  v128.store(a, v128.and(live, mask), F.FOUR_LIVE);
  marchFour(a, order, draws);
  for (let o: usize = 0; o < FOUND_BYTES; o += C) {
    const found = a + F.FOUR_FOUND + o;
    v128.store(found, pick(mask, v128.load(found), v128.load(a + F.FOUR_KEPT + o)));
  }
  v128.store(a, live, F.FOUR_LIVE);
}

/** Writes irradiance, how sure it is and bent normals of the row's fours. @param px, py where the row's first pixel is seen */
export function marchRow(a: usize, order: usize, px: f64, py: f64): void {
  const perPixel = load<f32>(order, O.SCREEN_PER_PIXEL);
  const seed = load<i32>(order, O.SCREEN_SEED) + ((<i32>floor(py)) << 14);
  const y = all((<f32>py - 0.5) * perPixel + 0.5);
  const none = all(0);
  for (let k = 0; k < fours; k++) {
    const f = fourOf(k);
    const matte = f32x4.gt(add(add(col(f, DIFFUSE), col(f, DIFFUSE + COLUMN)), col(f, DIFFUSE + 2 * COLUMN)), none);
    const live = v128.and(i32x4.ne(v128.load(f, LIVE), i32x4.splat(0)), matte);
    if (!v128.any_true(live)) continue;
    const x = <f64>((f - row) >> 2) + px;
    const xs = add(all(<f32>x), f32x4(0, 1, 2, 3));
    v128.store(a, live, F.FOUR_LIVE);
    v128.store(a, add(mul(sub(xs, all(0.5)), all(perPixel)), all(0.5)), F.FOUR_X);
    v128.store(a, y, F.FOUR_Y);
    for (let c: usize = 0; c < 3; c++) {
      const from = allAt(order + O.SCREEN_OFFSET + (c << 2));
      v128.store(a + c * C, add(col(f, POSITION + c * COLUMN), from), F.FOUR_POSITION);
      v128.store(a + c * C, col(f, NORMAL + c * COLUMN), F.FOUR_NORMAL);
      v128.store(a + c * C, col(f, FACE + c * COLUMN), F.FOUR_FACE);
    }
    v128.store(a, i32x4.add(i32x4.trunc_sat_f32x4_s(f32x4.floor(xs)), i32x4.splat(seed)), F.FOUR_SEED);
    marchFrom(a, order);
    finishFour(f, a, live);
  }
}

/** What is found of four places becomes columns of the row: mean irradiance of the rays that found any, bent normals of the others. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function finishFour(f: usize, a: usize, live: v128): void {
  const one = all(1);
  const sure = v128.and(lesser(v128.load(a, F.FOUR_SURE), one), live);
  const scale = over(one, pick(f32x4.gt(sure, all(0)), sure, one));
  put(f, BOUNCE_SURE, sure);
  // what nothing stands before, and what is lost to the border or behind something
  const known = add(sure, add(v128.load(a, F.FOUR_LEFT), v128.load(a, F.FOUR_HIDDEN)));
  put(f, FAR, v128.and(live, greater(sub(one, known), all(0))));
  const whole = all(2 / 3.0);
  let square = all(0);
  for (let c: usize = 0; c < 3; c++) {
    put(f, FOUND_BOUNCE + c * COLUMN, mul(v128.load(a + c * C, F.FOUR_FOUND), scale));
    const bent = sub(mul(col(f, NORMAL + c * COLUMN), whole), v128.load(a + c * C, F.FOUR_LEAN));
    square = add(square, mul(bent, bent));
  }
  const leans = v128.and(live, f32x4.gt(square, all(1e-8)));
  const length = over(one, root(pick(leans, square, one)));
  for (let c: usize = 0; c < 3; c++) {
    const normal = col(f, NORMAL + c * COLUMN);
    const bent = sub(mul(normal, whole), v128.load(a + c * C, F.FOUR_LEAN));
    put(f, BENT + c * COLUMN, pick(leans, mul(bent, length), normal));
  }
}
