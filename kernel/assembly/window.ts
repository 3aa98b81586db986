/**
 * The five frames through which points are followed, and reading them between their pixels. Places are kept as shifts
 * from the pixel that is followed, which are small, so that 32 bits hold them finely.
 */

/** Pixels along the border whose points are not followed. */
export const BORDER: i32 = 4;

/** Adding it leaves the whole part of smaller numbers in the lowest bits. */
const MAGIC: f32 = 12582912;
const MAGIC_BITS: i32 = 0x4b400000;

export let width: i32 = 0;
export let height: i32 = 0;
/** Bytes of a row of one number a pixel. */
export let row: usize = 0;

/** Addresses of the frames' light, slopes, vectors, ids and mixed, in order; 0 for what is not there. */
export let raw0: usize = 0;
export let raw1: usize = 0;
export let raw2: usize = 0;
export let raw3: usize = 0;
export let raw4: usize = 0;
export let steep0: usize = 0;
export let steep1: usize = 0;
export let steep3: usize = 0;
export let steep4: usize = 0;
export let motion0: usize = 0;
export let motion1: usize = 0;
export let motion2: usize = 0;
export let motion3: usize = 0;
export let motion4: usize = 0;
export let ids0: usize = 0;
export let ids1: usize = 0;
export let ids2: usize = 0;
export let ids3: usize = 0;
export let ids4: usize = 0;
export let mixed0: usize = 0;
export let mixed1: usize = 0;
export let mixed2: usize = 0;
export let mixed3: usize = 0;
export let mixed4: usize = 0;

/** Planes of a number a pixel that what was found is written to, set by `setAnswers`: see `followRows`. */
export let quick: usize = 0;
export let calm: usize = 0;
export let mean: usize = 0;
export let valid: usize = 0;
export let sureQuick: usize = 0;
export let sureCalm: usize = 0;

export function setAnswers(
  quick_: usize,
  calm_: usize,
  mean_: usize,
  valid_: usize,
  sureQuick_: usize,
  sureCalm_: usize,
): void {
  quick = quick_;
  calm = calm_;
  mean = mean_;
  valid = valid_;
  sureQuick = sureQuick_;
  sureCalm = sureCalm_;
}

/** @param table five frames in order, five addresses each */
export function bindWindow(table: usize, w: i32, h: i32): void {
  width = w;
  height = h;
  row = (<usize>w) << 2;
  setConstants();
  raw0 = part(table, 0, 0);
  raw1 = part(table, 1, 0);
  raw2 = part(table, 2, 0);
  raw3 = part(table, 3, 0);
  raw4 = part(table, 4, 0);
  steep0 = part(table, 0, 1);
  steep1 = part(table, 1, 1);
  steep3 = part(table, 3, 1);
  steep4 = part(table, 4, 1);
  motion0 = part(table, 0, 2);
  motion1 = part(table, 1, 2);
  motion2 = part(table, 2, 2);
  motion3 = part(table, 3, 2);
  motion4 = part(table, 4, 2);
  ids0 = part(table, 0, 3);
  ids1 = part(table, 1, 3);
  ids2 = part(table, 2, 3);
  ids3 = part(table, 3, 3);
  ids4 = part(table, 4, 3);
  mixed0 = part(table, 0, 4);
  mixed1 = part(table, 1, 4);
  mixed2 = part(table, 2, 4);
  mixed3 = part(table, 3, 4);
  mixed4 = part(table, 4, 4);
}

function part(table: usize, frame: usize, at: usize): usize {
  return <usize>load<u32>(table + frame * 20 + at * 4);
}

/** Constants as vectors, set by `bindWindow`: to load them is quicker than to make them where they are used. */
let magic: v128 = f32x4.splat(0);
let magicBits: v128 = f32x4.splat(0);
let cube: v128 = f32x4.splat(0);
let square: v128 = f32x4.splat(0);
let plain: v128 = f32x4.splat(0);
let first: v128 = f32x4.splat(0);

function setConstants(): void {
  magic = f32x4.splat(MAGIC);
  magicBits = i32x4.splat(MAGIC_BITS);
  cube = f32x4(-0.5, 1.5, -1.5, 0.5);
  square = f32x4(1, -2.5, 2, -0.5);
  plain = f32x4(-0.5, 0, 0.5, 0);
  first = f32x4(0, 1, 0, 0);
}

