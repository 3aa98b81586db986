/**
 * Following four neighbours at once. Mostly neighbours move alike: then what each needs of another frame lies beside
 * what its neighbour needs, and is loaded together. What is not so simple is left to `followPoint`.
 */
import { DOUBT, followPoint, MOST_RESIDUAL, SETTLED } from './followPoint';
import {
  BORDER,
  calm,
  cubicAt,
  height,
  ids0,
  ids1,
  ids2,
  ids3,
  ids4,
  integers,
  mean,
  mixed0,
  mixed1,
  mixed2,
  mixed3,
  mixed4,
  motion0,
  motion1,
  motion2,
  motion3,
  quick,
  raw0,
  raw1,
  raw2,
  raw3,
  raw4,
  row,
  steep0,
  steep1,
  steep3,
  steep4,
  sums,
  sureCalm,
  sureQuick,
  valid,
  vectorAt,
  width,
} from './window';

/**
 * Pixels beyond their own cell within which places are still read as in it: what is read differs by less than a
 * thousandth of what the light differs between neighbours, and far more fours stay together.
 */
const BEYOND: f32 = 0.0078125;

/** Constants as vectors: to load them is quicker than to make them where they are used. */
let one: v128 = f32x4.splat(0);
let half: v128 = f32x4.splat(0);
let minusHalf: v128 = f32x4.splat(0);
let cellLow: v128 = f32x4.splat(0);
let cellHigh: v128 = f32x4.splat(0);
let settled: v128 = f32x4.splat(0);
let mostResidual: v128 = f32x4.splat(0);
let doubt: v128 = f32x4.splat(0);

/** To be called before `followSpans` on every thread. */
export function setFours(): void {
  one = f32x4.splat(1);
  half = f32x4.splat(0.5);
  minusHalf = f32x4.splat(-0.5);
  cellLow = f32x4.splat(-BEYOND);
  cellHigh = f32x4.splat(1 + BEYOND);
  settled = f32x4.splat(SETTLED);
  mostResidual = f32x4.splat(MOST_RESIDUAL);
  doubt = f32x4.splat(0.5 * DOUBT);
}

/** What `vectorsAt` found, right and down. */
let vx: v128 = f32x4.splat(0);
let vy: v128 = f32x4.splat(0);

/** Is every one of four places within the cell of the first, or nearly? @param fx, fy places in that cell */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function inOneCell(fx: v128, fy: v128): bool {
  const least = f32x4.pmin(fx, fy);
  const most = f32x4.pmax(fx, fy);
  return v128.all_true<i32>(v128.and(f32x4.ge(least, cellLow), f32x4.le(most, cellHigh)));
}

/** All four numbers are the first one's. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function first(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 0, 0, 0, 0);
}

/** A shift of one of four, twice over. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function shiftOf(sx: v128, sy: v128, lane: i32): v128 {
  if (lane === 0) return v128.shuffle<f32>(sx, sy, 0, 4, 0, 4);
  if (lane === 1) return v128.shuffle<f32>(sx, sy, 1, 5, 1, 5);
  if (lane === 2) return v128.shuffle<f32>(sx, sy, 2, 6, 2, 6);
  return v128.shuffle<f32>(sx, sy, 3, 7, 3, 7);
}

/** `vectorsAt` where every point has a cell of its own. */
function vectorsApart(motion: usize, x: i32, y: i32, sx: v128, sy: v128): void {
  const a = vectorAt(motion, x, y, shiftOf(sx, sy, 0));
  const b = vectorAt(motion, x + 1, y, shiftOf(sx, sy, 1));
  const c = vectorAt(motion, x + 2, y, shiftOf(sx, sy, 2));
  const d = vectorAt(motion, x + 3, y, shiftOf(sx, sy, 3));
  const ab = v128.shuffle<f32>(a, b, 0, 4, 1, 5);
  const cd = v128.shuffle<f32>(c, d, 0, 4, 1, 5);
  vx = v128.shuffle<f32>(ab, cd, 0, 1, 4, 5);
  vy = v128.shuffle<f32>(ab, cd, 2, 3, 6, 7);
}

