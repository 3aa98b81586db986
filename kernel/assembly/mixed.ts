/** Where two motions may be mixed, four pixels at once. See `mixMask` in core/measure/stability/track. */

const SPLIT: f32 = 0.25;
const SPLIT_BY_ID: f32 = 0.05;
const PADDING: f32 = 2;
const SWEEP: f32 = 0.25;
const MOST_PADDING: f32 = 16;
/** A row or column farther back than any padding reaches. */
const NEVER: i32 = -64;

let fastest: f32 = 0;

function note(motion: usize, pixel: i32): void {
  const p = motion + (<usize>pixel << 3);
  fastest = max(fastest, max(abs(load<f32>(p)), abs(load<f32>(p, 4))));
}

/** Marks those of four pixels and their neighbours whose vectors differ. @returns whether any do */
function compare(motion: usize, ids: usize, i: i32, by: i32, lanes: i32, edges: usize): bool {
  const a = motion + (<usize>i << 3);
  const b = motion + (<usize>(i + by) << 3);
  const one = f32x4.abs(f32x4.sub(v128.load(a), v128.load(b)));
  const two = f32x4.abs(f32x4.sub(v128.load(a, 16), v128.load(b, 16)));
  const apart = f32x4.add(v128.shuffle<f32>(one, two, 0, 2, 4, 6), v128.shuffle<f32>(one, two, 1, 3, 5, 7));
  let limit = f32x4.splat(SPLIT);
  if (ids !== 0) {
    const same = i32x4.eq(v128.load(ids + (<usize>i << 2)), v128.load(ids + (<usize>(i + by) << 2)));
    limit = v128.bitselect(limit, f32x4.splat(SPLIT_BY_ID), same);
  }
  const found = i32x4.bitmask(f32x4.gt(apart, limit)) & lanes;
  if (found === 0) return false;
  for (let k = 0; k < 4; k++) {
    if ((found & (1 << k)) === 0) continue;
    store<u8>(edges + <usize>(i + k), 1);
    store<u8>(edges + <usize>(i + k + by), 1);
    note(motion, i + k);
    note(motion, i + k + by);
  }
  return true;
}

/**
 * @param ids 0 for none @param edges bytes, and `last`, width numbers, to work in @param out 1 or 0 a pixel, bytes
 * @returns whether any is marked; if none, `out` is not written
 */
export function mixMask(motion: usize, ids: usize, width: i32, height: i32, edges: usize, last: usize, out: usize): bool {
  memory.fill(edges, 0, <usize>(width * height));
  fastest = 0;
  let any = false;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x += 4) {
      const i = y * width + x;
      const left = width - x;
      const lanes = left >= 4 ? 15 : (1 << left) - 1;
      if (compare(motion, ids, i, 1, left > 4 ? 15 : (1 << (left - 1)) - 1, edges)) any = true;
      if (y + 1 < height && compare(motion, ids, i, width, lanes, edges)) any = true;
    }
  if (!any) return false;
  const radius = <i32>ceil(min(MOST_PADDING, PADDING + SWEEP * fastest));
  widen(edges, width, height, radius, last, out);
  return true;
}

/** Marks everything within a square of `radius` pixels of what is marked. */
function widen(edges: usize, width: i32, height: i32, radius: i32, last: usize, out: usize): void {
  for (let y = 0; y < height; y++) {
    const line = edges + <usize>(y * width);
    const to = out + <usize>(y * width);
    let seen = NEVER;
    for (let x = 0; x < width + radius; x++) {
      if (x < width && load<u8>(line + <usize>x) === 1) seen = x;
      const at = x - radius;
      if (at >= 0) store<u8>(to + <usize>at, x - seen <= 2 * radius ? 1 : 0);
    }
  }
  // what was found across takes the place of the edges, then it is widened downwards
  memory.copy(edges, out, <usize>(width * height));
  for (let x = 0; x < width; x++) store<i32>(last + (<usize>x << 2), NEVER);
  for (let y = 0; y < height + radius; y++) {
    const line = edges + <usize>(y * width);
    const to = out + <usize>((y - radius) * width);
    for (let x = 0; x < width; x++) {
      if (y < height && load<u8>(line + <usize>x) === 1) store<i32>(last + (<usize>x << 2), y);
      if (y >= radius) store<u8>(to + <usize>x, y - load<i32>(last + (<usize>x << 2)) <= 2 * radius ? 1 : 0);
    }
  }
}
