/** From sums of samples to display codes: lens, tone curve, rounding. Twins: core/frame/develop, core/film/tone. */
import {
  add,
  all,
  firstHalves,
  firstTwo,
  greater,
  lastHalves,
  lastTwo,
  lesser,
  mix,
  mul,
  over,
  pick,
  root,
  sub,
} from './four';
import { glowAt } from './glow';
import { SUM_BYTES } from './layouts/pixelSums';

const START: f32 = 0.8 - 0.04;
const DESATURATION: f32 = 0.15;

/** Beauty is the sum of direct, bounce, reflection and emission, in this order, times a factor. */
export function gatherBeauty(
  sums: usize,
  scale: f32,
  beauty: usize,
  width: i32,
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
): void {
  for (let y = y0; y < y1; y++) gatherRow(sums, all(scale), beauty, y * width + x0, y * width + x1);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function gatherRow(sums: usize, k: v128, beauty: usize, from: i32, to: i32): void {
  for (let i = from; i < to; i++) {
    const o = sums + <usize>i * SUM_BYTES;
    const first = v128.load(o);
    const second = v128.load(o, 16);
    const third = v128.load(o, 32);
    const bounce = v128.shuffle<i32>(first, second, 3, 4, 5, 5);
    const reflection = v128.shuffle<i32>(second, third, 2, 3, 4, 4);
    const emission = v128.shuffle<i32>(third, third, 1, 2, 3, 3);
    const rgb = mul(add(add(add(first, bounce), reflection), emission), k);
    const at = beauty + <usize>i * 12;
    v128.store64_lane(at, rgb, 0);
    v128.store32_lane(at, rgb, 2, 8);
  }
}

/** Numbers of the curve of codes: see `CODE_CURVE`. */
const STEEP: usize = 0;
const STRAIGHT: usize = 4;

/** sRGB codes of four linear values, in parts of 256, behind the bits of 2²³. @param curve from memory: constants cost more than loading them */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function parts(linear: v128, curve: usize): v128 {
  // the other way round what is no number would stay
  const inside = lesser(greater(all(0), linear), all(1));
  const u = root(root(inside));
  let sum = add(mul(u, v128.load32_splat(curve, 8)), v128.load32_splat(curve, 12));
  sum = add(mul(u, sum), v128.load32_splat(curve, 16));
  sum = add(mul(u, sum), v128.load32_splat(curve, 20));
  sum = add(mul(u, sum), v128.load32_splat(curve, 24));
  sum = add(mul(u, sum), v128.load32_splat(curve, 28));
  const dark = f32x4.lt(inside, v128.load32_splat(curve, STRAIGHT));
  // so large a number has no fractions
  return add(pick(dark, mul(inside, v128.load32_splat(curve, STEEP)), sum), all(8388608));
}

/** Bits that belong to four whole numbers at random: see `ditherNoise`. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function noise(value: v128): v128 {
  let x = v128.xor(value, i32x4.shr_u(value, 16));
  x = i32x4.mul(x, i32x4.splat(0x7feb352d));
  x = i32x4.mul(v128.xor(x, i32x4.shr_u(x, 15)), i32x4.splat(0x846ca68b));
  return v128.xor(x, i32x4.shr_u(x, 16));
}

/**
 * Writes the display codes of rows.
 * @param bloom share of light spread by the lens @param glow rgb a pixel of the half-size glow
 * @param vignette 1 for the full falloff @param slope2 square of the tangent of a pixel's width
 * @param neutral 1 for the neutral tone curve @param curve of sRGB codes: see `CODE_CURVE`
 */
export function encodeRows(
  beauty: usize,
  display: usize,
  width: i32,
  height: i32,
  from: i32,
  to: i32,
  bloom: f32,
  glow: usize,
  vignette: f32,
  slope2: f32,
  neutral: i32,
  dither: i32,
  curve: usize,
): void {
  const glowWidth = max<i32>(1, width >> 1);
  const glowHeight = max<i32>(1, height >> 1);
  const one = all(1);
  for (let y = from; y < to; y++) {
    for (let next = 0; next < width; next += 4) {
      // the last four may lie partly over those before: they become the same again
      const x = max<i32>(0, min<i32>(next, width - 4));
      const i = y * width + x;
      const p = beauty + <usize>i * 12;
      const rgbr = v128.load(p);
      const gbrg = v128.load(p, 16);
      const brgb = v128.load(p, 32);
      let r = v128.shuffle<i32>(v128.shuffle<i32>(rgbr, gbrg, 0, 3, 6, 0), brgb, 0, 1, 2, 5);
      let g = v128.shuffle<i32>(v128.shuffle<i32>(rgbr, gbrg, 1, 4, 7, 0), brgb, 0, 1, 2, 6);
      let b = v128.shuffle<i32>(v128.shuffle<i32>(rgbr, gbrg, 2, 5, 0, 0), brgb, 0, 1, 4, 7);
      if (bloom > 0) {
        const v = (<f32>y + 0.5) / <f32>height;
        const u = (<f32>x + 0.5) / <f32>width;
        const step: f32 = 1 / <f32>width;
        const g0 = glowAt(glow, glowWidth, glowHeight, u, v);
        const g1 = glowAt(glow, glowWidth, glowHeight, u + step, v);
        const g2 = glowAt(glow, glowWidth, glowHeight, u + 2 * step, v);
        const g3 = glowAt(glow, glowWidth, glowHeight, u + 3 * step, v);
        const share = all(bloom);
        r = mix(r, firstHalves(firstTwo(g0, g1), firstTwo(g2, g3)), share);
        g = mix(g, lastHalves(firstTwo(g0, g1), firstTwo(g2, g3)), share);
        b = mix(b, firstHalves(lastTwo(g0, g1), lastTwo(g2, g3)), share);
      }
      if (vignette > 0) {
        const dx = add(all(<f32>x + 0.5 - <f32>width / 2), f32x4(0, 1, 2, 3));
        const dy = <f32>y + 0.5 - <f32>height / 2;
        const cos2 = over(one, add(one, mul(add(mul(dx, dx), all(dy * dy)), all(slope2))));
        const k = add(one, mul(sub(mul(cos2, cos2), one), all(vignette)));
        r = mul(r, k);
        g = mul(g, k);
        b = mul(b, k);
      }
      if (neutral) {
        // Khronos PBR Neutral
        const low = lesser(lesser(b, g), r);
        const offset = pick(f32x4.lt(low, all(0.08)), sub(low, mul(mul(low, low), all(6.25))), all(0.04));
        r = sub(r, offset);
        g = sub(g, offset);
        b = sub(b, offset);
        const peak = greater(greater(b, g), r);
        const bright = f32x4.ge(peak, all(START));
        if (v128.any_true(bright)) {
          const d: f32 = 1 - START;
          const newPeak = sub(one, over(all(d * d), add(peak, all(d - START))));
          const s = over(newPeak, peak);
          const k = sub(one, over(one, add(mul(sub(peak, newPeak), all(DESATURATION)), one)));
          r = pick(bright, mix(mul(r, s), newPeak, k), r);
          g = pick(bright, mix(mul(g, s), newPeak, k), g);
          b = pick(bright, mix(mul(b, s), newPeak, k), b);
        }
      }
      const low = i32x4.splat(255);
      const bits = dither ? noise(i32x4.add(i32x4.splat(i), i32x4(0, 1, 2, 3))) : i32x4.splat(0x808080);
      const red = i32x4.shr_u(i32x4.add(parts(r, curve), v128.and(bits, low)), 8);
      const green = i32x4.add(parts(g, curve), v128.and(i32x4.shr_u(bits, 8), low));
      const blue = i32x4.shl(i32x4.add(parts(b, curve), v128.and(i32x4.shr_u(bits, 16), low)), 8);
      // each has its code in the second byte, where the green one stays
      const colour = v128.or(
        v128.or(v128.and(red, low), v128.and(green, i32x4.splat(0xff00))),
        v128.or(v128.and(blue, i32x4.splat(0xff0000)), i32x4.splat(-16777216)),
      );
      const out = display + ((<usize>i) << 2);
      if (width >= 4) v128.store(out, colour);
      else storeFew(out, colour, width);
    }
  }
}

/** Stores fewer than four pixels. */
function storeFew(out: usize, colour: v128, count: i32): void {
  v128.store32_lane(out, colour, 0);
  if (count > 1) v128.store32_lane(out, colour, 1, 4);
  if (count > 2) v128.store32_lane(out, colour, 2, 8);
}
