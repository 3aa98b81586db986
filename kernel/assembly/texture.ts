/** Trilinear texture look-up, all four channels at once. Twin: core/scene/textureTable. */
import { f, linearTable, srgbTable, texels, textureBias, textures, whole } from './scenery';
import { add, all, mul, over } from './four';

/** Bytes of a texture's record. */
const TEXTURE: usize = 196;
const MAX_ANISOTROPY_SQUARED: f64 = 9;

/** What a texture gave: red, green, blue, and what alpha lacks of one: of normals near to one it is known exactly so. */
let texel: v128 = f32x4.splat(0);
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function texelRed(): f64 {
  return <f64>f32x4.extract_lane(texel, 0);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function texelGreen(): f64 {
  return <f64>f32x4.extract_lane(texel, 1);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function texelBlue(): f64 {
  return <f64>f32x4.extract_lane(texel, 2);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function texelAlpha(): f64 {
  return 1 - <f64>f32x4.extract_lane(texel, 3);
}
/** What the length of an averaged normal lacks of one. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function texelLack(): f64 {
  return <f64>f32x4.extract_lane(texel, 3);
}

/** Reads the texture of a material's slot; derivatives are of uv along the pixel's x and y. */
export function readSlot(slot: usize, u: f64, v: f64, ux: f64, vx: f64, uy: f64, vy: f64): void {
  if (load<f32>(slot, 4) == 1) {
    const a = f(slot + 8);
    const b = f(slot + 12);
    const d = f(slot + 20);
    const e = f(slot + 24);
    const tu = a * u + b * v + f(slot + 16);
    v = d * u + e * v + f(slot + 28);
    u = tu;
    const tx = a * ux + b * vx;
    vx = d * ux + e * vx;
    ux = tx;
    const ty = a * uy + b * vy;
    vy = d * uy + e * vy;
    uy = ty;
  }
  const table = textures + <usize>load<f32>(slot) * TEXTURE;
  const w = <f64>load<i32>(table, 20);
  const h = <f64>load<i32>(table, 24);
  const lx = ux * ux * w * w + vx * vx * h * h;
  const ly = uy * uy * w * w + vy * vy * h * h;
  const long = lx > ly ? lx : ly;
  const short = lx > ly ? ly : lx;
  const footprint = short > long / MAX_ANISOTROPY_SQUARED ? short : long / MAX_ANISOTROPY_SQUARED;
  sampleTexture(table, u, v, 0.5 * roughLog2(footprint) + textureBias);
}

/** Reads the sharpest level of a slot's texture. */
export function readFinest(slot: usize, u: f64, v: f64): void {
  const tu = f(slot + 8) * u + f(slot + 12) * v + f(slot + 16);
  const tv = f(slot + 20) * u + f(slot + 24) * v + f(slot + 28);
  sampleTexture(textures + <usize>load<f32>(slot) * TEXTURE, tu, tv, 0);
}

/** Binary logarithm within 0.01 from the bits of a float. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function roughLog2(x: f64): f64 {
  const i = reinterpret<i32>(<f32>x);
  const m = <f64>reinterpret<f32>((i & 0x007fffff) | 0x3f800000);
  return <f64>((i >> 23) - 128) + (-0.344845 * m + 2.024658) * m - 0.679813;
}

/** @param table the texture's record */
function sampleTexture(table: usize, u: f64, v: f64, lod: f64): void {
  const levels = load<i32>(table);
  const srgb = load<i32>(table, 12) == 1;
  if (!(lod > 0)) lod = 0;
  if (lod > <f64>(levels - 1)) lod = <f64>(levels - 1);
  const base = <i32>lod;
  const far = lod - <f64>base;
  const s = wrapCoordinate(u, load<i32>(table, 4));
  const t = wrapCoordinate(v, load<i32>(table, 8));
  texel = all(0);
  addBilinear(table, base, s, t, srgb, 1 - far);
  if (far > 0) addBilinear(table, base + 1, s, t, srgb, far);
}

/** One texel of eight sRGB bits a channel, times a weight. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function bent(p: usize, weight: f64): v128 {
  let four = v128.load32_zero(srgbTable + ((<usize>load<u8>(p)) << 2));
  four = v128.load32_lane(srgbTable + ((<usize>load<u8>(p, 1)) << 2), four, 1);
  four = v128.load32_lane(srgbTable + ((<usize>load<u8>(p, 2)) << 2), four, 2);
  // alpha is linear always
  four = v128.load32_lane(linearTable + ((<usize>(255 - load<u8>(p, 3))) << 2), four, 3);
  return mul(four, all(<f32>weight));
}

/** One texel of eight linear bits a channel, 0 … 255, times a weight. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function straight(p: usize, weight: f64): v128 {
  // all bits of alpha turned: what it lacks
  const codes = v128.xor(v128.load32_zero(p), i32x4.splat(-16777216));
  const four = f32x4.convert_i32x4_u(i32x4.extend_low_i16x8_u(i16x8.extend_low_i8x16_u(codes)));
  return mul(four, all(<f32>weight));
}

function addBilinear(table: usize, level: i32, s: f64, t: f64, srgb: bool, weight: f64): void {
  const l = table + 16 + <usize>level * 12;
  const offset = load<i32>(l);
  const w = load<i32>(l, 4);
  const h = load<i32>(l, 8);
  const x = s * <f64>w - 0.5;
  const y = t * <f64>h - 0.5;
  const x0 = floor<f64>(x);
  const y0 = floor<f64>(y);
  const fx = x - x0;
  const fy = y - y0;
  const repeatS = load<i32>(table, 4) == 0;
  const repeatT = load<i32>(table, 8) == 0;
  const ix = whole(x0);
  const iy = whole(y0);
  const xa = ix < 0 ? (repeatS ? w - 1 : 0) : ix;
  const xb = ix + 1 >= w ? (repeatS ? 0 : w - 1) : ix + 1;
  const ya = iy < 0 ? (repeatT ? h - 1 : 0) : iy;
  const yb = iy + 1 >= h ? (repeatT ? 0 : h - 1) : iy + 1;
  const from = texels + <usize>offset;
  const p00 = from + ((<usize>(ya * w + xa)) << 2);
  const p10 = from + ((<usize>(ya * w + xb)) << 2);
  const p01 = from + ((<usize>(yb * w + xa)) << 2);
  const p11 = from + ((<usize>(yb * w + xb)) << 2);
  const k11 = fx * fy * weight;
  const k10 = fx * weight - k11;
  const k01 = fy * weight - k11;
  const k00 = weight - k10 - k01 - k11;
  if (srgb) {
    texel = add(texel, add(add(bent(p00, k00), bent(p10, k10)), add(bent(p01, k01), bent(p11, k11))));
  } else {
    const sum = add(add(straight(p00, k00), straight(p10, k10)), add(straight(p01, k01), straight(p11, k11)));
    // divided, so that 255 is one
    texel = add(texel, over(sum, all(255)));
  }
}

/** Brings a coordinate into [0, 1] by the wrap mode (0 repeat, 1 mirror, 2 clamp). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function wrapCoordinate(t: f64, mode: i32): f64 {
  if (!(t - t == 0)) return 0; // NaN or infinite uvs read the first texel
  if (mode == 2) return t < 0 ? 0 : t > 1 ? 1 : t;
  const floored = floor<f64>(t);
  const rest = t - floored;
  if (mode == 0) return rest;
  return ((<i64>floored) & 1) == 0 ? rest : 1 - rest;
}
