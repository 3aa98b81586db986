/**
 * Filters of FLIP that share what they read: strip by strip, rows of several weights at once, then columns of what came of
 * them, eight pixels at a time. See core/measure/flip for what they mean; separate filters are in `filters`.
 */
import { blockAt, moveStrip, padRow, STRIP } from './filters';
import { add, all, allAt, mul, root, sub } from './four';

const BLOCK: i32 = 8;

/** Eight pixels of a row by even, odd and even weights. @param middle of the first; the others lie `apart` bytes on */
function threeAcross(
  centre: usize,
  toS: usize,
  toE: usize,
  toP: usize,
  middle: usize,
  apart: usize,
  radius: i32,
): void {
  const c0 = v128.load(centre);
  const c1 = v128.load(centre, 16);
  const smooth = allAt(middle);
  const point = allAt(middle + 2 * apart);
  let s0 = mul(c0, smooth);
  let s1 = mul(c1, smooth);
  let p0 = mul(c0, point);
  let p1 = mul(c1, point);
  let e0 = all(0);
  let e1 = all(0);
  let before = centre;
  let after = centre;
  for (let k = 1; k <= radius; k++) {
    before -= 4;
    after += 4;
    middle += 4;
    const a0 = v128.load(after);
    const a1 = v128.load(after, 16);
    const b0 = v128.load(before);
    const b1 = v128.load(before, 16);
    const ws = allAt(middle);
    const we = allAt(middle + apart);
    const wp = allAt(middle + 2 * apart);
    const sum0 = add(a0, b0);
    const sum1 = add(a1, b1);
    s0 = add(s0, mul(sum0, ws));
    s1 = add(s1, mul(sum1, ws));
    e0 = add(e0, mul(sub(a0, b0), we));
    e1 = add(e1, mul(sub(a1, b1), we));
    p0 = add(p0, mul(sum0, wp));
    p1 = add(p1, mul(sum1, wp));
  }
  v128.store(toS, s0);
  v128.store(toS, s1, 16);
  v128.store(toE, e0);
  v128.store(toE, e1, 16);
  v128.store(toP, p0);
  v128.store(toP, p1, 16);
}

/** Lengths of what eight pixels have of edges and points, across and down. @param s, e, p their rows in the strips */
function lengthsDown(
  s: usize,
  e: usize,
  p: usize,
  stride: usize,
  middle: usize,
  apart: usize,
  radius: i32,
  edges: usize,
  points: usize,
): void {
  const smooth = allAt(middle);
  const point = allAt(middle + 2 * apart);
  let ex0 = mul(v128.load(e), smooth);
  let ex1 = mul(v128.load(e, 16), smooth);
  let px0 = mul(v128.load(p), smooth);
  let px1 = mul(v128.load(p, 16), smooth);
  let py0 = mul(v128.load(s), point);
  let py1 = mul(v128.load(s, 16), point);
  let ey0 = all(0);
  let ey1 = all(0);
  let back: usize = 0;
  for (let k = 1; k <= radius; k++) {
    back += stride;
    middle += 4;
    const ws = allAt(middle);
    const we = allAt(middle + apart);
    const wp = allAt(middle + 2 * apart);
    ex0 = add(ex0, mul(add(v128.load(e + back), v128.load(e - back)), ws));
    ex1 = add(ex1, mul(add(v128.load(e + back, 16), v128.load(e - back, 16)), ws));
    px0 = add(px0, mul(add(v128.load(p + back), v128.load(p - back)), ws));
    px1 = add(px1, mul(add(v128.load(p + back, 16), v128.load(p - back, 16)), ws));
    const a0 = v128.load(s + back);
    const a1 = v128.load(s + back, 16);
    const b0 = v128.load(s - back);
    const b1 = v128.load(s - back, 16);
    ey0 = add(ey0, mul(sub(a0, b0), we));
    ey1 = add(ey1, mul(sub(a1, b1), we));
    py0 = add(py0, mul(add(a0, b0), wp));
    py1 = add(py1, mul(add(a1, b1), wp));
  }
  v128.store(edges, root(add(mul(ex0, ex0), mul(ey0, ey0))));
  v128.store(edges, root(add(mul(ex1, ex1), mul(ey1, ey1))), 16);
  v128.store(points, root(add(mul(px0, px0), mul(py0, py0))));
  v128.store(points, root(add(mul(px1, px1), mul(py1, py1))), 16);
}

/**
 * Strength of edges and of points of a plane: derivatives one way, smoothed the other way, as lengths.
 * @param weights three times 2 · radius + 1 numbers: smoothing (even), first (odd) and second derivative (even)
 * @param line width + 2 · radius + 20 numbers to work in @param strips three times (32 + 2 · radius) · width + 16
 * @param edges, points 16 numbers behind their ends may be written where a row is shorter than eight
 */
