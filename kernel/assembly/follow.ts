/**
 * Following the points of a frame through the two frames before and after it, and what their light does there. Places
 * are kept as shifts from the pixel that is followed, which are small, so that 32 bits hold them finely. See
 * core/measure/stability/track for what is meant.
 */

const BORDER: f32 = 4;
const MOST_RESIDUAL: f32 = 0.5;
const ALIKE: f32 = 0.08;
const SETTLED: f32 = 0.001;
/** Uncertainty of a vector, pixels. */
const DOUBT: f32 = 0.25;

/** Adding it leaves the whole part of smaller numbers in the lowest bits. */
const MAGIC: f32 = 12582912;
const MAGIC_BITS: i32 = 0x4b400000;

let width: i32 = 0;
let height: i32 = 0;
/** Bytes of a row of one number a pixel. */
let row: usize = 0;

/** Addresses of the frames' light, slopes, vectors, ids and mixed, in order; 0 for what is not there. */
let raw0: usize = 0;
let raw1: usize = 0;
let raw2: usize = 0;
let raw3: usize = 0;
let raw4: usize = 0;
let steep0: usize = 0;
let steep1: usize = 0;
let steep3: usize = 0;
let steep4: usize = 0;
let motion0: usize = 0;
let motion1: usize = 0;
let motion2: usize = 0;
let motion3: usize = 0;
let motion4: usize = 0;
let ids0: usize = 0;
let ids1: usize = 0;
let ids2: usize = 0;
let ids3: usize = 0;
let ids4: usize = 0;
let mixed0: usize = 0;
let mixed1: usize = 0;
let mixed2: usize = 0;
let mixed3: usize = 0;
let mixed4: usize = 0;