/** Vectors of four neighbours from (x, y) on, each at a shift from its own place. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function vectorsAt(motion: usize, x: i32, y: i32, sx: v128, sy: v128): void {
  const wx = f32x4.floor(first(sx));
  const wy = f32x4.floor(first(sy));
  const fx = f32x4.sub(sx, wx);
  const fy = f32x4.sub(sy, wy);
  const cx = x + i32x4.extract_lane(integers(wx), 0);
  const cy = y + i32x4.extract_lane(integers(wy), 0);
  // the last reads the column behind its own
  if (<u32>cx > <u32>(width - 5) || <u32>cy > <u32>(height - 2) || !inOneCell(fx, fy)) {
    vectorsApart(motion, x, y, sx, sy);
    return;
  }
  const p = motion + ((<usize>(cy * width + cx)) << 3);
  const q = p + 2 * row;
  const a = v128.load(p);
  const b = v128.load(p, 16);
  const c = v128.load(p, 8);
  const d = v128.load(p, 24);
  const e = v128.load(q);
  const f = v128.load(q, 16);
  const g = v128.load(q, 8);
  const h = v128.load(q, 24);
  const leftX = between(v128.shuffle<f32>(a, b, 0, 2, 4, 6), v128.shuffle<f32>(e, f, 0, 2, 4, 6), fy);
  const rightX = between(v128.shuffle<f32>(c, d, 0, 2, 4, 6), v128.shuffle<f32>(g, h, 0, 2, 4, 6), fy);
  const leftY = between(v128.shuffle<f32>(a, b, 1, 3, 5, 7), v128.shuffle<f32>(e, f, 1, 3, 5, 7), fy);
  const rightY = between(v128.shuffle<f32>(c, d, 1, 3, 5, 7), v128.shuffle<f32>(g, h, 1, 3, 5, 7), fy);
  vx = between(leftX, rightX, fx);
  vy = between(leftY, rightY, fx);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function between(a: v128, b: v128, f: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), f));
}

/** Vectors of the four pixels themselves. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function vectorsOf(motion: usize, at: i32): void {
  if (motion === 0) {
    vx = f32x4.splat(0);
    vy = f32x4.splat(0);
    return;
  }
  const p = motion + ((<usize>at) << 3);
  const a = v128.load(p);
  const b = v128.load(p, 16);
  vx = v128.shuffle<f32>(a, b, 0, 2, 4, 6);
  vy = v128.shuffle<f32>(a, b, 1, 3, 5, 7);
}

/** Where `before` found that they come from. */
let fromX: v128 = f32x4.splat(0);
let fromY: v128 = f32x4.splat(0);

/**
 * Where those come from which are at a shift one frame later; the vectors to try first, and those found, are (vx, vy).
 * @returns bits of those that are not lost
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function before(motion: usize, x: i32, y: i32, toX: v128, toY: v128): v128 {
  if (motion === 0) {
    fromX = toX;
    fromY = toY;
    vx = f32x4.splat(0);
    vy = f32x4.splat(0);
    return i32x4.splat(-1);
  }
  let triedX = vx;
  let triedY = vy;
  let sx = toX;
  let sy = toY;
  for (let step = 0; step < 3; step++) {
    sx = f32x4.sub(toX, triedX);
    sy = f32x4.sub(toY, triedY);
    vectorsAt(motion, x, y, sx, sy);
    const apart = f32x4.pmax(f32x4.abs(f32x4.sub(vx, triedX)), f32x4.abs(f32x4.sub(vy, triedY)));
    triedX = vx;
    triedY = vy;
    if (v128.all_true<i32>(f32x4.lt(apart, settled))) break;
  }
  fromX = sx;
  fromY = sy;
  const offX = f32x4.abs(f32x4.sub(f32x4.add(sx, vx), toX));
  const offY = f32x4.abs(f32x4.sub(f32x4.add(sy, vy), toY));
  // what is no number is lost too
  return v128.and(f32x4.le(offX, mostResidual), f32x4.le(offY, mostResidual));
}

/** `valuesAt` where every point has a cell of its own. */
function valuesApart(plane: usize, x: i32, y: i32, sx: v128, sy: v128): v128 {
  return sums(
    cubicAt(plane, x, y, shiftOf(sx, sy, 0)),
    cubicAt(plane, x + 1, y, shiftOf(sx, sy, 1)),
    cubicAt(plane, x + 2, y, shiftOf(sx, sy, 2)),
    cubicAt(plane, x + 3, y, shiftOf(sx, sy, 3)),
  );
}

