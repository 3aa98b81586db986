/**
 * One level of the edge-stopping filter over a path-traced picture, four pixels at a time in 32 bits: within a millionth
 * of the plain twin in core/trace/denoise, which says what the planes are.
 */

const VARIANCE: usize = 9;
const LIGHT: usize = 10;
const FARTHEST: f32 = 12;

/** e^−t for 0 ≤ t ≤ 12, within 2 · 10⁻⁷. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function fall(t: v128): v128 {
  // 2^−(whole + rest): the rest by its series about the middle of −½ … ½
  const x = f32x4.mul(t, f32x4.splat(-1.4426950408889634));
  const whole = f32x4.nearest(x);
  const y = f32x4.mul(f32x4.sub(x, whole), f32x4.splat(0.6931471805599453));
  let sum = f32x4.splat(1 / 720.0);
  sum = f32x4.add(f32x4.splat(1 / 120.0), f32x4.mul(y, sum));
  sum = f32x4.add(f32x4.splat(1 / 24.0), f32x4.mul(y, sum));
  sum = f32x4.add(f32x4.splat(1 / 6.0), f32x4.mul(y, sum));
  sum = f32x4.add(f32x4.splat(0.5), f32x4.mul(y, sum));
  sum = f32x4.add(f32x4.splat(1), f32x4.mul(y, sum));
  sum = f32x4.add(f32x4.splat(1), f32x4.mul(y, sum));
  const power = i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(whole), i32x4.splat(127)), 23);
  return f32x4.mul(sum, power);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function tap(k: i32): f32 {
  const far = k < 0 ? -k : k;
  return far == 0 ? 0.375 : far == 1 ? 0.25 : 0.0625;
}

/** Mean variance of a pixel and its neighbours. @param plane of variances */
function smoothVariance(plane: usize, x: i32, y: i32, width: i32, height: i32): f32 {
  let sum: f64 = 0;
  let total: f64 = 0;
  const toY = min<i32>(height - 1, y + 1);
  const toX = min<i32>(width - 1, x + 1);
  for (let qy = max<i32>(0, y - 1); qy <= toY; qy++) {
    for (let qx = max<i32>(0, x - 1); qx <= toX; qx++) {
      const w: f64 = (qx == x ? 2 : 1) * (qy == y ? 2 : 1);
      sum += <f64>load<f32>(plane + ((<usize>(qy * width + qx)) << 2)) * w;
      total += w;
    }
  }
  return <f32>(sum / total);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function squared(p: usize, q: usize): v128 {
  const d = f32x4.sub(v128.load(p), v128.load(q));
  return f32x4.mul(d, d);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function addTap(sum: v128, at: usize, w: v128): v128 {
  return f32x4.add(sum, f32x4.mul(v128.load(at), w));
}

/** Writes up to four numbers. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function put(at: usize, value: v128, lanes: i32): void {
  if (lanes == 4) {
    v128.store(at, value);
    return;
  }
  store<f32>(at, f32x4.extract_lane(value, 0));
  if (lanes > 1) store<f32>(at, f32x4.extract_lane(value, 1), 4);
  if (lanes > 2) store<f32>(at, f32x4.extract_lane(value, 2), 8);
}

/** As `denoiseRows`. @param a, b, features addresses of the first pixel in their first planes @param stride numbers a plane */
export function denoiseLevel(
  a: usize,
  b: usize,
  features: usize,
  stride: i32,
  width: i32,
  height: i32,
  strength: f64,
  level: i32,
  from: i32,
  to: i32,
): void {
  const step = 1 << level;
  const plane = (<usize>stride) << 2;
  const lights = a + LIGHT * plane;
  const far = f32x4.splat(FARTHEST);
  const one = f32x4.splat(1);
  const zero = f32x4.splat(0);
  const lanes = i32x4(0, 1, 2, 3);
  for (let y = from; y < to; y++) {
    for (let x = 0; x < width; x += 4) {
      const at = (<usize>(y * width + x)) << 2;
      const count = min<i32>(4, width - x);
      const light = v128.load(lights + at);
      const vp = a + VARIANCE * plane;
      let variance = f32x4.splat(smoothVariance(vp, x, y, width, height));
      if (count > 1) variance = f32x4.replace_lane(variance, 1, smoothVariance(vp, x + 1, y, width, height));
      if (count > 2) variance = f32x4.replace_lane(variance, 2, smoothVariance(vp, x + 2, y, width, height));
      if (count > 3) variance = f32x4.replace_lane(variance, 3, smoothVariance(vp, x + 3, y, width, height));
      const reach = f32x4.add(
        f32x4.mul(f32x4.splat(<f32>(strength * 2)), f32x4.sqrt(variance)),
        f32x4.mul(f32x4.splat(1e-6), f32x4.add(one, f32x4.abs(light))),
      );
      const p = features + at;
      const depth = v128.load(p + 6 * plane);
      const nowhere = f32x4.eq(depth, zero);
      let s0 = zero;
      let s1 = zero;
      let s2 = zero;
      let s3 = zero;
      let s4 = zero;
      let s5 = zero;
      let s6 = zero;
      let s7 = zero;
      let s8 = zero;
      let s9 = zero;
      let total = zero;
      for (let ky = -2; ky <= 2; ky++) {
        const qy = y + ky * step;
        if (qy < 0 || qy >= height) continue;
        for (let kx = -2; kx <= 2; kx++) {
          const qx = x + kx * step;
          if (qx + 3 < 0 || qx >= width) continue;
          const there = (<usize>(qy * width + qx)) << 2;
          const q = features + there;
          const other = v128.load(q + 6 * plane);
          let apart = f32x4.add(
            f32x4.add(squared(p, q), squared(p + plane, q + plane)),
            f32x4.add(squared(p + 2 * plane, q + 2 * plane), squared(p + 3 * plane, q + 3 * plane)),
          );
          apart = f32x4.add(apart, squared(p + 4 * plane, q + 4 * plane));
          apart = f32x4.add(apart, squared(p + 5 * plane, q + 5 * plane));
          let farther = f32x4.max(depth, other);
          farther = v128.bitselect(one, farther, f32x4.eq(farther, zero));
          const off = f32x4.div(f32x4.sub(depth, other), farther);
          const near = <f64>((kx * kx + ky * ky) * step * step);
          apart = f32x4.add(apart, f32x4.mul(f32x4.mul(off, off), f32x4.splat(<f32>(0.05 / (1e-5 * near + 1e-6)))));
          apart = f32x4.add(apart, f32x4.div(f32x4.abs(f32x4.sub(v128.load(lights + there), light)), reach));
          const columns = i32x4.add(i32x4.splat(qx), lanes);
          let taken = v128.and(i32x4.ge_s(columns, i32x4.splat(0)), i32x4.lt_s(columns, i32x4.splat(width)));
          taken = v128.and(taken, f32x4.le(apart, far));
          taken = v128.andnot(taken, v128.xor(nowhere, f32x4.eq(other, zero)));
          if (!v128.any_true(taken)) continue;
          const w = v128.and(f32x4.mul(f32x4.splat(tap(kx) * tap(ky)), fall(f32x4.min(apart, far))), taken);
          total = f32x4.add(total, w);
          const r = a + there;
          s0 = addTap(s0, r, w);
          s1 = addTap(s1, r + plane, w);
          s2 = addTap(s2, r + 2 * plane, w);
          s3 = addTap(s3, r + 3 * plane, w);
          s4 = addTap(s4, r + 4 * plane, w);
          s5 = addTap(s5, r + 5 * plane, w);
          s6 = addTap(s6, r + 6 * plane, w);
          s7 = addTap(s7, r + 7 * plane, w);
          s8 = addTap(s8, r + 8 * plane, w);
          s9 = addTap(s9, r + 9 * plane, f32x4.mul(w, w));
        }
      }
      const share = f32x4.div(one, total);
      s0 = f32x4.mul(s0, share);
      s1 = f32x4.mul(s1, share);
      s2 = f32x4.mul(s2, share);
      s3 = f32x4.mul(s3, share);
      s4 = f32x4.mul(s4, share);
      s5 = f32x4.mul(s5, share);
      s6 = f32x4.mul(s6, share);
      s7 = f32x4.mul(s7, share);
      s8 = f32x4.mul(s8, share);
      const out = b + at;
      put(out, s0, count);
      put(out + plane, s1, count);
      put(out + 2 * plane, s2, count);
      put(out + 3 * plane, s3, count);
      put(out + 4 * plane, s4, count);
      put(out + 5 * plane, s5, count);
      put(out + 6 * plane, s6, count);
      put(out + 7 * plane, s7, count);
      put(out + 8 * plane, s8, count);
      put(out + 9 * plane, f32x4.mul(s9, f32x4.mul(share, share)), count);
      const gray = f32x4.add(
        f32x4.add(
          f32x4.mul(f32x4.splat(0.2126), f32x4.add(f32x4.add(s0, s3), s6)),
          f32x4.mul(f32x4.splat(0.7152), f32x4.add(f32x4.add(s1, s4), s7)),
        ),
        f32x4.mul(f32x4.splat(0.0722), f32x4.add(f32x4.add(s2, s5), s8)),
      );
      put(out + LIGHT * plane, gray, count);
    }
  }
}
