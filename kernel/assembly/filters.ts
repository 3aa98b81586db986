/**
 * Separable filters over planes of one number a pixel, sixteen pixels at a time; beyond the border the last pixel goes on.
 * Rows narrower than sixteen are written over their ends, so only wider ones may be shared among threads.
 */

const BLOCK: i32 = 16;

/**
 * Filters along rows.
 * @param weights 2 · radius + 1 numbers
 * @param line width + 2 · radius + 16 numbers to work in
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
  const taps = 2 * radius + 1;
  for (let y = 0; y < height; y++) {
    const row = source + ((<usize>y * <usize>width) << 2);
    const first = load<f32>(row);
    const last = load<f32>(row + (<usize>(width - 1) << 2));
    for (let i = 0; i < radius; i++) store<f32>(line + (<usize>i << 2), first);
    memory.copy(line + (<usize>radius << 2), row, <usize>width << 2);
    for (let i = 0; i < radius + BLOCK; i++) store<f32>(line + (<usize>(radius + width + i) << 2), last);
    const to = out + ((<usize>y * <usize>width) << 2);
    for (let next = 0; next < width; next += BLOCK) {
      const x = blockAt(next, width);
      let a = f32x4.splat(0);
      let b = f32x4.splat(0);
      let c = f32x4.splat(0);
      let d = f32x4.splat(0);
      let at = line + (<usize>x << 2);
      for (let k = 0; k < taps; k++) {
        const w = v128.load32_splat(weights + (<usize>k << 2));
        a = f32x4.add(a, f32x4.mul(v128.load(at), w));
        b = f32x4.add(b, f32x4.mul(v128.load(at, 16), w));
        c = f32x4.add(c, f32x4.mul(v128.load(at, 32), w));
        d = f32x4.add(d, f32x4.mul(v128.load(at, 48), w));
        at += 4;
      }
      const p = to + (<usize>x << 2);
      v128.store(p, a);
      v128.store(p, b, 16);
      v128.store(p, c, 32);
      v128.store(p, d, 48);
    }
  }
}

/** Where the block is that holds pixel `next` of a row: the last one may hold some of those before. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function blockAt(next: i32, width: i32): i32 {
  return max(0, min(next, width - BLOCK));
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
  const stride = <usize>width << 2;
  for (let y = from; y < to; y++) {
    const target = out + <usize>y * stride;
    for (let next = 0; next < width; next += BLOCK) {
      const x = blockAt(next, width);
      let a = f32x4.splat(0);
      let b = f32x4.splat(0);
      let c = f32x4.splat(0);
      let d = f32x4.splat(0);
      const column = source + (<usize>x << 2);
      for (let k = -radius; k <= radius; k++) {
        const at = column + <usize>min(height - 1, max(0, y + k)) * stride;
        const w = v128.load32_splat(weights + (<usize>(k + radius) << 2));
        a = f32x4.add(a, f32x4.mul(v128.load(at), w));
        b = f32x4.add(b, f32x4.mul(v128.load(at, 16), w));
        c = f32x4.add(c, f32x4.mul(v128.load(at, 32), w));
        d = f32x4.add(d, f32x4.mul(v128.load(at, 48), w));
      }
      const p = target + (<usize>x << 2);
      v128.store(p, a);
      v128.store(p, b, 16);
      v128.store(p, c, 32);
      v128.store(p, d, 48);
    }
  }
}
