/** What each pixel of a tile sends on to the rest of the scene: see core/frame/senders. */
import { add, all, dot, greater, lesser, mul, over } from './four';
import { BOUNCE, col, COLUMN, DIFFUSE, DIRECT, fourOf, fours, GLOW, LIVE, NORMAL, row, work, setSpacing } from './row';
import { SENDER_BYTES } from './layouts/sender';
import { forgetMaterials } from './material';
import { gatherSolid, shadeRow } from './shade';
import { forgetTriangles } from './surface';

/** Width of highlights: what is sent is not what the eye sees of them, but is sent all around. */
const BLUNT: f32 = 0.64;

/**
 * Adds to what is there, or begins with it where it `begins`.
 * @param triangle of the tile's first pixel, NO_TRIANGLE where nothing is
 * @param step of so many pixels across and down one is taken; `across` of them lie in a row of all planes
 * @param senders see the layout sender @param smooth normals by which surfaces are shaded @param surfaces after the first that light may meet: from none glow alone is sent
 * @param most luminance, nit, of what is sent
 */
export function sendTile(
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  triangle: usize,
  step: i32,
  across: i32,
  senders: usize,
  smooth: usize,
  share: f32,
  begins: i32,
  surfaces: i32,
  most: f32,
): void {
  forgetMaterials();
  forgetTriangles(x0, y0);
  const count = (x1 - x0 + step - 1) / step;
  setSpacing(<f32>step);
  for (let y = y0; y < y1; y += step) {
    const first = <usize>((y / step) * across + x0 / step);
    const seen = triangle + ((<usize>(((y - y0) / step) * across)) << 2);
    if (!gatherSolid(seen, count, share)) continue;
    shadeRow(0.5, <f32>(y - y0) + 0.5, <f64>x0 + 0.5, <f64>y + 0.5, false, share, BLUNT);
    for (let k = 0; k < fours; k++) {
      const a = fourOf(k);
      const x = <i32>((a - row) >> 2);
      const r = sent(a, share, surfaces);
      const g = sent(a + COLUMN, share, surfaces);
      const b = sent(a + 2 * COLUMN, share, surfaces);
      const size = f32x4.abs(dot(r, g, b, all(0.2126), all(0.7152), all(0.0722)));
      const kept = lesser(all(1), over(all(most), greater(size, all(1e-30))));
      v128.store(work, mul(r, kept));
      v128.store(work, mul(g, kept), 16);
      v128.store(work, mul(b, kept), 32);
      for (let i = 0; i < min(4, count - x); i++) {
        const from = a + ((<usize>i) << 2);
        if (load<i32>(from, LIVE) == 0) continue;
        const at = first + <usize>(x + i);
        const w = work + ((<usize>i) << 2);
        let value = v128.load32_zero(w);
        value = v128.load32_lane(w + 16, value, 1);
        value = v128.load32_lane(w + 32, value, 2);
        const matte =
          load<f32>(from, DIFFUSE) + load<f32>(from, DIFFUSE + COLUMN) + load<f32>(from, DIFFUSE + 2 * COLUMN);
        value = f32x4.replace_lane(value, 3, matte);
        const to = senders + at * SENDER_BYTES;
        v128.store(to, begins != 0 ? value : add(v128.load(to), value));
        const n = smooth + at * 12;
        store<f32>(n, load<f32>(from, NORMAL));
        store<f32>(n, load<f32>(from, NORMAL + COLUMN), 4);
        store<f32>(n, load<f32>(from, NORMAL + 2 * COLUMN), 8);
      }
    }
  }
  setSpacing(1);
}

/** What four surfaces send of a colour. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function sent(a: usize, share: f32, surfaces: i32): v128 {
  const glow = mul(col(a, GLOW), all(share));
  if (surfaces == 0) return glow;
  const direct = add(glow, col(a, DIRECT));
  return surfaces == 1 ? direct : add(direct, col(a, BOUNCE));
}