/** One of the two inner weights of a cubic: of how near it is, and of the outer weights on its side and on the other. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function inner(near: v128, own: v128, other: v128): v128 {
  return f32x4.add(f32x4.sub(near, f32x4.add(own, own)), other);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function alongRow(p: usize, a: v128, b: v128, c: v128, d: v128): v128 {
  const left = f32x4.add(f32x4.mul(v128.load(p), a), f32x4.mul(v128.load(p, 4), b));
  const right = f32x4.add(f32x4.mul(v128.load(p, 8), c), f32x4.mul(v128.load(p, 12), d));
  return f32x4.add(left, right);
}

/** Values of a plane at shifts from four neighbours, all within the picture's border. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function valuesAt(plane: usize, x: i32, y: i32, sx: v128, sy: v128): v128 {
  const wx = f32x4.floor(first(sx));
  const wy = f32x4.floor(first(sy));
  const fx = f32x4.sub(sx, wx);
  const fy = f32x4.sub(sy, wy);
  if (!inOneCell(fx, fy)) return valuesApart(plane, x, y, sx, sy);
  const cx = x + i32x4.extract_lane(integers(wx), 0);
  const cy = y + i32x4.extract_lane(integers(wy), 0);
  const p = plane + ((<usize>(cy * width + cx)) << 2) - row - 4;
  // weights of the values before, at, behind and two behind the place, along rows: see `cubicWeights`
  const restX = f32x4.sub(one, fx);
  const bowX = f32x4.mul(f32x4.mul(fx, restX), minusHalf);
  const a = f32x4.mul(bowX, restX);
  const d = f32x4.mul(bowX, fx);
  const b = inner(restX, a, d);
  const c = inner(fx, d, a);
  // and along columns
  const restY = f32x4.sub(one, fy);
  const bowY = f32x4.mul(f32x4.mul(fy, restY), minusHalf);
  const e = f32x4.mul(bowY, restY);
  const h = f32x4.mul(bowY, fy);
  const top = f32x4.add(
    f32x4.mul(alongRow(p, a, b, c, d), e),
    f32x4.mul(alongRow(p + row, a, b, c, d), inner(restY, e, h)),
  );
  const bottom = f32x4.add(
    f32x4.mul(alongRow(p + 2 * row, a, b, c, d), inner(fy, h, e)),
    f32x4.mul(alongRow(p + 3 * row, a, b, c, d), h),
  );
  return f32x4.add(top, bottom);
}

/** Numbers of the pixels nearest to shifts from four neighbours, of which the first has the number `at`. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function nearest(at: v128, sx: v128, sy: v128): v128 {
  const cx = integers(f32x4.floor(f32x4.add(sx, half)));
  const cy = integers(f32x4.floor(f32x4.add(sy, half)));
  return i32x4.add(at, i32x4.add(cx, i32x4.mul(cy, i32x4.splat(width))));
}

/** Do four pixels lie beside each other in order? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function besideEachOther(pixels: v128): bool {
  return v128.all_true<i32>(
    i32x4.eq(i32x4.sub(pixels, v128.shuffle<i32>(pixels, pixels, 0, 0, 0, 0)), i32x4(0, 1, 2, 3)),
  );
}

/** Numbers or ids of four pixels. @param beside they are beside each other */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function gather(plane: usize, pixels: v128, beside: bool): v128 {
  const first = plane + ((<usize>i32x4.extract_lane(pixels, 0)) << 2);
  if (beside) return v128.load(first);
  return apart(plane, pixels);
}

function apart(plane: usize, pixels: v128): v128 {
  let out = v128.load32_zero(plane + ((<usize>i32x4.extract_lane(pixels, 0)) << 2));
  out = v128.load32_lane(plane + ((<usize>i32x4.extract_lane(pixels, 1)) << 2), out, 1);
  out = v128.load32_lane(plane + ((<usize>i32x4.extract_lane(pixels, 2)) << 2), out, 2);
  return v128.load32_lane(plane + ((<usize>i32x4.extract_lane(pixels, 3)) << 2), out, 3);
}