/** @param table five frames in order, five addresses each */
export function bindWindow(table: usize, w: i32, h: i32): void {
  width = w;
  height = h;
  row = <usize>w << 2;
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
function integers(whole: v128): v128 {
  return i32x4.sub(f32x4.add(whole, magic), magicBits);
}

/**
 * Vector at a shift from (x, y), between the pixels, twice over; the nearest within the picture. A shift that is no
 * number, or far too long, gives some vector or none: what follows tells by the shift.
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function vectorAt(motion: usize, x: i32, y: i32, shift: v128): v128 {
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
  const at = motion + (<usize>(cy * width + cx) << 3);
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
function cubic(f: v128): v128 {
  const slope = f32x4.add(f32x4.mul(f, f32x4.add(f32x4.mul(f, cube), square)), plain);
  return f32x4.add(f32x4.mul(f, slope), first);
}

/** Four numbers whose sum is the value at a shift from (x, y). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function cubicAt(plane: usize, x: i32, y: i32, shift: v128): v128 {
  const whole = f32x4.floor(shift);
  const f = f32x4.sub(shift, whole);
  const cell = integers(whole);
  const cx = x + i32x4.extract_lane(cell, 0);
  const cy = y + i32x4.extract_lane(cell, 1);
  const p = plane + (<usize>(cy * width + cx) << 2) - row - 4;
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
function sums(a: v128, b: v128, c: v128, d: v128): v128 {
  const ab = f32x4.add(v128.shuffle<f32>(a, b, 0, 4, 1, 5), v128.shuffle<f32>(a, b, 2, 6, 3, 7));
  const cd = f32x4.add(v128.shuffle<f32>(c, d, 0, 4, 1, 5), v128.shuffle<f32>(c, d, 2, 6, 3, 7));
  return f32x4.add(v128.shuffle<f32>(ab, cd, 0, 1, 4, 5), v128.shuffle<f32>(ab, cd, 2, 3, 6, 7));
}

/** The pixel nearest to a shift from (x, y). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function nearest(x: i32, y: i32, shift: v128): i32 {
  const cell = integers(f32x4.floor(f32x4.add(shift, f32x4.splat(0.5))));
  return (y + i32x4.extract_lane(cell, 1)) * width + x + i32x4.extract_lane(cell, 0);
}

let lost: bool = false;
/** Vector found by `before`, twice over. */
let found: v128 = f32x4.splat(0);

/**
 * Where that comes from which is at a shift one frame later; sets `lost` when there is no such place.
 * @param guess vector that it may have had
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function before(motion: usize, x: i32, y: i32, to: v128, guess: v128): v128 {
  if (motion === 0) {
    found = f32x4.splat(0);
    return to;
  }
  let v = guess;
  let from = to;
  for (let step = 0; step < 3; step++) {
    from = f32x4.sub(to, v);
    const next = vectorAt(motion, x, y, from);
    const apart = f32x4.abs(f32x4.sub(next, v));
    v = next;
    if (v128.all_true<i32>(f32x4.lt(apart, f32x4.splat(SETTLED)))) break;
  }
  const off = f32x4.abs(f32x4.sub(f32x4.add(from, v), to));
  // what is no number is lost too
  if (!v128.all_true<i32>(f32x4.le(off, f32x4.splat(MOST_RESIDUAL)))) lost = true;
  found = v;
  return from;
}

/** Vector of a pixel, twice over. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function vectorOf(motion: usize, at: i32): v128 {
  return motion === 0 ? f32x4.splat(0) : v128.load64_splat(motion + (<usize>at << 3));
}

/** Is something else at a pixel, which moves otherwise than (vx, vy)? */
function hidden(ids: usize, motion: usize, at: i32, own: u32, vx: f32, vy: f32): bool {
  if (ids === 0 || load<u32>(ids + (<usize>at << 2)) === own) return false;
  const p = motion + (<usize>at << 3);
  const ox: f32 = motion === 0 ? 0 : load<f32>(p);
  const oy: f32 = motion === 0 ? 0 : load<f32>(p, 4);
  return !(abs(ox - vx) + abs(oy - vy) < ALIKE + ALIKE * (abs(vx) + abs(vy)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function marked(mixed: usize, at: i32): bool {
  return mixed !== 0 && load<u8>(mixed + <usize>at) === 1;
}

/**
 * Follows the points of some rows and writes what the two temporal filters answer, cd/m², where they are not lost.
 * @param from, to rows: the first, and the first that is no more followed
 * @param quick, calm answers, 0 before @param mean of the five frames @param valid 1 where it was followed, 0 before
 * @param sureQuick, sureCalm answers if each vector were wrong by `DOUBT` in the better direction, 0 before
 */
export function followRows(
  from: i32,
  to: i32,
  quick: usize,
  calm: usize,
  mean: usize,
  valid: usize,
  sureQuick: usize,
  sureCalm: usize,
): void {
  const border = <i32>BORDER;
  const least = f32x4.splat(BORDER);
  const right = <f32>(width - 1) - BORDER;
  const bottom = <f32>(height - 1) - BORDER;
  const most = f32x4(right, bottom, right, bottom);
  const none = f32x4.splat(0);
  // of the frames 0, 1, 3 and 4, and of the one in the middle
  const quickWeights = f32x4(0.0625, -0.25, -0.25, 0.0625);
  const calmWeights = f32x4(-0.25, 0, 0, -0.25);
  const own = f32x4(0.375, 0.5, 0.375, 0.5);
  const doubt = f32x4.splat(0.5 * DOUBT);
  const begin = max(border, from);
  const end = min(height - border, to);
  for (let y = begin; y < end; y++)
    for (let x = border; x < width - border; x++) {
      const at2 = y * width + x;
      const shift3 = vectorOf(motion2, at2);
      const shift4 = motion3 === 0 ? shift3 : f32x4.add(shift3, vectorAt(motion3, x, y, shift3));
      lost = false;
      const shift1 = before(motion1, x, y, none, vectorOf(motion1, at2));
      const shift0 = before(motion0, x, y, shift1, found);
      if (lost) continue;
      const pixel = f32x4(<f32>x, <f32>y, <f32>x, <f32>y);
      // the last is no number when the one before is none, and stays so: then it is not within the picture
      const low = f32x4.pmin(f32x4.pmin(f32x4.pmin(shift4, shift3), shift1), shift0);
      const high = f32x4.pmax(f32x4.pmax(f32x4.pmax(shift4, shift3), shift1), shift0);
      const within = v128.and(f32x4.ge(f32x4.add(pixel, low), least), f32x4.le(f32x4.add(pixel, high), most));
      if (!v128.all_true<i32>(within)) continue;
      const at0 = nearest(x, y, shift0);
      const at1 = nearest(x, y, shift1);
      const at3 = nearest(x, y, shift3);
      const at4 = nearest(x, y, shift4);
      if (marked(mixed2, at2) || marked(mixed0, at0) || marked(mixed1, at1) || marked(mixed3, at3) || marked(mixed4, at4))
        continue;
      if (ids2 !== 0) {
        const id = load<u32>(ids2 + (<usize>at2 << 2));
        const vx = f32x4.extract_lane(shift3, 0);
        const vy = f32x4.extract_lane(shift3, 1);
        if (hidden(ids0, motion0, at0, id, vx, vy) || hidden(ids1, motion1, at1, id, vx, vy)) continue;
        if (hidden(ids3, motion3, at3, id, vx, vy) || hidden(ids4, motion4, at4, id, vx, vy)) continue;
      }
      const at = <usize>at2 << 2;
      const middle = v128.load32_splat(raw2 + at);
      let others: v128;
      if (v128.any_true(v128.or(v128.or(shift0, shift1), v128.or(shift3, shift4))))
        others = sums(
          cubicAt(raw0, x, y, shift0),
          cubicAt(raw1, x, y, shift1),
          cubicAt(raw3, x, y, shift3),
          cubicAt(raw4, x, y, shift4),
        );
      else {
        others = v128.load32_zero(raw0 + at);
        others = v128.load32_lane(raw1 + at, others, 1);
        others = v128.load32_lane(raw3 + at, others, 2);
        others = v128.load32_lane(raw4 + at, others, 3);
      }
      // each sample is brought as near to the middle one as an error of its vector could
      let reach = v128.load32_zero(steep0 + (<usize>at0 << 2));
      reach = v128.load32_lane(steep1 + (<usize>at1 << 2), reach, 1);
      reach = v128.load32_lane(steep3 + (<usize>at3 << 2), reach, 2);
      reach = v128.load32_lane(steep4 + (<usize>at4 << 2), reach, 3);
      // the slopes are over two pixels
      reach = f32x4.mul(reach, doubt);
      const nearer = f32x4.pmax(f32x4.sub(others, reach), f32x4.pmin(f32x4.add(others, reach), middle));
      const answers = f32x4.add(
        f32x4.mul(middle, own),
        sums(
          f32x4.mul(others, quickWeights),
          f32x4.mul(others, calmWeights),
          f32x4.mul(nearer, quickWeights),
          f32x4.mul(nearer, calmWeights),
        ),
      );
      v128.store32_lane(quick + at, answers, 0);
      v128.store32_lane(calm + at, answers, 1);
      v128.store32_lane(sureQuick + at, answers, 2);
      v128.store32_lane(sureCalm + at, answers, 3);
      const half = f32x4.add(others, v128.shuffle<f32>(others, others, 2, 3, 0, 1));
      const all = f32x4.extract_lane(half, 0) + f32x4.extract_lane(half, 1) + f32x4.extract_lane(middle, 0);
      store<f32>(mean + at, all * <f32>0.2);
      store<f32>(valid + at, 1);
    }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function quickAnswer(s0: f32, s1: f32, s2: f32, s3: f32, s4: f32): f32 {
  return (s0 + s4 - <f32>4 * (s1 + s3) + <f32>6 * s2) * <f32>0.0625;
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
function calmAnswer(s0: f32, s2: f32, s4: f32): f32 {
  return (<f32>2 * s2 - s0 - s4) * <f32>0.25;
}

/** Change of a plane over two pixels, across and down, except along the border, where it is 0. */
export function slopes(plane: usize, width: i32, height: i32, out: usize): void {
  const row = <usize>width << 2;
  memory.fill(out, 0, row * <usize>height);
  for (let y = 1; y < height - 1; y++) {
    const p = plane + <usize>y * row;
    const to = out + <usize>y * row;
    for (let x = 1; x < width - 1; x += 4) {
      const at = <usize>x << 2;
      const across = f32x4.abs(f32x4.sub(v128.load(p + at, 4), v128.load(p + at - 4)));
      const down = f32x4.abs(f32x4.sub(v128.load(p + at + row), v128.load(p + at - row)));
      v128.store(to + at, f32x4.add(across, down));
    }
    // what ran over is the border
    store<f32>(to + row - 4, 0);
    store<f32>(to + row, 0);
  }
}

/** As `followRows` where no frame of the window moves: every point stays where it is, and no vector can be wrong. */
export function stayRows(from: i32, to: i32, quick: usize, calm: usize, mean: usize, valid: usize): void {
  const border = <i32>BORDER;
  const begin = max(border, from);
  const end = min(height - border, to);
  for (let y = begin; y < end; y++)
    for (let x = border; x < width - border; x++) {
      const at = <usize>(y * width + x) << 2;
      const s0 = load<f32>(raw0 + at);
      const s1 = load<f32>(raw1 + at);
      const s2 = load<f32>(raw2 + at);
      const s3 = load<f32>(raw3 + at);
      const s4 = load<f32>(raw4 + at);
      store<f32>(valid + at, 1);
      store<f32>(mean + at, (s0 + s1 + s2 + s3 + s4) * <f32>0.2);
      store<f32>(quick + at, quickAnswer(s0, s1, s2, s3, s4));
      store<f32>(calm + at, calmAnswer(s0, s2, s4));
    }
}
