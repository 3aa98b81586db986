/** Where two motions may be mixed, several pixels at once. See `mixMask` in core/measure/stability/track. */

const SPLIT: f32 = 0.25;
const SPLIT_BY_ID: f32 = 0.05;

let fastest: f32 = 0;

function note(motion: usize, pixel: i32): void {
  const p = motion + ((<usize>pixel) << 3);
  fastest = max(fastest, max(abs(load<f32>(p)), abs(load<f32>(p, 4))));
}

/**
 * Marks those of four pixels, and of the four `by` behind them, whose vectors differ.
 * @param edges bytes @param own, next whether these and those behind are marked
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function compare(motion: usize, ids: usize, i: i32, by: i32, lanes: i32, edges: usize, own: bool, next: bool): void {
  const a = motion + ((<usize>i) << 3);
  const b = motion + ((<usize>(i + by)) << 3);
  const one = f32x4.abs(f32x4.sub(v128.load(a), v128.load(b)));
  const two = f32x4.abs(f32x4.sub(v128.load(a, 16), v128.load(b, 16)));
  const apart = f32x4.add(v128.shuffle<f32>(one, two, 0, 2, 4, 6), v128.shuffle<f32>(one, two, 1, 3, 5, 7));
  let limit = f32x4.splat(SPLIT);
  if (ids !== 0) {
    const same = i32x4.eq(v128.load(ids + ((<usize>i) << 2)), v128.load(ids + ((<usize>(i + by)) << 2)));
    limit = v128.bitselect(limit, f32x4.splat(SPLIT_BY_ID), same);
  }
  const found = i32x4.bitmask(f32x4.gt(apart, limit)) & lanes;
  if (found === 0) return;
  for (let k = 0; k < 4; k++) {
    if ((found & (1 << k)) === 0) continue;
    if (own) store<u8>(edges + <usize>(i + k), 1);
    if (next) store<u8>(edges + <usize>(i + k + by), 1);
    note(motion, i + k);
    note(motion, i + k + by);
  }
}

/**
 * Marks where neighbours move apart, for some rows.
 * @param ids 0 for none @param edges bytes of the whole picture, 16 more may be read
 * @param speed the largest component of a vector beside such a border, pixels; left alone where there is none
 */
export function mixEdges(
  motion: usize,
  ids: usize,
  width: i32,
  height: i32,
  from: i32,
  to: i32,
  edges: usize,
  speed: usize,
): void {
  memory.fill(edges + <usize>(from * width), 0, <usize>((to - from) * width));
  fastest = load<f32>(speed);
  for (let y = max(0, from - 1); y < to; y++) {
    const own = y >= from;
    const down = y + 1 < height;
    for (let x = 0; x < width; x += 4) {
      const i = y * width + x;
      const left = width - x;
      if (own) compare(motion, ids, i, 1, left > 4 ? 15 : (1 << (left - 1)) - 1, edges, true, true);
      if (down) compare(motion, ids, i, width, left >= 4 ? 15 : (1 << left) - 1, edges, own, y + 1 < to);
    }
  }
  store<f32>(speed, fastest);
}

/** What is marked within `radius` pixels across, for some rows. @param line width + 2 · radius + 16 bytes to work in */
export function widenRows(edges: usize, width: i32, from: i32, to: i32, radius: i32, line: usize, out: usize): void {
  memory.fill(line, 0, <usize>(width + 2 * radius + 16));
  for (let y = from; y < to; y++) {
    memory.copy(line + <usize>radius, edges + <usize>(y * width), <usize>width);
    for (let next = 0; next < width; next += 16) {
      // the last sixteen of a row may hold some of those before
      const x = <usize>max(0, min(next, width - 16));
      let any = v128.load(line + x);
      for (let k = 1; k <= 2 * radius; k++) any = v128.or(any, v128.load(line + x + <usize>k));
      v128.store(out + <usize>(y * width) + x, any);
    }
  }
}

/** The same up and down. @param edges of the whole picture */
export function widenColumns(edges: usize, width: i32, height: i32, from: i32, to: i32, radius: i32, out: usize): void {
  for (let y = from; y < to; y++) {
    const first = edges + <usize>(max(0, y - radius) * width);
    const last = edges + <usize>(min(height - 1, y + radius) * width);
    for (let next = 0; next < width; next += 16) {
      const x = <usize>max(0, min(next, width - 16));
      let any = v128.load(first + x);
      for (let p = first + <usize>width; p <= last; p += <usize>width) any = v128.or(any, v128.load(p + x));
      v128.store(out + <usize>(y * width) + x, any);
    }
  }
}
