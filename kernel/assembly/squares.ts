/** Squares of arrays: cleared, and a tile's depths taken into a shadow map. Twins: core/raster/coverageKernel, core/shadows/shadowMap. */
import { all, floats } from './four';
import { f } from './scenery';

/** Fills a rectangle of an array of 32-bit numbers. @param stride numbers a row */
export function fillSquare(array: usize, stride: i32, x0: i32, y0: i32, x1: i32, y1: i32, value: i32): void {
  const four = i32x4.splat(value);
  for (let y = y0; y < y1; y++) {
    const row = array + ((<usize>(y * stride)) << 2);
    let x = x0;
    for (; x + 4 <= x1; x += 4) v128.store(row + ((<usize>x) << 2), four);
    for (; x < x1; x++) store<i32>(row + ((<usize>x) << 2), value);
  }
}

/**
 * Takes the depths of a tile into a map, rounded to its codes (0 for none), and writes the farthest and the nearest of each
 * block of 16 × 16.
 * @param depths of the tile, `pitch` a row
 * @param blocks two floats a block of the whole map
 */
export function finishDepths(
  depths: usize,
  pitch: i32,
  map: usize,
  stride: i32,
  codes: f64,
  blocks: usize,
  across: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
): void {
  const step: f64 = codes > 0 ? 1 / codes : 0;
  const many = f64x2.splat(codes);
  const steps = f64x2.splat(step);
  for (let by = y0; by < y1; by += 16) {
    for (let bx = x0; bx < x1; bx += 16) {
      let low = f32x4.splat(Infinity);
      let high = f32x4.splat(0);
      const toY = min<i32>(by + 16, y1);
      const toX = min<i32>(bx + 16, x1);
      for (let y = by; y < toY; y++) {
        const from = depths + ((<usize>((y - y0) * pitch - x0)) << 2);
        const to = map + ((<usize>(y * stride)) << 2);
        let x = bx;
        for (; x + 4 <= toX; x += 4) {
          let z = v128.load(from + ((<usize>x) << 2));
          if (codes > 0)
            z = floats(rounded(f64x2.promote_low_f32x4(z), many, steps), rounded(highDoubles(z), many, steps));
          v128.store(to + ((<usize>x) << 2), z);
          low = f32x4.pmin(low, z);
          high = f32x4.pmax(high, z);
        }
        for (; x < toX; x++) {
          const at = from + ((<usize>x) << 2);
          const z: f32 = codes > 0 ? <f32>(floor<f64>(f(at) * codes + 0.5) * step) : load<f32>(at);
          store<f32>(to + ((<usize>x) << 2), z);
          low = f32x4.pmin(low, all(z));
          high = f32x4.pmax(high, all(z));
        }
      }
      const at = blocks + ((<usize>((by >> 4) * across + (bx >> 4))) << 3);
      store<f32>(
        at,
        min(
          min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)),
          min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3)),
        ),
      );
      store<f32>(
        at,
        max(
          max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)),
          max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3)),
        ),
        4,
      );
    }
  }
}

/** The third and fourth of four floats. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function highDoubles(z: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<i64>(z, z, 1, 1));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function rounded(z: v128, codes: v128, step: v128): v128 {
  return f64x2.mul(f64x2.floor(f64x2.add(f64x2.mul(z, codes), f64x2.splat(0.5))), step);
}
