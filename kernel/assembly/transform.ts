/** Vertices to the picture or a shadow map. Twin: core/raster/transform. */
import { f } from './scenery';

/** clip[v] = matrix · (position, 1). @param matrix sixteen doubles, row by row */
export function transform(matrix: usize, positions: usize, out: usize, from: i32, to: i32): void {
  const ac0 = pair(matrix, 0);
  const ac1 = pair(matrix, 8);
  const ac2 = pair(matrix, 16);
  const ac3 = pair(matrix, 24);
  const bd0 = pair(matrix + 64, 0);
  const bd1 = pair(matrix + 64, 8);
  const bd2 = pair(matrix + 64, 16);
  const bd3 = pair(matrix + 64, 24);
  for (let v = from; v < to; v++) {
    const p = positions + <usize>v * 12;
    const x = f64x2.splat(f(p));
    const y = f64x2.splat(f(p + 4));
    const z = f64x2.splat(f(p + 8));
    const xy = f64x2.add(f64x2.add(f64x2.add(f64x2.mul(ac0, x), f64x2.mul(ac1, y)), f64x2.mul(ac2, z)), ac3);
    const zw = f64x2.add(f64x2.add(f64x2.add(f64x2.mul(bd0, x), f64x2.mul(bd1, y)), f64x2.mul(bd2, z)), bd3);
    const low = f32x4.demote_f64x2_zero(xy);
    const high = f32x4.demote_f64x2_zero(zw);
    v128.store(out + ((<usize>v) << 4), v128.shuffle<i64>(low, high, 0, 2));
  }
}

/** One column of two neighbouring rows. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function pair(row: usize, at: usize): v128 {
  return f64x2.replace_lane(f64x2.splat(load<f64>(row + at)), 1, load<f64>(row + at + 32));
}
