/** The steps of FLIP that look at one pixel at a time, four at once. See core/measure/flip for what they mean. */

/** X and Z of white. */
const XN: f64 = 0.950428545;
const ZN: f64 = 1.088900371;

function splat(v: f32): v128 {
  return f32x4.splat(v);
}

/** Cube root of numbers from 1e-3 to 1.1, within 1e-6; of smaller ones, some number. */
function cbrt(x: v128): v128 {
  // the inverse root by a third of the exponent, within a twentieth (Kahan 1991, Computing a Real Cube Root): its upper half will do
  const y = i32x4.sub(i32x4.splat(0x54a1c000), i32x4.dot_i16x8_s(x, i16x8(0, 21845, 0, 21845, 0, 21845, 0, 21845)));
  // what is left is a power of what is near one
  const near = f32x4.mul(x, f32x4.mul(y, y));
  const u = f32x4.sub(f32x4.mul(near, y), splat(1));
  let sum = f32x4.add(splat(-0.49963494), f32x4.mul(u, splat(0.45573526)));
  sum = f32x4.add(splat(0.55556044), f32x4.mul(u, sum));
  sum = f32x4.add(splat(-0.66665081), f32x4.mul(u, sum));
  sum = f32x4.add(splat(1), f32x4.mul(u, sum));
  return f32x4.mul(near, sum);
}

/** Binary logarithm of numbers above 0, within 1e-6 of the larger of it and 1. */
function log2(x: v128): v128 {
  // mantissa between √½ and √2
  const shifted = i32x4.sub(x, i32x4.splat(0x3f3504f3));
  const exponent = f32x4.convert_i32x4_s(i32x4.shr_s(shifted, 23));
  const m = i32x4.add(v128.and(shifted, i32x4.splat(0x007fffff)), i32x4.splat(0x3f3504f3));
  const one = splat(1);
  const s = f32x4.div(f32x4.sub(m, one), f32x4.add(m, one));
  const s2 = f32x4.mul(s, s);
  // 2 / ln 2 · (s + s³/3 + s⁵/5 + s⁷/7 + s⁹/9)
  let sum = f32x4.add(splat(0.41219858), f32x4.mul(s2, splat(0.3205989)));
  sum = f32x4.add(splat(0.57707801), f32x4.mul(s2, sum));
  sum = f32x4.add(splat(0.96179669), f32x4.mul(s2, sum));
  sum = f32x4.add(splat(2.8853901), f32x4.mul(s2, sum));
  return f32x4.add(exponent, f32x4.mul(s, sum));
}

/** 1.5 · 2²³ */
const SHIFT: f32 = 12582912;

/** 2^x for x from −120 to 120, within 1e-6 of it. */
function exp2(x: v128): v128 {
  const held = f32x4.pmax(splat(-120), f32x4.pmin(splat(120), x));
  // so large a number has no fractions: the nearest whole number is what is added to its bits
  const shifted = f32x4.add(held, splat(SHIFT));
  const r = f32x4.sub(held, f32x4.sub(shifted, splat(SHIFT)));
  let sum = f32x4.add(splat(0.0013333558), f32x4.mul(r, splat(0.0001540353)));
  sum = f32x4.add(splat(0.0096181291), f32x4.mul(r, sum));
  sum = f32x4.add(splat(0.055504109), f32x4.mul(r, sum));
  sum = f32x4.add(splat(0.24022651), f32x4.mul(r, sum));
  sum = f32x4.add(splat(0.69314718), f32x4.mul(r, sum));
  sum = f32x4.add(splat(1), f32x4.mul(r, sum));
  const scale = i32x4.shl(i32x4.add(shifted, i32x4.splat(127)), 23);
  return f32x4.mul(sum, scale);
}

/** What the logarithm of nothing is taken for. */
const NOTHING: f32 = -1e30;

