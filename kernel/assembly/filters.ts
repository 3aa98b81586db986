/**
 * Separable filters over planes of one number a pixel, sixteen pixels at a time; beyond the border the last pixel goes on.
 * Rows narrower than sixteen are written over their ends, so only wider ones may be shared among threads.
 */

const BLOCK: i32 = 16;

/** Weights that are the same on both sides, or the negative of each other: then two values share a product. */
const EVEN: i32 = 1;
const ODD: i32 = -1;
const OTHER: i32 = 0;

function symmetry(weights: usize, radius: i32): i32 {
  let even = true;
  let odd = load<f32>(weights + ((<usize>radius) << 2)) === 0;
  for (let k = 0; k < radius; k++) {
    const a = load<f32>(weights + ((<usize>k) << 2));
    const b = load<f32>(weights + ((<usize>(2 * radius - k)) << 2));
    if (a !== b) even = false;
    if (a !== -b) odd = false;
  }
  return even ? EVEN : odd ? ODD : OTHER;
}

/** Where the block of so many pixels is that holds pixel `next` of a row: the last one may hold some of those before. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function blockAt(next: i32, width: i32, block: i32): usize {
  return (<usize>max(0, min(next, width - block))) << 2;
}

/** Rows that the strip before has at its end and this one at its top move there. @param known how many */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function moveStrip(strip: usize, known: i32, stride: usize): void {
  if (known > 0) memory.copy(strip, strip + <usize>STRIP * stride, <usize>known * stride);
}

/**
 * Sixteen filtered pixels.
 * @param centre values of the pixels themselves; their neighbours lie `step` bytes apart, all within the plane
 * @param middle the middle one of the weights @param kind from `symmetry`
 */
function block(to: usize, centre: usize, step: usize, middle: usize, radius: i32, kind: i32): void {
  const w0 = v128.load32_splat(middle);
  let a = f32x4.mul(v128.load(centre), w0);
  let b = f32x4.mul(v128.load(centre, 16), w0);
  let c = f32x4.mul(v128.load(centre, 32), w0);
  let d = f32x4.mul(v128.load(centre, 48), w0);
  let before = centre;
  let after = centre;
  if (kind === EVEN) {
    for (let k = 1; k <= radius; k++) {
      const w = v128.load32_splat(middle + ((<usize>k) << 2));
      before -= step;
      after += step;
      a = f32x4.add(a, f32x4.mul(f32x4.add(v128.load(before), v128.load(after)), w));
      b = f32x4.add(b, f32x4.mul(f32x4.add(v128.load(before, 16), v128.load(after, 16)), w));
      c = f32x4.add(c, f32x4.mul(f32x4.add(v128.load(before, 32), v128.load(after, 32)), w));
      d = f32x4.add(d, f32x4.mul(f32x4.add(v128.load(before, 48), v128.load(after, 48)), w));
    }
  } else if (kind === ODD) {
    for (let k = 1; k <= radius; k++) {
      const w = v128.load32_splat(middle + ((<usize>k) << 2));
      before -= step;
      after += step;
      a = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(after), v128.load(before)), w));
      b = f32x4.add(b, f32x4.mul(f32x4.sub(v128.load(after, 16), v128.load(before, 16)), w));
      c = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(after, 32), v128.load(before, 32)), w));
      d = f32x4.add(d, f32x4.mul(f32x4.sub(v128.load(after, 48), v128.load(before, 48)), w));
    }
  } else {
    for (let k = 1; k <= radius; k++) {
      const w = v128.load32_splat(middle + ((<usize>k) << 2));
      const v = v128.load32_splat(middle - ((<usize>k) << 2));
      before -= step;
      after += step;
      a = f32x4.add(a, f32x4.add(f32x4.mul(v128.load(before), v), f32x4.mul(v128.load(after), w)));
      b = f32x4.add(b, f32x4.add(f32x4.mul(v128.load(before, 16), v), f32x4.mul(v128.load(after, 16), w)));
      c = f32x4.add(c, f32x4.add(f32x4.mul(v128.load(before, 32), v), f32x4.mul(v128.load(after, 32), w)));
      d = f32x4.add(d, f32x4.add(f32x4.mul(v128.load(before, 48), v), f32x4.mul(v128.load(after, 48), w)));
    }
  }
  v128.store(to, a);
  v128.store(to, b, 16);
  v128.store(to, c, 32);
  v128.store(to, d, 48);
}

/** Copies a row to where its ends go on. @param line width + 2 · radius + 16 numbers @returns its first pixel there */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function padRow(row: usize, width: i32, radius: i32, line: usize): usize {
  const start = line + ((<usize>radius) << 2);
  const first = v128.load32_splat(row);
  const last = v128.load32_splat(row + ((<usize>(width - 1)) << 2));
  // in fours: the first ones run into the row, which is written over them
  for (let i = 0; i < radius; i += 4) v128.store(line + ((<usize>i) << 2), first);
  memory.copy(start, row, (<usize>width) << 2);
  for (let i = 0; i < radius + BLOCK; i += 4) v128.store(start + ((<usize>(width + i)) << 2), last);
  return start;
}