/** Is one of four pixels marked? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function anyMarked(mixed: usize, pixels: v128, beside: bool): bool {
  if (mixed === 0) return false;
  if (beside) return load<u32>(mixed + <usize>i32x4.extract_lane(pixels, 0)) !== 0;
  const a = load<u8>(mixed + <usize>i32x4.extract_lane(pixels, 0));
  const b = load<u8>(mixed + <usize>i32x4.extract_lane(pixels, 1));
  const c = load<u8>(mixed + <usize>i32x4.extract_lane(pixels, 2));
  const d = load<u8>(mixed + <usize>i32x4.extract_lane(pixels, 3));
  return (a | b | c | d) !== 0;
}

/** Is something else at one of four pixels? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function anyOther(ids: usize, pixels: v128, beside: bool, own: v128): bool {
  return ids !== 0 && !v128.all_true<i32>(i32x4.eq(gather(ids, pixels, beside), own));
}

/** A sample brought as near to the middle one as an error of its vector could. @param slope over two pixels */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function nearer(sample: v128, middle: v128, slope: v128): v128 {
  const reach = f32x4.mul(slope, doubt);
  return f32x4.pmax(f32x4.sub(sample, reach), f32x4.pmin(f32x4.add(sample, reach), middle));
}

/** What the filter of half the frame rate answers: exactly nothing to what stays the same, hence the order. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function quickAnswer(s0: v128, s1: v128, s2: v128, s3: v128, s4: v128): v128 {
  const four = f32x4.splat(4);
  const outer = f32x4.add(f32x4.sub(s0, f32x4.mul(four, s1)), f32x4.sub(s4, f32x4.mul(four, s3)));
  return f32x4.mul(f32x4.add(outer, f32x4.mul(s2, f32x4.splat(6))), f32x4.splat(0.0625));
}

/** The same of a quarter of the frame rate. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function calmAnswer(s0: v128, s2: v128, s4: v128): v128 {
  return f32x4.mul(f32x4.sub(f32x4.add(s2, s2), f32x4.add(s0, s4)), f32x4.splat(0.25));
}

/** Pixels of a row that are followed together, at most: what is known of them stays near the processor. */
const SPAN: i32 = 256;
const PLANE: usize = <usize>SPAN * 4;
/** Numbers that `followSpan` works in. */
export const SPAN_NUMBERS: i32 = SPAN * 19;

/** Where the numbers of a span lie: shifts in each frame, vectors, slopes and light there, and how far each four has come. */
const X0: usize = 0;
const Y0: usize = PLANE;
const X1: usize = 2 * PLANE;
const Y1: usize = 3 * PLANE;
const X3: usize = 4 * PLANE;
const Y3: usize = 5 * PLANE;
const X4: usize = 6 * PLANE;
const Y4: usize = 7 * PLANE;
const VX: usize = 8 * PLANE;
const VY: usize = 9 * PLANE;
const SLOPE0: usize = 10 * PLANE;
const SLOPE1: usize = 11 * PLANE;
const SLOPE3: usize = 12 * PLANE;
const SLOPE4: usize = 13 * PLANE;
const LIGHT0: usize = 14 * PLANE;
const LIGHT1: usize = 15 * PLANE;
const LIGHT3: usize = 16 * PLANE;
const LIGHT4: usize = 17 * PLANE;
const STATE: usize = 18 * PLANE;

/** All of a four are followed; all are lost; or some, or something is not the same for all. */
const FOLLOWED: i32 = 0;
const LOST: i32 = 1;
const APART: i32 = 2;

/** The pixel from which the four lies whose numbers begin at `at`; the last of a row may hold some of those before. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function placeOf(x: i32, at: usize, last: i32): i32 {
  return min(x + <i32>(at >> 2), last - 4);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function isFollowed(span: usize, at: usize): bool {
  return load<i32>(span + STATE + (at >> 2)) === FOLLOWED;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function setState(span: usize, at: usize, state: i32): void {
  store<i32>(span + STATE + (at >> 2), state);
}

/** Leaves a four out unless all of it is kept. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function keep(span: usize, at: usize, kept: v128): void {
  if (!v128.all_true<i32>(kept)) setState(span, at, v128.any_true(kept) ? APART : LOST);
}

/** Shifts to the two frames after. */
function findAfter(span: usize, bytes: usize, x: i32, y: i32, last: i32): void {
  for (let at: usize = 0; at < bytes; at += 16) {
    const px = placeOf(x, at, last);
    const pixel = y * width + px;
    const marks = mixed2 === 0 ? 0 : load<u32>(mixed2 + <usize>pixel);
    setState(span, at, marks === 0 ? FOLLOWED : marks === 0x01010101 ? LOST : APART);
    vectorsOf(motion2, pixel);
    const sx = vx;
    const sy = vy;
    v128.store(span + X3 + at, sx);
    v128.store(span + Y3 + at, sy);
    if (motion3 !== 0) vectorsAt(motion3, px, y, sx, sy);
    else vx = vy = f32x4.splat(0);
    v128.store(span + X4 + at, f32x4.add(sx, vx));
    v128.store(span + Y4 + at, f32x4.add(sy, vy));
  }
}