/** Binary logarithm of numbers from 0 on. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function logOf(x: v128): v128 {
  return v128.bitselect(log2(x), splat(NOTHING), f32x4.gt(x, splat(1e-30)));
}

function clamp(x: v128): v128 {
  return f32x4.pmin(splat(1), f32x4.pmax(splat(0), x));
}

/** Display-linear light between 0 and 1; what is no number is dark. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function unit(v: v128): v128 {
  return f32x4.pmin(splat(1), v128.and(v, f32x4.gt(v, splat(0))));
}

/** Shares of white that linear rgb has in X, Y and Z. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function shareX(r: v128, g: v128, b: v128): v128 {
  return dot3(r, g, b, <f32>(0.4123907993 / XN), <f32>(0.3575843394 / XN), <f32>(0.1804807884 / XN));
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
function shareY(r: v128, g: v128, b: v128): v128 {
  return dot3(r, g, b, 0.2126390059, 0.7151686788, 0.0721923154);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
function shareZ(r: v128, g: v128, b: v128): v128 {
  return dot3(r, g, b, <f32>(0.0193308187 / ZN), <f32>(0.1191947798 / ZN), <f32>(0.9505321522 / ZN));
}

/**
 * Linear rgb, three numbers a pixel, to planes of luminance (0 … 1), red against green, blue against yellow.
 * @param rgb 9 more numbers may be read @param light, red, blue 3 more numbers may be written
 */
export function flipOpponents(rgb: usize, count: i32, light: usize, red: usize, blue: usize): void {
  for (let i = 0; i < count; i += 4) {
    const p = rgb + <usize>i * 12;
    // r g b r, g b r g, b r g b
    const one = v128.load(p);
    const two = v128.load(p, 16);
    const three = v128.load(p, 32);
    const rs = v128.shuffle<f32>(one, two, 0, 3, 6, 6);
    const r = unit(v128.shuffle<f32>(rs, three, 0, 1, 2, 5));
    const gs = v128.shuffle<f32>(one, two, 1, 4, 7, 7);
    const g = unit(v128.shuffle<f32>(gs, three, 0, 1, 2, 6));
    const bs = v128.shuffle<f32>(one, two, 2, 5, 5, 5);
    const b = unit(v128.shuffle<f32>(bs, three, 0, 1, 4, 7));
    const x = shareX(r, g, b);
    const y = shareY(r, g, b);
    const z = shareZ(r, g, b);
    const at = (<usize>i) << 2;
    v128.store(light + at, y);
    v128.store(red + at, f32x4.mul(splat(500), f32x4.sub(x, y)));
    v128.store(blue + at, f32x4.mul(splat(200), f32x4.sub(y, z)));
  }
}

function bent(t: v128): v128 {
  const root = cbrt(t);
  const straight = f32x4.add(f32x4.mul(t, splat(7.787037)), splat(0.13793103));
  return v128.bitselect(root, straight, f32x4.gt(t, splat(0.008856452)));
}

function dot3(r: v128, g: v128, b: v128, a: f32, c: f32, d: f32): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(r, splat(a)), f32x4.mul(g, splat(c))), f32x4.mul(b, splat(d)));
}

/** Pixels that go through a step of `flipColors` before the next: many wait for their divisions and roots at once. */
const SPAN: i32 = 256;
/** Bytes of a number of each. */
const WIDE: usize = 1024;

/** Filtered opponent numbers to shares of white in X, Y and Z, side by side in `to`. @param stride bytes from plane to plane */
function toShares(planes: usize, stride: usize, count: i32, to: usize): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const y0 = v128.load(planes + at);
    const red = v128.load(planes + stride + at);
    const blue = v128.load(planes + 2 * stride + at);
    // to X, Y, Z and from there to rgb that can be shown, in one step
    const r = clamp(
      dot3(
        red,
        y0,
        blue,
        <f32>((3.2409699419 * XN) / 500),
        <f32>(3.2409699419 * XN - 1.5373831776 - 0.4986107603 * ZN),
        <f32>((0.4986107603 * ZN) / 200),
      ),
    );
    const g = clamp(
      dot3(
        red,
        y0,
        blue,
        <f32>((-0.9692436363 * XN) / 500),
        <f32>(-0.9692436363 * XN + 1.8759675015 + 0.0415550574 * ZN),
        <f32>((-0.0415550574 * ZN) / 200),
      ),
    );
    const b = clamp(
      dot3(
        red,
        y0,
        blue,
        <f32>((0.0556300797 * XN) / 500),
        <f32>(0.0556300797 * XN - 0.2039769589 + 1.0569715142 * ZN),
        <f32>((-1.0569715142 * ZN) / 200),
      ),
    );
    v128.store(to + at, shareX(r, g, b));
    v128.store(to + at, shareY(r, g, b), WIDE);
    v128.store(to + at, shareZ(r, g, b), 2 * WIDE);
  }
}

