/** The glow of a lens: a picture halved again and again, and doubled back. Pixels are rgb. Twin: core/film/bloom. */
import { add, all, mix, mul, three } from './four';

// @ts-expect-error: a decorator of AssemblyScript
@inline
function storeThree(at: usize, rgb: v128): void {
  v128.store64_lane(at, rgb, 0);
  v128.store32_lane(at, rgb, 2, 8);
}

/** Four pixels of a row by 1, 3, 3 and 1 eighths. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function tent(a: v128, b: v128, c: v128, d: v128): v128 {
  return add(mul(add(a, d), all(1 / 8.0)), mul(add(b, c), all(3 / 8.0)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function rowTent(row: usize, x0: usize, x1: usize, x2: usize, x3: usize): v128 {
  return tent(three(row + x0), three(row + x1), three(row + x2), three(row + x3));
}

/** Halves a picture with a tent of 4 × 4 pixels; beyond the border the last one goes on. */
export function halveGlow(from: usize, width: i32, height: i32, to: usize): void {
  const outWidth = max<i32>(1, width >> 1);
  const outHeight = max<i32>(1, height >> 1);
  const stride = <usize>width * 12;
  const lastX = width - 1;
  const lastY = height - 1;
  for (let y = 0; y < outHeight; y++) {
    const r0 = from + <usize>max<i32>(0, 2 * y - 1) * stride;
    const r1 = from + <usize>min<i32>(lastY, 2 * y) * stride;
    const r2 = from + <usize>min<i32>(lastY, 2 * y + 1) * stride;
    const r3 = from + <usize>min<i32>(lastY, 2 * y + 2) * stride;
    for (let x = 0; x < outWidth; x++, to += 12) {
      const x0 = <usize>max<i32>(0, 2 * x - 1) * 12;
      const x1 = <usize>min<i32>(lastX, 2 * x) * 12;
      const x2 = <usize>min<i32>(lastX, 2 * x + 1) * 12;
      const x3 = <usize>min<i32>(lastX, 2 * x + 2) * 12;
      storeThree(
        to,
        tent(
          rowTent(r0, x0, x1, x2, x3),
          rowTent(r1, x0, x1, x2, x3),
          rowTent(r2, x0, x1, x2, x3),
          rowTent(r3, x0, x1, x2, x3),
        ),
      );
    }
  }
}

/** A place between four pixels, u and v from 0 to 1 over the picture. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function glowAt(glow: usize, width: i32, height: i32, u: f32, v: f32): v128 {
  const x = min<f32>(<f32>(width - 1), max<f32>(0, u * <f32>width - 0.5));
  const y = min<f32>(<f32>(height - 1), max<f32>(0, v * <f32>height - 0.5));
  const x0 = <i32>x;
  const y0 = <i32>y;
  const x1 = x0 + 1 < width ? x0 + 1 : x0;
  const y1 = y0 + 1 < height ? y0 + 1 : y0;
  const a = three(glow + <usize>(y0 * width + x0) * 12);
  const b = three(glow + <usize>(y0 * width + x1) * 12);
  const c = three(glow + <usize>(y1 * width + x0) * 12);
  const d = three(glow + <usize>(y1 * width + x1) * 12);
  const k = all(x - <f32>x0);
  return mix(mix(a, b, k), mix(c, d, k), all(y - <f32>y0));
}

/** Moves a picture towards a wider one by a share. */
export function addGlow(
  sharp: usize,
  width: i32,
  height: i32,
  wide: usize,
  wideWidth: i32,
  wideHeight: i32,
  share: f32,
): void {
  const part = all(share);
  for (let y = 0; y < height; y++) {
    const v = (<f32>y + 0.5) / <f32>height;
    for (let x = 0; x < width; x++, sharp += 12) {
      const u = (<f32>x + 0.5) / <f32>width;
      storeThree(sharp, mix(three(sharp), glowAt(wide, wideWidth, wideHeight, u, v), part));
    }
  }
}