/** Shifts to the frame before, then to the one before that, from those to the first. */
function findBefore(span: usize, bytes: usize, x: i32, y: i32, last: i32, first: bool): void {
  const motion = first ? motion0 : motion1;
  const none = f32x4.splat(0);
  for (let at: usize = 0; at < bytes; at += 16) {
    if (!isFollowed(span, at)) continue;
    const px = placeOf(x, at, last);
    let toX = none;
    let toY = none;
    if (first) {
      toX = v128.load(span + X1 + at);
      toY = v128.load(span + Y1 + at);
      vx = v128.load(span + VX + at);
      vy = v128.load(span + VY + at);
    } else vectorsOf(motion1, y * width + px);
    keep(span, at, before(motion, px, y, toX, toY));
    v128.store(span + (first ? X0 : X1) + at, fromX);
    v128.store(span + (first ? Y0 : Y1) + at, fromY);
    if (first) continue;
    v128.store(span + VX + at, vx);
    v128.store(span + VY + at, vy);
  }
}

/** Slopes at the pixels nearest to shifts. @returns whether anything is mixed there, or something else is drawn */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function differs(
  mixed: usize,
  ids: usize,
  steep: usize,
  here: v128,
  sx: v128,
  sy: v128,
  own: v128,
  slopes: usize,
): bool {
  const pixels = nearest(here, sx, sy);
  const beside = besideEachOther(pixels);
  v128.store(slopes, gather(steep, pixels, beside));
  return anyMarked(mixed, pixels, beside) || (ids2 !== 0 && anyOther(ids, pixels, beside, own));
}

/** Leaves out what comes too near to the border, is mixed, or is hidden. */
function check(span: usize, bytes: usize, x: i32, y: i32, last: i32): void {
  const least = f32x4.splat(<f32>BORDER);
  const right = f32x4.splat(<f32>(width - 1 - BORDER));
  const bottom = f32x4.splat(<f32>(height - 1 - BORDER));
  const py = f32x4.splat(<f32>y);
  for (let at: usize = 0; at < bytes; at += 16) {
    if (!isFollowed(span, at)) continue;
    const px = placeOf(x, at, last);
    const x0 = v128.load(span + X0 + at);
    const y0 = v128.load(span + Y0 + at);
    const x1 = v128.load(span + X1 + at);
    const y1 = v128.load(span + Y1 + at);
    const x3 = v128.load(span + X3 + at);
    const y3 = v128.load(span + Y3 + at);
    const x4 = v128.load(span + X4 + at);
    const y4 = v128.load(span + Y4 + at);
    const fx = f32x4.add(f32x4.splat(<f32>px), f32x4(0, 1, 2, 3));
    // the last is no number when the one before is none, and stays so: then it is not within the picture
    const low = f32x4.add(fx, f32x4.pmin(f32x4.pmin(f32x4.pmin(x4, x3), x1), x0));
    const high = f32x4.add(fx, f32x4.pmax(f32x4.pmax(f32x4.pmax(x4, x3), x1), x0));
    const top = f32x4.add(py, f32x4.pmin(f32x4.pmin(f32x4.pmin(y4, y3), y1), y0));
    const under = f32x4.add(py, f32x4.pmax(f32x4.pmax(f32x4.pmax(y4, y3), y1), y0));
    const fromFirst = v128.and(f32x4.ge(low, least), f32x4.ge(top, least));
    const kept = v128.and(fromFirst, v128.and(f32x4.le(high, right), f32x4.le(under, bottom)));
    if (!v128.all_true<i32>(kept)) {
      setState(span, at, v128.any_true(kept) ? APART : LOST);
      continue;
    }
    const pixel = y * width + px;
    const here = i32x4.add(i32x4.splat(pixel), i32x4(0, 1, 2, 3));
    const own = ids2 === 0 ? here : v128.load(ids2 + ((<usize>pixel) << 2));
    if (
      differs(mixed0, ids0, steep0, here, x0, y0, own, span + SLOPE0 + at) ||
      differs(mixed1, ids1, steep1, here, x1, y1, own, span + SLOPE1 + at) ||
      differs(mixed3, ids3, steep3, here, x3, y3, own, span + SLOPE3 + at) ||
      differs(mixed4, ids4, steep4, here, x4, y4, own, span + SLOPE4 + at)
    )
      setState(span, at, APART);
  }
}

