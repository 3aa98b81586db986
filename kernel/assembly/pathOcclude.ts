/** What the shadow rays of a wave bring. Twin: core/trace/paths/occludePaths. */
import { shadowCount } from './pathAsk';
import { bounce, clamped } from './pathBook';
import { paths, shadows } from './pathOrder';
import {
  add3,
  BRINGS_GLOSS,
  BRINGS_MATTE,
  BRINGS_SPLIT,
  d,
  DEPTH_OF_PATH,
  HOME,
  HOME_BOUNCE,
  HOME_LIGHT,
  HOME_LIT,
  HOME_REFLECTION,
  LENGTH,
  luminance,
  OF_PATH,
  PATH_BYTES,
  SHADOW_BYTES,
  TO_LIGHT,
} from './pathRecord';
import { litB, litG, litR, traceShadow } from './shadowRay';

/** Traces the shadow rays of a wave and books what they bring. */
export function occludePaths(): void {
  for (let k = 0; k < shadowCount; k++) {
    const s = shadows + <usize>k * SHADOW_BYTES;
    const p = paths + <usize>load<u32>(s, OF_PATH) * PATH_BYTES;
    let r: f64 = 1;
    let g: f64 = 1;
    let b: f64 = 1;
    if (d(s + LENGTH) > 0) {
      traceShadow(s);
      r = litR;
      g = litG;
      b = litB;
    }
    const matteR = d(s + BRINGS_MATTE);
    const matteG = d(s + BRINGS_MATTE + 8);
    const matteB = d(s + BRINGS_MATTE + 16);
    const glossR = d(s + BRINGS_GLOSS);
    const glossG = d(s + BRINGS_GLOSS + 8);
    const glossB = d(s + BRINGS_GLOSS + 16);
    if (load<u8>(s, TO_LIGHT) == 1) {
      const allR = matteR + glossR;
      const allG = matteG + glossG;
      const allB = matteB + glossB;
      add3(p + HOME, allR * r, allG * g, allB * b);
      store<f64>(p, d(p + HOME_LIGHT) + abs<f64>(allR) + abs<f64>(allG) + abs<f64>(allB), HOME_LIGHT);
      store<f64>(p, d(p + HOME_LIT) + abs<f64>(allR) * r + abs<f64>(allG) * g + abs<f64>(allB) * b, HOME_LIT);
      continue;
    }
    if (load<u8>(s, DEPTH_OF_PATH) == 0) {
      add3(p + HOME_BOUNCE, matteR * r, matteG * g, matteB * b);
      add3(p + HOME_REFLECTION, glossR * r, glossG * g, glossB * b);
      continue;
    }
    const keep = clamped(p, luminance((matteR + glossR) * r, (matteG + glossG) * g, (matteB + glossB) * b));
    bounce(
      p,
      s + BRINGS_SPLIT,
      (matteR + glossR) * r * keep,
      (matteG + glossG) * g * keep,
      (matteB + glossB) * b * keep,
    );
  }
}
