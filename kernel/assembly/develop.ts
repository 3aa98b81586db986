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

/** Bytes of a pixel's sums. */
const SUMS: usize = 64;
const START: f32 = 0.8 - 0.04;
const DESATURATION: f32 = 0.15;
const CODE_STEPS: f32 = 2048;

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
    const o = sums + <usize>i * SUMS;
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

/** sRGB codes of four linear values, 0 … 255 with fractions. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function code(linear: v128, codes: usize): v128 {
  const inside = lesser(greater(linear, all(0)), all(1));
  // the last step of the table is that before its end
  const p = lesser(mul(root(inside), all(CODE_STEPS)), all(CODE_STEPS - 0.0009765625));
  const i = i32x4.trunc_sat_f32x4_s(p);
  const at = i32x4.shl(i, 2);
  const a = v128.load64_lane(
    codes + <usize>i32x4.extract_lane(at, 1),
    v128.load64_zero(codes + <usize>i32x4.extract_lane(at, 0)),
    1,
  );
  const b = v128.load64_lane(
    codes + <usize>i32x4.extract_lane(at, 3),
    v128.load64_zero(codes + <usize>i32x4.extract_lane(at, 2)),
    1,
  );
  const low = v128.shuffle<i32>(a, b, 0, 2, 4, 6);
  const high = v128.shuffle<i32>(a, b, 1, 3, 5, 7);
  const found = mix(low, high, sub(p, f32x4.convert_i32x4_s(i)));
  return pick(f32x4.ge(linear, all(1)), all(255), v128.and(found, f32x4.gt(linear, all(0))));
}

/** What belongs to four whole numbers at random: core/math/random, `hash32`. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function hash(value: v128): v128 {
  const state = i32x4.add(i32x4.mul(value, i32x4.splat(747796405)), i32x4.splat(-1403630843));
  // shifts by what the highest four bits say, and four
  let far = i32x4.shr_u(state, 4);
  far = pick(i32x4.shr_s(state, 31), i32x4.shr_u(far, 8), far);
  far = pick(i32x4.shr_s(i32x4.shl(state, 1), 31), i32x4.shr_u(far, 4), far);
  far = pick(i32x4.shr_s(i32x4.shl(state, 2), 31), i32x4.shr_u(far, 2), far);
  far = pick(i32x4.shr_s(i32x4.shl(state, 3), 31), i32x4.shr_u(far, 1), far);
  const word = i32x4.mul(v128.xor(far, state), i32x4.splat(277803737));
  return v128.xor(i32x4.shr_u(word, 22), word);
}

/** Numbers of 0 … 1 from one byte of four. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function noise(bits: v128, from: i32): v128 {
  const byte = v128.and(i32x4.shr_u(bits, from), i32x4.splat(255));
  return mul(add(f32x4.convert_i32x4_s(byte), all(0.5)), all(1 / 256.0));
}

/** Display codes of four pixels in one channel. @param bits for rounding at random, a byte of them from bit `from` on */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function rounded(linear: v128, codes: usize, dither: bool, bits: v128, from: i32): v128 {
  const value = add(code(linear, codes), dither ? noise(bits, from) : all(0.5));
  return i32x4.trunc_sat_f32x4_s(lesser(value, all(255)));
}

/**
 * Writes the display codes of rows.
 * @param bloom share of light spread by the lens @param glow rgb a pixel of the half-size glow
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
  bloom: f32,
  glow: usize,
  vignette: f32,
  slope2: f32,
  neutral: i32,
  dither: i32,
  codes: usize,
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
      const bits = dither ? hash(i32x4.add(i32x4.splat(i), i32x4(0, 1, 2, 3))) : i32x4.splat(0);
      const red = rounded(r, codes, dither != 0, bits, 0);
      const green = rounded(g, codes, dither != 0, bits, 8);
      const blue = rounded(b, codes, dither != 0, bits, 16);
      const colour = v128.or(v128.or(red, i32x4.shl(green, 8)), v128.or(i32x4.shl(blue, 16), i32x4.splat(-16777216)));
      const out = display + (<usize>i << 2);
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
