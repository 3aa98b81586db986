/**
 * Following four neighbours at once. Mostly neighbours move alike: then what each needs of another frame lies beside
 * what its neighbour needs, and is loaded together. What is not so simple is left to `followPoint`.
 */
import { DOUBT, MOST_RESIDUAL, SETTLED } from './followPoint';
import {
  BORDER, calm, cubicAt, height, ids0, ids1, ids2, ids3, ids4, integers, mean, mixed0, mixed1, mixed2, mixed3, mixed4, motion0,
  motion1, motion2, motion3, quick, raw0, raw1, raw2, raw3, raw4, row, steep0, steep1, steep3, steep4, sums, sureCalm, sureQuick,
  valid, vectorAt, width,
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

/** To be called before `followFour` on every thread. */
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
  const p = motion + (<usize>(cy * width + cx) << 3);
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
  const p = motion + (<usize>at << 3);
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

/** Weights of the values before, at, behind and two behind a place, for a cubic through them; see `cubicWeights`. */
let weight0: v128 = f32x4.splat(0);
let weight1: v128 = f32x4.splat(0);
let weight2: v128 = f32x4.splat(0);
let weight3: v128 = f32x4.splat(0);

// @ts-expect-error: a decorator of AssemblyScript
@inline
function setWeights(f: v128): void {
  const rest = f32x4.sub(one, f);
  const bow = f32x4.mul(f32x4.mul(f, rest), minusHalf);
  const a = f32x4.mul(bow, rest);
  const d = f32x4.mul(bow, f);
  weight0 = a;
  weight3 = d;
  weight1 = f32x4.add(f32x4.sub(rest, f32x4.add(a, a)), d);
  weight2 = f32x4.add(f32x4.sub(f, f32x4.add(d, d)), a);
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
  const p = plane + (<usize>(cy * width + cx) << 2) - row - 4;
  setWeights(fx);
  const a = weight0;
  const b = weight1;
  const c = weight2;
  const d = weight3;
  setWeights(fy);
  const top = f32x4.add(
    f32x4.mul(alongRow(p, a, b, c, d), weight0),
    f32x4.mul(alongRow(p + row, a, b, c, d), weight1),
  );
  const bottom = f32x4.add(
    f32x4.mul(alongRow(p + 2 * row, a, b, c, d), weight2),
    f32x4.mul(alongRow(p + 3 * row, a, b, c, d), weight3),
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
  return v128.all_true<i32>(i32x4.eq(i32x4.sub(pixels, v128.shuffle<i32>(pixels, pixels, 0, 0, 0, 0)), i32x4(0, 1, 2, 3)));
}

/** Numbers or ids of four pixels. @param beside they are beside each other */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function gather(plane: usize, pixels: v128, beside: bool): v128 {
  const first = plane + (<usize>i32x4.extract_lane(pixels, 0) << 2);
  if (beside) return v128.load(first);
  return apart(plane, pixels);
}

function apart(plane: usize, pixels: v128): v128 {
  let out = v128.load32_zero(plane + (<usize>i32x4.extract_lane(pixels, 0) << 2));
  out = v128.load32_lane(plane + (<usize>i32x4.extract_lane(pixels, 1) << 2), out, 1);
  out = v128.load32_lane(plane + (<usize>i32x4.extract_lane(pixels, 2) << 2), out, 2);
  return v128.load32_lane(plane + (<usize>i32x4.extract_lane(pixels, 3) << 2), out, 3);
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

/**
 * Follows four points from (x, y) on, as `followPoint` each of them.
 * @returns false when some are lost and some are not, or something is not the same for all: then nothing was written
 */
export function followFour(x: i32, y: i32): bool {
  const at2 = y * width + x;
  if (mixed2 !== 0) {
    const marks = load<u32>(mixed2 + <usize>at2);
    if (marks !== 0) return marks === 0x01010101;
  }
  vectorsOf(motion2, at2);
  const x3 = vx;
  const y3 = vy;
  let x4 = x3;
  let y4 = y3;
  if (motion3 !== 0) {
    vectorsAt(motion3, x, y, x3, y3);
    x4 = f32x4.add(x3, vx);
    y4 = f32x4.add(y3, vy);
  }
  const none = f32x4.splat(0);
  vectorsOf(motion1, at2);
  let kept = before(motion1, x, y, none, none);
  if (!v128.all_true<i32>(kept)) return !v128.any_true(kept);
  const x1 = fromX;
  const y1 = fromY;
  kept = before(motion0, x, y, x1, y1);
  if (!v128.all_true<i32>(kept)) return !v128.any_true(kept);
  const x0 = fromX;
  const y0 = fromY;
  const px = f32x4.add(f32x4.splat(<f32>x), f32x4(0, 1, 2, 3));
  const py = f32x4.splat(<f32>y);
  const least = f32x4.splat(<f32>BORDER);
  // the last is no number when the one before is none, and stays so: then it is not within the picture
  const left = f32x4.add(px, f32x4.pmin(f32x4.pmin(f32x4.pmin(x4, x3), x1), x0));
  const right = f32x4.add(px, f32x4.pmax(f32x4.pmax(f32x4.pmax(x4, x3), x1), x0));
  const top = f32x4.add(py, f32x4.pmin(f32x4.pmin(f32x4.pmin(y4, y3), y1), y0));
  const bottom = f32x4.add(py, f32x4.pmax(f32x4.pmax(f32x4.pmax(y4, y3), y1), y0));
  const fromFirst = v128.and(f32x4.ge(left, least), f32x4.ge(top, least));
  const across = f32x4.le(right, f32x4.splat(<f32>(width - 1 - BORDER)));
  const down = f32x4.le(bottom, f32x4.splat(<f32>(height - 1 - BORDER)));
  kept = v128.and(fromFirst, v128.and(across, down));
  if (!v128.all_true<i32>(kept)) return !v128.any_true(kept);
  const here = i32x4.add(i32x4.splat(at2), i32x4(0, 1, 2, 3));
  const at0 = nearest(here, x0, y0);
  const at1 = nearest(here, x1, y1);
  const at3 = nearest(here, x3, y3);
  const at4 = nearest(here, x4, y4);
  const beside0 = besideEachOther(at0);
  const beside1 = besideEachOther(at1);
  const beside3 = besideEachOther(at3);
  const beside4 = besideEachOther(at4);
  if (anyMarked(mixed0, at0, beside0) || anyMarked(mixed1, at1, beside1)) return false;
  if (anyMarked(mixed3, at3, beside3) || anyMarked(mixed4, at4, beside4)) return false;
  const at = <usize>at2 << 2;
  if (ids2 !== 0) {
    const own = v128.load(ids2 + at);
    if (anyOther(ids0, at0, beside0, own) || anyOther(ids1, at1, beside1, own)) return false;
    if (anyOther(ids3, at3, beside3, own) || anyOther(ids4, at4, beside4, own)) return false;
  }
  const s2 = v128.load(raw2 + at);
  let s0: v128;
  let s1: v128;
  let s3: v128;
  let s4: v128;
  if (v128.any_true(v128.or(v128.or(v128.or(x0, y0), v128.or(x1, y1)), v128.or(v128.or(x3, y3), v128.or(x4, y4))))) {
    s0 = valuesAt(raw0, x, y, x0, y0);
    s1 = valuesAt(raw1, x, y, x1, y1);
    s3 = valuesAt(raw3, x, y, x3, y3);
    s4 = valuesAt(raw4, x, y, x4, y4);
  } else {
    s0 = v128.load(raw0 + at);
    s1 = v128.load(raw1 + at);
    s3 = v128.load(raw3 + at);
    s4 = v128.load(raw4 + at);
  }
  v128.store(quick + at, quickAnswer(s0, s1, s2, s3, s4));
  v128.store(calm + at, calmAnswer(s0, s2, s4));
  const sum = f32x4.add(f32x4.add(f32x4.add(s0, s4), f32x4.add(s1, s3)), s2);
  v128.store(mean + at, f32x4.mul(sum, f32x4.splat(0.2)));
  v128.store(valid + at, f32x4.splat(1));
  s0 = nearer(s0, s2, gather(steep0, at0, beside0));
  s1 = nearer(s1, s2, gather(steep1, at1, beside1));
  s3 = nearer(s3, s2, gather(steep3, at3, beside3));
  s4 = nearer(s4, s2, gather(steep4, at4, beside4));
  v128.store(sureQuick + at, quickAnswer(s0, s1, s2, s3, s4));
  v128.store(sureCalm + at, calmAnswer(s0, s2, s4));
  return true;
}