/** What the eye makes of three shares of white: their roots, but for the dark. */
function bendShares(at: usize): void {
  for (const end = at + 3 * WIDE; at < end; at += 16) v128.store(at, bent(v128.load(at)));
}

/** How far two pictures' colours lie apart, from their bent shares of white (L*a*b* with Hunt's effect). */
function apart(a: usize, b: usize, count: i32, out: usize): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const ya = v128.load(a + at, WIDE);
    const yb = v128.load(b + at, WIDE);
    const la = f32x4.sub(f32x4.mul(ya, splat(116)), splat(16));
    const lb = f32x4.sub(f32x4.mul(yb, splat(116)), splat(16));
    const red = f32x4.sub(
      f32x4.mul(la, f32x4.sub(v128.load(a + at), ya)),
      f32x4.mul(lb, f32x4.sub(v128.load(b + at), yb)),
    );
    const blue = f32x4.sub(
      f32x4.mul(la, f32x4.sub(ya, v128.load(a + at, 2 * WIDE))),
      f32x4.mul(lb, f32x4.sub(yb, v128.load(b + at, 2 * WIDE))),
    );
    const p = f32x4.mul(red, splat(5));
    const q = f32x4.mul(blue, splat(2));
    const across = f32x4.sqrt(f32x4.add(f32x4.mul(p, p), f32x4.mul(q, q)));
    v128.store(out + at, f32x4.add(f32x4.abs(f32x4.sub(la, lb)), across));
  }
}

/**
 * Difference of colour per pixel of two pictures' filtered opponent planes, as its binary logarithm: it is raised to a power
 * next.
 * @param a, b three planes each, one behind the other at `stride` bytes
 * @param largest difference that is 1 @param work 6144 bytes to work in
 */
export function flipColors(a: usize, b: usize, stride: usize, count: i32, largest: f32, out: usize, work: usize): void {
  const bend: f32 = <f32>0.4 * largest;
  const low: f32 = <f32>0.95 / bend;
  const high: f32 = <f32>0.05 / (largest - bend);
  const logLow = log2(splat(low));
  const logBend = log2(splat(bend));
  const other = work + 3 * WIDE;
  memory.fill(work, 0, 6 * WIDE);
  for (let from = 0; from < count; from += SPAN) {
    const many = min(SPAN, count - from);
    const start = (<usize>from) << 2;
    toShares(a + start, stride, many, work);
    toShares(b + start, stride, many, other);
    bendShares(work);
    bendShares(other);
    const to = out + start;
    apart(work, other, many, to);
    for (let i = 0; i < many; i += 4) {
      const at = to + ((<usize>i) << 2);
      const log = f32x4.mul(logOf(v128.load(at)), splat(0.7));
      const small = f32x4.add(log, logLow);
      const isSmall = f32x4.lt(log, logBend);
      if (v128.all_true<i32>(isSmall)) {
        v128.store(at, small);
        continue;
      }
      const large = f32x4.add(splat(0.95), f32x4.mul(f32x4.sub(exp2(log), splat(bend)), splat(high)));
      v128.store(at, v128.bitselect(small, logOf(large), isSmall));
    }
  }
}

/** Colour difference, given by its logarithm, to the power of one less that of edges and points. */
export function flipTogether(color: usize, edgeA: usize, edgeB: usize, pointA: usize, pointB: usize, count: i32): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const edge = f32x4.abs(f32x4.sub(v128.load(edgeA + at), v128.load(edgeB + at)));
    const point = f32x4.abs(f32x4.sub(v128.load(pointA + at), v128.load(pointB + at)));
    const feature = f32x4.sqrt(f32x4.mul(f32x4.pmax(edge, point), splat(0.70710678)));
    const log = v128.load(color + at);
    const some = f32x4.gt(log, splat(NOTHING * 0.5));
    v128.store(color + at, v128.and(exp2(f32x4.mul(log, f32x4.sub(splat(1), feature))), some));
  }
}
