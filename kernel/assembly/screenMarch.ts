/**
 * Rays that march through what the picture shows, four at once: core/around/screen says how it is done. A ray that goes behind
 * something thicker than it is taken for, or leaves the frame, has found nothing.
 */
import { drawOf, firsts, seconds } from './draws';
import { add, all, allAt, dot, greater, lesser, mul, over, pick, root, sub } from './four';
import { cosineOf, depthsAt, sineOf } from './occlusion';
import * as F from './layouts/screenFour';
import * as O from './layouts/screenOrder';
import * as S from './layouts/sender';

const PI: f32 = 3.141592653589793;
/** Bytes of a column of four. */
export const C: usize = 16;
/** Points across a block whose rays are parts of one set, where places go by all of them. */
export const BLOCK: i32 = 4;
/** Sine of the angle over its own plane below which what a ray meets is the surface that it left. */
const OWN_PLANE: f32 = 0.02;
/** Pixels from the edge of the picture to which rays are followed. */
const INSIDE: f32 = 0.01;
/** A ray is behind a surface when it lies so many times as deep. */
const BEHIND: f32 = 1.0001;

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
export function senderOf(senders: usize, pixel: i32): usize {
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
export function marchFour(a: usize, order: usize, draws: usize): void {
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
