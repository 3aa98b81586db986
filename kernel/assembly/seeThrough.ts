/** What masked and see-through triangles let pass of a ray, at a place inside them. Twin: core/raster/cutout. */
import {
  ALPHA_BLEND,
  M_ALPHA,
  M_ALPHA_CUTOFF,
  M_ALPHA_MODE,
  M_F0_R,
  M_METALLIC,
  M_TRANSMISSION,
  materialOf,
  M_SLOT,
} from './materialAt';
import { colors, corner, f, uvs } from './scenery';
import { readFinest, texelAlpha, texelBlue, texelGreen, texelRed } from './texture';

/** Share of light, per colour, that `tintAt` found last. */
export let tintR: f64 = 1;
export let tintG: f64 = 1;
export let tintB: f64 = 1;

/** Reads the base colour picture at barycentrics. @returns false where there is none */
function readBase(t: i32, m: usize, b0: f64, b1: f64, b2: f64): bool {
  if (!(load<f32>(m, M_SLOT) >= 0)) return false;
  const uv0 = uvs + (corner(t, 0) << 3);
  const uv1 = uvs + (corner(t, 1) << 3);
  const uv2 = uvs + (corner(t, 2) << 3);
  readFinest(m + M_SLOT, f(uv0) * b0 + f(uv1) * b1 + f(uv2) * b2, f(uv0 + 4) * b0 + f(uv1 + 4) * b1 + f(uv2 + 4) * b2);
  return true;
}

/**
 * A vertex colour between the corners. @param c bytes of the channel
 * The sum of the weights is divided out, so that an alpha that is even all over meets a cut-off of the same size.
 */
function vertexColor(t: i32, c: usize, b0: f64, b1: f64, b2: f64): f64 {
  const at = colors + c;
  const sum = f(at + (corner(t, 0) << 4)) * b0 + f(at + (corner(t, 1) << 4)) * b1 + f(at + (corner(t, 2) << 4)) * b2;
  return sum * (1 / (b0 + b1 + b2));
}

/** Does the alpha of a masked triangle pass? */
export function passesCutout(t: i32, b1: f64, b2: f64): bool {
  const m = materialOf(t);
  const b0 = 1 - b1 - b2;
  const texel: f64 = readBase(t, m, b0, b1, b2) ? texelAlpha() : 1;
  return f(m + M_ALPHA) * vertexColor(t, 12, b0, b1, b2) * texel >= f(m + M_ALPHA_CUTOFF);
}

/** Share of light that a see-through triangle lets straight through. */
export function tintAt(t: i32, b1: f64, b2: f64): void {
  const m = materialOf(t);
  const b0 = 1 - b1 - b2;
  const pictured = readBase(t, m, b0, b1, b2);
  let alpha: f64 = 1;
  if (load<f32>(m, M_ALPHA_MODE) == ALPHA_BLEND)
    alpha = min<f64>(1, max<f64>(0, f(m + M_ALPHA) * (pictured ? texelAlpha() : 1) * vertexColor(t, 12, b0, b1, b2)));
  const transmission = f(m + M_TRANSMISSION) * (1 - f(m + M_METALLIC));
  const r = pictured ? texelRed() : 1;
  const g = pictured ? texelGreen() : 1;
  const b = pictured ? texelBlue() : 1;
  const throughR = transmission * f(m) * r * vertexColor(t, 0, b0, b1, b2) * (1 - f(m + M_F0_R));
  const throughG = transmission * f(m + 4) * g * vertexColor(t, 4, b0, b1, b2) * (1 - f(m + M_F0_R + 4));
  const throughB = transmission * f(m + 8) * b * vertexColor(t, 8, b0, b1, b2) * (1 - f(m + M_F0_R + 8));
  tintR = 1 - alpha + alpha * min<f64>(1, throughR);
  tintG = 1 - alpha + alpha * min<f64>(1, throughG);
  tintB = 1 - alpha + alpha * min<f64>(1, throughB);
}