export function flipFeatures(
  plane: usize,
  edges: usize,
  points: usize,
  width: i32,
  height: i32,
  weights: usize,
  radius: i32,
  line: usize,
  strips: usize,
): void {
  const stride = (<usize>width) << 2;
  const apart = (<usize>(2 * radius + 1)) << 2;
  const middle = weights + ((<usize>radius) << 2);
  const size = <usize>(STRIP + 2 * radius) * stride + 64;
  const ofE = strips + size;
  const ofP = ofE + size;
  let known = 0;
  for (let y0 = 0; y0 < height; y0 += STRIP) {
    const end = min(height, y0 + STRIP);
    const first = y0 - radius;
    moveStrip(strips, known, stride);
    moveStrip(ofE, known, stride);
    moveStrip(ofP, known, stride);
    for (let q = known; q < end - y0 + 2 * radius; q++) {
      const row = plane + <usize>max(0, min(height - 1, first + q)) * stride;
      const start = padRow(row, width, radius, line);
      const to = <usize>q * stride;
      for (let next = 0; next < width; next += BLOCK) {
        const at = blockAt(next, width, BLOCK);
        threeAcross(start + at, strips + to + at, ofE + to + at, ofP + to + at, middle, apart, radius);
      }
    }
    known = 2 * radius;
    for (let y = y0; y < end; y++) {
      const target = <usize>y * stride;
      const from = <usize>(y - first) * stride;
      for (let next = 0; next < width; next += BLOCK) {
        const at = blockAt(next, width, BLOCK);
        const own = from + at;
        lengthsDown(
          strips + own,
          ofE + own,
          ofP + own,
          stride,
          middle,
          apart,
          radius,
          edges + target + at,
          points + target + at,
        );
      }
    }
  }
}

/** Eight pixels of a row by two kinds of even weights. */
function twoAcross(centre: usize, toA: usize, toB: usize, middle: usize, apart: usize, radius: i32): void {
  const c0 = v128.load(centre);
  const c1 = v128.load(centre, 16);
  let a0 = mul(c0, allAt(middle));
  let a1 = mul(c1, allAt(middle));
  let b0 = mul(c0, allAt(middle + apart));
  let b1 = mul(c1, allAt(middle + apart));
  let before = centre;
  let after = centre;
  for (let k = 1; k <= radius; k++) {
    before -= 4;
    after += 4;
    middle += 4;
    const wa = allAt(middle);
    const wb = allAt(middle + apart);
    const sum0 = add(v128.load(after), v128.load(before));
    const sum1 = add(v128.load(after, 16), v128.load(before, 16));
    a0 = add(a0, mul(sum0, wa));
    a1 = add(a1, mul(sum1, wa));
    b0 = add(b0, mul(sum0, wb));
    b1 = add(b1, mul(sum1, wb));
  }
  v128.store(toA, a0);
  v128.store(toA, a1, 16);
  v128.store(toB, b0);
  v128.store(toB, b1, 16);
}

/** Eight pixels down by both, summed with their shares. */
function mixedDown(
  a: usize,
  b: usize,
  stride: usize,
  middle: usize,
  apart: usize,
  radius: i32,
  ofA: v128,
  ofB: v128,
  to: usize,
): void {
  let a0 = mul(v128.load(a), allAt(middle));
  let a1 = mul(v128.load(a, 16), allAt(middle));
  let b0 = mul(v128.load(b), allAt(middle + apart));
  let b1 = mul(v128.load(b, 16), allAt(middle + apart));
  let back: usize = 0;
  for (let k = 1; k <= radius; k++) {
    back += stride;
    middle += 4;
    const wa = allAt(middle);
    const wb = allAt(middle + apart);
    a0 = add(a0, mul(add(v128.load(a + back), v128.load(a - back)), wa));
    a1 = add(a1, mul(add(v128.load(a + back, 16), v128.load(a - back, 16)), wa));
    b0 = add(b0, mul(add(v128.load(b + back), v128.load(b - back)), wb));
    b1 = add(b1, mul(add(v128.load(b + back, 16), v128.load(b - back, 16)), wb));
  }
  v128.store(to, add(mul(a0, ofA), mul(b0, ofB)));
  v128.store(to, add(mul(a1, ofA), mul(b1, ofB)), 16);
}

/**
 * A plane by two separable blurs, summed with their shares.
 * @param weights two times 2 · radius + 1 numbers, both the same on either side
 * @param line width + 2 · radius + 20 numbers to work in @param strips two times (32 + 2 · radius) · width + 16
 * @param out 16 numbers behind its end may be written where a row is shorter than eight
 */
export function flipBlurs(
  plane: usize,
  out: usize,
  width: i32,
  height: i32,
  weights: usize,
  radius: i32,
  shareA: f32,
  shareB: f32,
  line: usize,
  strips: usize,
): void {
  const stride = (<usize>width) << 2;
  const apart = (<usize>(2 * radius + 1)) << 2;
  const middle = weights + ((<usize>radius) << 2);
  const second = strips + <usize>(STRIP + 2 * radius) * stride + 64;
  const ofA = all(shareA);
  const ofB = all(shareB);
  let known = 0;
  for (let y0 = 0; y0 < height; y0 += STRIP) {
    const end = min(height, y0 + STRIP);
    const first = y0 - radius;
    moveStrip(strips, known, stride);
    moveStrip(second, known, stride);
    for (let q = known; q < end - y0 + 2 * radius; q++) {
      const row = plane + <usize>max(0, min(height - 1, first + q)) * stride;
      const start = padRow(row, width, radius, line);
      const to = <usize>q * stride;
      for (let next = 0; next < width; next += BLOCK) {
        const at = blockAt(next, width, BLOCK);
        twoAcross(start + at, strips + to + at, second + to + at, middle, apart, radius);
      }
    }
    known = 2 * radius;
    for (let y = y0; y < end; y++) {
      const target = out + <usize>y * stride;
      const from = <usize>(y - first) * stride;
      for (let next = 0; next < width; next += BLOCK) {
        const at = blockAt(next, width, BLOCK);
        mixedDown(strips + from + at, second + from + at, stride, middle, apart, radius, ofA, ofB, target + at);
      }
    }
  }
}