/** Whole numbers of less than 2²² as integers; of others anything. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function integers(whole: v128): v128 {
  return i32x4.sub(f32x4.add(whole, magic), magicBits);
}

/**
 * Vector at a shift from (x, y), between the pixels, twice over; the nearest within the picture. A shift that is no
 * number, or far too long, gives some vector or none: what follows tells by the shift.
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function vectorAt(motion: usize, x: i32, y: i32, shift: v128): v128 {
  const whole = f32x4.floor(shift);
  let f = f32x4.sub(shift, whole);
  const cell = integers(whole);
  let cx = x + i32x4.extract_lane(cell, 0);
  let cy = y + i32x4.extract_lane(cell, 1);
  if (<u32>cx > <u32>(width - 2)) {
    f = f32x4.replace_lane(f, 0, cx < 0 ? 0 : 1);
    cx = cx < 0 ? 0 : width - 2;
  }
  if (<u32>cy > <u32>(height - 2)) {
    f = f32x4.replace_lane(f, 1, cy < 0 ? 0 : 1);
    cy = cy < 0 ? 0 : height - 2;
  }
  const at = motion + ((<usize>(cy * width + cx)) << 3);
  const top = v128.load(at);
  const fy = v128.shuffle<f32>(f, f, 1, 1, 1, 1);
  const column = f32x4.add(top, f32x4.mul(f32x4.sub(v128.load(at + 2 * row), top), fy));
  const left = v128.shuffle<f32>(column, column, 0, 1, 0, 1);
  const right = v128.shuffle<f32>(column, column, 2, 3, 2, 3);
  return f32x4.add(left, f32x4.mul(f32x4.sub(right, left), v128.shuffle<f32>(f, f, 0, 0, 0, 0)));
}

/** Weights of the four nearest values for a cubic through them, see `cubicWeights`. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function cubic(f: v128): v128 {
  const slope = f32x4.add(f32x4.mul(f, f32x4.add(f32x4.mul(f, cube), square)), plain);
  return f32x4.add(f32x4.mul(f, slope), first);
}

/** Four numbers whose sum is the value at a shift from (x, y). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function cubicAt(plane: usize, x: i32, y: i32, shift: v128): v128 {
  const whole = f32x4.floor(shift);
  const f = f32x4.sub(shift, whole);
  const cell = integers(whole);
  const cx = x + i32x4.extract_lane(cell, 0);
  const cy = y + i32x4.extract_lane(cell, 1);
  const p = plane + ((<usize>(cy * width + cx)) << 2) - row - 4;
  const down = cubic(v128.shuffle<f32>(f, f, 1, 1, 1, 1));
  let sum = f32x4.mul(v128.load(p), v128.shuffle<f32>(down, down, 0, 0, 0, 0));
  sum = f32x4.add(sum, f32x4.mul(v128.load(p + row), v128.shuffle<f32>(down, down, 1, 1, 1, 1)));
  sum = f32x4.add(sum, f32x4.mul(v128.load(p + 2 * row), v128.shuffle<f32>(down, down, 2, 2, 2, 2)));
  sum = f32x4.add(sum, f32x4.mul(v128.load(p + 3 * row), v128.shuffle<f32>(down, down, 3, 3, 3, 3)));
  return f32x4.mul(sum, cubic(v128.shuffle<f32>(f, f, 0, 0, 0, 0)));
}

/** The sums of the numbers of each of four vectors. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function sums(a: v128, b: v128, c: v128, d: v128): v128 {
  const ab = f32x4.add(v128.shuffle<f32>(a, b, 0, 4, 1, 5), v128.shuffle<f32>(a, b, 2, 6, 3, 7));
  const cd = f32x4.add(v128.shuffle<f32>(c, d, 0, 4, 1, 5), v128.shuffle<f32>(c, d, 2, 6, 3, 7));
  return f32x4.add(v128.shuffle<f32>(ab, cd, 0, 1, 4, 5), v128.shuffle<f32>(ab, cd, 2, 3, 6, 7));
}
