/** From sums of samples to display codes: lens, tone curve, rounding. Twins: core/frame/develop, core/film/tone. */
import { f, two, whole } from './scenery';

/** Bytes of a pixel's sums. */
const SUMS: usize = 64;
const START: f64 = 0.8 - 0.04;
const DESATURATION: f64 = 0.15;
const CODE_STEPS: f64 = 16384;

/** Beauty is the sum of direct, bounce, reflection and emission, in this order, times a factor. */
export function gatherBeauty(sums: usize, scale: f64, beauty: usize, from: i32, to: i32): void {
  const k = f64x2.splat(scale);
  for (let i = from; i < to; i++) {
    const o = sums + <usize>i * SUMS;
    const rg = f64x2.mul(
      f64x2.add(f64x2.add(f64x2.add(two(o), two(o + 12)), two(o + 24)), two(o + 36)),
      k,
    );
    const at = beauty + <usize>i * 12;
    v128.store64_lane(at, f32x4.demote_f64x2_zero(rg), 0);
    store<f32>(at, <f32>((f(o + 8) + f(o + 20) + f(o + 32) + f(o + 44)) * scale), 8);
  }
}

let glow: usize = 0;
let glowWidth: i32 = 0;
let glowHeight: i32 = 0;
let glowRg: v128 = f64x2.splat(0);
let glowB: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function mix(a: v128, b: v128, k: v128): v128 {
  return f64x2.add(a, f64x2.mul(f64x2.sub(b, a), k));
}

function glowAt(u: f64, v: f64): void {
  const x = min<f64>(<f64>(glowWidth - 1), max<f64>(0, u * <f64>glowWidth - 0.5));
  const y = min<f64>(<f64>(glowHeight - 1), max<f64>(0, v * <f64>glowHeight - 0.5));
  const x0 = <i32>x;
  const y0 = <i32>y;
  const x1 = x0 + 1 < glowWidth ? x0 + 1 : x0;
  const y1 = y0 + 1 < glowHeight ? y0 + 1 : y0;
  const fx = x - <f64>x0;
  const fy = y - <f64>y0;
  const a = glow + <usize>(y0 * glowWidth + x0) * 12;
  const b = glow + <usize>(y0 * glowWidth + x1) * 12;
  const c = glow + <usize>(y1 * glowWidth + x0) * 12;
  const d = glow + <usize>(y1 * glowWidth + x1) * 12;
  const k = f64x2.splat(fx);
  glowRg = f64x2.add(
    f64x2.mul(mix(two(a), two(b), k), f64x2.splat(1 - fy)),
    f64x2.mul(mix(two(c), two(d), k), f64x2.splat(fy)),
  );
  const ab = f(a + 8);
  const cb = f(c + 8);
  glowB = (ab + (f(b + 8) - ab) * fx) * (1 - fy) + (cb + (f(d + 8) - cb) * fx) * fy;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function code(linear: f64, codes: usize): f64 {
  if (!(linear > 0)) return 0;
  if (linear >= 1) return 255;
  const p = sqrt<f64>(linear) * CODE_STEPS;
  const floored = floor<f64>(p);
  const i = whole(floored);
  const at = codes + (<usize>i << 2);
  const low = f(at);
  return low + (f(at + 4) - low) * (p - floored);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function noise(value: i32): f64 {
  const state = value * 747796405 - 1403630843;
  const word = ((state >>> ((state >>> 28) + 4)) ^ state) * 277803737;
  return <f64>(((word >>> 22) ^ word) >>> 8) / 16777216;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function put(at: usize, value: f64): void {
  store<u8>(at, value < 255 ? <u8>whole(floor<f64>(value)) : 255);
}

/**
 * Writes the display codes of rows.
 * @param bloom share of light spread by the lens @param glow_ rgb a pixel of the half-size glow
 * @param vignette 1 for the full falloff @param slope2 square of the tangent of a pixel's width
 * @param neutral 1 for the neutral tone curve @param codes sRGB codes over the root of the linear value
 */
export function encodeRows(
  beauty: usize,
  display: usize,
  width: i32,
  height: i32,
  from: i32,
  to: i32,
  bloom: f64,
  glow_: usize,
  vignette: f64,
  slope2: f64,
  neutral: i32,
  dither: i32,
  codes: usize,
): void {
  glow = glow_;
  glowWidth = max<i32>(1, width >> 1);
  glowHeight = max<i32>(1, height >> 1);
  for (let y = from; y < to; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const p = beauty + <usize>i * 12;
      let r = f(p);
      let g = f(p + 4);
      let b = f(p + 8);
      if (bloom > 0) {
        glowAt((<f64>x + 0.5) / <f64>width, (<f64>y + 0.5) / <f64>height);
        r += (f64x2.extract_lane(glowRg, 0) - r) * bloom;
        g += (f64x2.extract_lane(glowRg, 1) - g) * bloom;
        b += (glowB - b) * bloom;
      }
      if (vignette > 0) {
        const dx = <f64>x + 0.5 - <f64>width / 2;
        const dy = <f64>y + 0.5 - <f64>height / 2;
        const cos2 = 1 / (1 + (dx * dx + dy * dy) * slope2);
        const k = 1 + (cos2 * cos2 - 1) * vignette;
        r *= k;
        g *= k;
        b *= k;
      }
      if (neutral) {
        // Khronos PBR Neutral
        const low = r < g ? (r < b ? r : b) : g < b ? g : b;
        const offset = low < 0.08 ? low - 6.25 * low * low : 0.04;
        r -= offset;
        g -= offset;
        b -= offset;
        const peak = r > g ? (r > b ? r : b) : g > b ? g : b;
        if (!(peak < START)) {
          const d: f64 = 1 - START;
          const newPeak = 1 - (d * d) / (peak + d - START);
          const s = newPeak / peak;
          const k = 1 - 1 / (DESATURATION * (peak - newPeak) + 1);
          r = r * s * (1 - k) + newPeak * k;
          g = g * s * (1 - k) + newPeak * k;
          b = b * s * (1 - k) + newPeak * k;
        }
      }
      const to4 = display + (<usize>i << 2);
      put(to4, code(r, codes) + (dither ? noise(i * 3) : 0.5));
      put(to4 + 1, code(g, codes) + (dither ? noise(i * 3 + 1) : 0.5));
      put(to4 + 2, code(b, codes) + (dither ? noise(i * 3 + 2) : 0.5));
      store<u8>(to4, 255, 3);
    }
  }
}