/** Light of one frame at shifts. @param shifts right, and a plane further down @param out where it is written */
function read(span: usize, bytes: usize, x: i32, y: i32, last: i32, raw: usize, shifts: usize, out: usize): void {
  for (let at: usize = 0; at < bytes; at += 16) {
    if (!isFollowed(span, at)) continue;
    const px = placeOf(x, at, last);
    const sx = v128.load(shifts + at);
    const sy = v128.load(shifts + PLANE + at);
    v128.store(out + at, valuesAt(raw, px, y, sx, sy));
  }
}

/** What the temporal filters answer to the light in all frames. */
function answer(span: usize, bytes: usize, x: i32, y: i32, last: i32): void {
  for (let at: usize = 0; at < bytes; at += 16) {
    if (!isFollowed(span, at)) continue;
    const to = (<usize>(y * width + placeOf(x, at, last))) << 2;
    const s2 = v128.load(raw2 + to);
    let s0 = v128.load(span + LIGHT0 + at);
    let s1 = v128.load(span + LIGHT1 + at);
    let s3 = v128.load(span + LIGHT3 + at);
    let s4 = v128.load(span + LIGHT4 + at);
    v128.store(quick + to, quickAnswer(s0, s1, s2, s3, s4));
    v128.store(calm + to, calmAnswer(s0, s2, s4));
    const sum = f32x4.add(f32x4.add(f32x4.add(s0, s4), f32x4.add(s1, s3)), s2);
    v128.store(mean + to, f32x4.mul(sum, f32x4.splat(0.2)));
    v128.store(valid + to, f32x4.splat(1));
    s0 = nearer(s0, s2, v128.load(span + SLOPE0 + at));
    s1 = nearer(s1, s2, v128.load(span + SLOPE1 + at));
    s3 = nearer(s3, s2, v128.load(span + SLOPE3 + at));
    s4 = nearer(s4, s2, v128.load(span + SLOPE4 + at));
    v128.store(sureQuick + to, quickAnswer(s0, s1, s2, s3, s4));
    v128.store(sureCalm + to, calmAnswer(s0, s2, s4));
  }
}

/** Follows the points of a four one by one where it falls apart. */
function followApart(span: usize, bytes: usize, x: i32, y: i32, last: i32): void {
  for (let at: usize = 0; at < bytes; at += 16) {
    if (load<i32>(span + STATE + (at >> 2)) !== APART) continue;
    const px = placeOf(x, at, last);
    for (let i = px; i < px + 4; i++) followPoint(i, y);
  }
}

/**
 * Follows the points of row y from `first` on and before `last`, four at a time, and writes what the temporal filters
 * answer. Step by step for many fours: each waits long for what it loads, and several wait at once.
 * @param span SPAN_NUMBERS numbers to work in
 */
export function followSpans(y: i32, first: i32, last: i32, span: usize): void {
  for (let x = first; x < last; x += SPAN) {
    const bytes = (<usize>((min(SPAN, last - x) + 3) >> 2)) << 4;
    findAfter(span, bytes, x, y, last);
    findBefore(span, bytes, x, y, last, false);
    findBefore(span, bytes, x, y, last, true);
    check(span, bytes, x, y, last);
    read(span, bytes, x, y, last, raw0, span + X0, span + LIGHT0);
    read(span, bytes, x, y, last, raw1, span + X1, span + LIGHT1);
    read(span, bytes, x, y, last, raw3, span + X3, span + LIGHT3);
    read(span, bytes, x, y, last, raw4, span + X4, span + LIGHT4);
    answer(span, bytes, x, y, last);
    followApart(span, bytes, x, y, last);
  }
}