/** One filtered row. @param line as for `padRow` */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function filterRow(row: usize, to: usize, width: i32, middle: usize, radius: i32, kind: i32, line: usize): void {
  const start = padRow(row, width, radius, line);
  for (let next = 0; next < width; next += BLOCK) {
    const at = blockAt(next, width, BLOCK);
    block(to + at, start + at, 4, middle, radius, kind);
  }
}

/**
 * Filters along rows.
 * @param weights 2 · radius + 1 numbers
 * @param line width + 2 · radius + 20 numbers to work in
 * @param out may not be `source`; 16 numbers behind its end may be written
 */
export function filterRows(
  source: usize,
  out: usize,
  width: i32,
  height: i32,
  weights: usize,
  radius: i32,
  line: usize,
): void {
  const kind = symmetry(weights, radius);
  const middle = weights + ((<usize>radius) << 2);
  for (let y = 0; y < height; y++) {
    const at = (<usize>y * <usize>width) << 2;
    filterRow(source + at, out + at, width, middle, radius, kind, line);
  }
}

/** Rows that `filterBoth` filters down at once. */
export const STRIP: i32 = 32;

/**
 * Filters along rows, and what comes of it along columns, for some rows: strip by strip, so that what stands in between
 * stays near the processor.
 * @param weights two times 2 · radius + 1 numbers, for rows and for columns
 * @param line as for `filterRows` @param strip (32 + 2 · radius of the columns) · width + 16 numbers to work in
 * @param out may not be `source`; 16 numbers behind its end may be written where a row is shorter
 */
export function filterBoth(
  source: usize,
  out: usize,
  width: i32,
  height: i32,
  weights: usize,
  acrossRadius: i32,
  downRadius: i32,
  from: i32,
  to: i32,
  line: usize,
  strip: usize,
): void {
  const stride = (<usize>width) << 2;
  const down = weights + ((<usize>(2 * acrossRadius + 1)) << 2);
  const acrossKind = symmetry(weights, acrossRadius);
  const downKind = symmetry(down, downRadius);
  const across = weights + ((<usize>acrossRadius) << 2);
  const middle = down + ((<usize>downRadius) << 2);
  let known = 0;
  for (let y0 = from; y0 < to; y0 += STRIP) {
    const end = min(to, y0 + STRIP);
    const first = y0 - downRadius;
    moveStrip(strip, known, stride);
    for (let q = known; q < end - y0 + 2 * downRadius; q++) {
      const row = source + <usize>max(0, min(height - 1, first + q)) * stride;
      filterRow(row, strip + <usize>q * stride, width, across, acrossRadius, acrossKind, line);
    }
    known = 2 * downRadius;
    for (let y = y0; y < end; y++) {
      const target = out + <usize>y * stride;
      const row = strip + <usize>(y - first) * stride;
      for (let next = 0; next < width; next += BLOCK) {
        const at = blockAt(next, width, BLOCK);
        block(target + at, row + at, stride, middle, downRadius, downKind);
      }
    }
  }
}

/** The same along columns, for some rows. @param source 16 numbers behind its end are read */
export function filterColumns(
  source: usize,
  out: usize,
  width: i32,
  height: i32,
  weights: usize,
  radius: i32,
  from: i32,
  to: i32,
): void {
  const stride = (<usize>width) << 2;
  const kind = symmetry(weights, radius);
  const middle = weights + ((<usize>radius) << 2);
  for (let y = from; y < to; y++) {
    const target = out + <usize>y * stride;
    const row = source + <usize>y * stride;
    const inside = y >= radius && y + radius < height;
    for (let next = 0; next < width; next += BLOCK) {
      const at = blockAt(next, width, BLOCK);
      if (inside) block(target + at, row + at, stride, middle, radius, kind);
      else clampedBlock(target + at, source + at, stride, y, height, middle, radius);
    }
  }
}

/** Sixteen filtered pixels of row y whose neighbours in the column may lie outside. @param column those of row 0 */
function clampedBlock(to: usize, column: usize, stride: usize, y: i32, height: i32, middle: usize, radius: i32): void {
  let a = f32x4.splat(0);
  let b = f32x4.splat(0);
  let c = f32x4.splat(0);
  let d = f32x4.splat(0);
  for (let k = -radius; k <= radius; k++) {
    const at = column + <usize>min(height - 1, max(0, y + k)) * stride;
    const w = v128.load32_splat(middle + (k << 2));
    a = f32x4.add(a, f32x4.mul(v128.load(at), w));
    b = f32x4.add(b, f32x4.mul(v128.load(at, 16), w));
    c = f32x4.add(c, f32x4.mul(v128.load(at, 32), w));
    d = f32x4.add(d, f32x4.mul(v128.load(at, 48), w));
  }
  v128.store(to, a);
  v128.store(to, b, 16);
  v128.store(to, c, 32);
  v128.store(to, d, 48);
}
