/** Following one point through the frames around its own, and what its light does there. */
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
  motion4,
  quick,
  raw0,
  raw1,
  raw2,
  raw3,
  raw4,
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

/** Farther than this from where it should be a point is lost, pixels. */
export const MOST_RESIDUAL: f32 = 0.5;
/** Things that move alike differ by less, pixels and share of the motion. */
const ALIKE: f32 = 0.08;
/** Another step towards where a point comes from would move it by less, pixels. */
export const SETTLED: f32 = 0.001;
/** Uncertainty of a vector, pixels. */
export const DOUBT: f32 = 0.25;

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
  return motion === 0 ? f32x4.splat(0) : v128.load64_splat(motion + ((<usize>at) << 3));
}

/** Is something else at a pixel, which moves otherwise than (vx, vy)? */
function hidden(ids: usize, motion: usize, at: i32, own: u32, vx: f32, vy: f32): bool {
  if (ids === 0 || load<u32>(ids + ((<usize>at) << 2)) === own) return false;
  const p = motion + ((<usize>at) << 3);
  const ox: f32 = motion === 0 ? 0 : load<f32>(p);
  const oy: f32 = motion === 0 ? 0 : load<f32>(p, 4);
  return !(abs(ox - vx) + abs(oy - vy) < ALIKE + ALIKE * (abs(vx) + abs(vy)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function marked(mixed: usize, at: i32): bool {
  return mixed !== 0 && load<u8>(mixed + <usize>at) === 1;
}

/** Follows the point (x, y) and writes what the two temporal filters answer, cd/m², where it is not lost. */
export function followPoint(x: i32, y: i32): void {
  const least = f32x4.splat(<f32>BORDER);
  const right = <f32>(width - 1 - BORDER);
  const bottom = <f32>(height - 1 - BORDER);
  const most = f32x4(right, bottom, right, bottom);
  const none = f32x4.splat(0);
  // of the frames 0, 1, 3 and 4, and of the one in the middle
  const quickWeights = f32x4(0.0625, -0.25, -0.25, 0.0625);
  const calmWeights = f32x4(-0.25, 0, 0, -0.25);
  const own = f32x4(0.375, 0.5, 0.375, 0.5);
  const doubt = f32x4.splat(0.5 * DOUBT);
  const at2 = y * width + x;
  const shift3 = vectorOf(motion2, at2);
  const shift4 = motion3 === 0 ? shift3 : f32x4.add(shift3, vectorAt(motion3, x, y, shift3));
  lost = false;
  const shift1 = before(motion1, x, y, none, vectorOf(motion1, at2));
  const shift0 = before(motion0, x, y, shift1, found);
  if (lost) return;
  const pixel = f32x4(<f32>x, <f32>y, <f32>x, <f32>y);
  // the last is no number when the one before is none, and stays so: then it is not within the picture
  const low = f32x4.pmin(f32x4.pmin(f32x4.pmin(shift4, shift3), shift1), shift0);
  const high = f32x4.pmax(f32x4.pmax(f32x4.pmax(shift4, shift3), shift1), shift0);
  const within = v128.and(f32x4.ge(f32x4.add(pixel, low), least), f32x4.le(f32x4.add(pixel, high), most));
  if (!v128.all_true<i32>(within)) return;
  const at0 = nearest(x, y, shift0);
  const at1 = nearest(x, y, shift1);
  const at3 = nearest(x, y, shift3);
  const at4 = nearest(x, y, shift4);
  if (marked(mixed2, at2) || marked(mixed0, at0) || marked(mixed1, at1) || marked(mixed3, at3) || marked(mixed4, at4))
    return;
  if (ids2 !== 0) {
    const id = load<u32>(ids2 + ((<usize>at2) << 2));
    const vx = f32x4.extract_lane(shift3, 0);
    const vy = f32x4.extract_lane(shift3, 1);
    if (hidden(ids0, motion0, at0, id, vx, vy) || hidden(ids1, motion1, at1, id, vx, vy)) return;
    if (hidden(ids3, motion3, at3, id, vx, vy) || hidden(ids4, motion4, at4, id, vx, vy)) return;
  }
  const at = (<usize>at2) << 2;
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
  let reach = v128.load32_zero(steep0 + ((<usize>at0) << 2));
  reach = v128.load32_lane(steep1 + ((<usize>at1) << 2), reach, 1);
  reach = v128.load32_lane(steep3 + ((<usize>at3) << 2), reach, 2);
  reach = v128.load32_lane(steep4 + ((<usize>at4) << 2), reach, 3);
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
