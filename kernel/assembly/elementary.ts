/** Elementary functions of operations that are fixed to the bit, as in core/math/exact but with fewer divisions. */

export const PI: f64 = 3.141592653589793;
const PIO2_HIGH: f64 = 1.57079632673412561417;
const PIO2_MID: f64 = 6.0771005063039659766e-11;
const PIO2_LOW: f64 = 2.02226624879595063154e-21;
const LN2: f64 = 0.6931471805599453;
const LN2_HIGH: f64 = 6.9314718036912381649e-1;
const LN2_LOW: f64 = 1.90821492927058770002e-10;

export let sine: f64 = 0;
export let cosine: f64 = 1;

/** Writes sine and cosine of x radians, |x| below 1e5: both series at once, the sine's in the first lane. */
export function turn(x: f64): void {
  const k = nearest<f64>(x / 1.5707963267948966);
  const r = x - k * PIO2_HIGH - k * PIO2_MID - k * PIO2_LOW;
  const r2 = f64x2.splat(r * r);
  // factors ±1/(2n + 1)! and ±1/(2n)! from the last
  let sum = f64x2.add(
    f64x2(1 / 355687428096000.0, 1 / 20922789888000.0),
    f64x2.mul(r2, f64x2(0, -1 / 6402373705728000.0)),
  );
  sum = f64x2.add(f64x2(-1 / 1307674368000.0, -1 / 87178291200.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(1 / 6227020800.0, 1 / 479001600.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(-1 / 39916800.0, -1 / 3628800.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(1 / 362880.0, 1 / 40320.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(-1 / 5040.0, -1 / 720.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(1 / 120.0, 1 / 24.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(-1 / 6.0, -1 / 2.0), f64x2.mul(r2, sum));
  sum = f64x2.add(f64x2(1, 1), f64x2.mul(r2, sum));
  const s = r * f64x2.extract_lane(sum, 0);
  const c = f64x2.extract_lane(sum, 1);
  const quarter = (<i32>k) & 3;
  const swapped = (quarter & 1) != 0;
  sine = swapped ? c : s;
  cosine = swapped ? s : c;
  if (quarter >= 2) sine = -sine;
  if (quarter == 1 || quarter == 2) cosine = -cosine;
}

/** e^x for x ≤ 0; 0 below −708. */
export function decay(x: f64): f64 {
  if (!(x >= -708)) return 0;
  const k = nearest<f64>(x / LN2);
  const r = x - k * LN2_HIGH - k * LN2_LOW;
  let sum = 1 / 87178291200.0 + r * (1 / 1307674368000.0);
  sum = 1 / 479001600.0 + r * (1 / 6227020800.0 + r * sum);
  sum = 1 / 3628800.0 + r * (1 / 39916800.0 + r * sum);
  sum = 1 / 40320.0 + r * (1 / 362880.0 + r * sum);
  sum = 1 / 720.0 + r * (1 / 5040.0 + r * sum);
  sum = 1 / 24.0 + r * (1 / 120.0 + r * sum);
  sum = 1 + r * (1 + r * (0.5 + r * (1 / 6.0 + r * sum)));
  return sum * reinterpret<f64>((<i64>k + 1023) << 52);
}
