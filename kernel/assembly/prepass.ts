/** What a tile sees through the middles of its pixels, for whatever looks at neighbours. Twin, to the bit: core/frame/tileArrays. */
import { corner, f, positions } from './scenery';

const TILE_SHIFT: usize = 6;
const NO_TRIANGLE: i32 = -1;

/**
 * @param depth, triangle of the tile: reversed depth, 0 where nothing is, and what is seen
 * @param near of the lens, metres @param range 0 of a perspective lens, else of the parallel one, metres
 * @param ex, ey, ez the eye, or the unit way to it of a parallel camera
 * @param step of so many pixels across and down one is taken @param across of those that are taken of the picture
 * @param depths, normals, triangles planes of these, a normal every so many bytes; the last are not wanted where they are 0
 */
export function seeTile(
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  depth: usize,
  triangle: usize,
  near: f64,
  range: f64,
  ex: f64,
  ey: f64,
  ez: f64,
  step: i32,
  across: i32,
  depths: usize,
  normals: usize,
  each: i32,
  triangles: usize,
): void {
  let last = NO_TRIANGLE;
  let nx: f32 = 0;
  let ny: f32 = 0;
  let nz: f32 = 0;
  for (let y = y0; y < y1; y += step) {
    const i = ((<usize>(y - y0)) << TILE_SHIFT) << 2;
    for (let x = x0; x < x1; x += step) {
      const from = i + ((<usize>(x - x0)) << 2);
      const at = <usize>((y / step) * across + x / step);
      const z = <f64>load<f32>(depth + from);
      const metres = range > 0 ? near + (1 - z) * range : near / z;
      store<f32>(depths + (at << 2), z > 0 ? <f32>metres : 0);
      const t = load<i32>(triangle + from);
      if (triangles != 0) store<i32>(triangles + (at << 2), t);
      if (normals == 0 || t == NO_TRIANGLE) continue;
      if (t != last) {
        const a = positions + corner(t, 0) * 12;
        const b = positions + corner(t, 1) * 12;
        const c = positions + corner(t, 2) * 12;
        const ux = f(b) - f(a);
        const uy = f(b + 4) - f(a + 4);
        const uz = f(b + 8) - f(a + 8);
        const vx = f(c) - f(a);
        const vy = f(c + 4) - f(a + 4);
        const vz = f(c + 8) - f(a + 8);
        const cx = uy * vz - uz * vy;
        const cy = uz * vx - ux * vz;
        const cz = ux * vy - uy * vx;
        const towards =
          range > 0 ? cx * ex + cy * ey + cz * ez : cx * (ex - f(a)) + cy * (ey - f(a + 4)) + cz * (ez - f(a + 8));
        const long = sqrt(cx * cx + cy * cy + cz * cz);
        const scale = (towards < 0 ? -1.0 : 1.0) / (long > 0 ? long : 1);
        nx = <f32>(cx * scale);
        ny = <f32>(cy * scale);
        nz = <f32>(cz * scale);
        last = t;
      }
      const n = normals + at * <usize>each;
      store<f32>(n, nx);
      store<f32>(n, ny, 4);
      store<f32>(n, nz, 8);
    }
  }
}
