/**
 * Elementary functions made only of operations that IEEE 754 fixes to the bit (+ − × ÷ √).
 *
 * Why: `Math.sin`, `Math.pow` and their kin may differ in the last bit between engines and versions, and a
 * picture must have the same bits in the browser and on the server. Nothing in `core` calls the engine's own.
 * Relative error is below 4e-15 on the ranges that rendering uses.
 */

const LN2_HIGH = 6.9314718036912381649e-1;
const LN2_LOW = 1.90821492927058770002e-10;
const PIO2_HIGH = 1.57079632673412561417;
const PIO2_MID = 6.0771005063039659766e-11;
const PIO2_LOW = 2.02226624879595063154e-21;

const E3 = 1 / 6;
const E4 = 1 / 24;
const E5 = 1 / 120;
const E6 = 1 / 720;
const E7 = 1 / 5040;
const E8 = 1 / 40320;
const E9 = 1 / 362880;
const E10 = 1 / 3628800;
const E11 = 1 / 39916800;
const E12 = 1 / 479001600;
const E13 = 1 / 6227020800;
const E14 = 1 / 87178291200;
const E15 = 1 / 1307674368000;

const float = new Float64Array(1);
const words = new Uint32Array(float.buffer);

/** 2^k for integer k in −1022…1023, exact. */
export function powerOfTwo(k: number): number {
  words[0] = 0;
  words[1] = (k + 1023) << 20;
  return float[0];
}

/** e^x. Overflows to Infinity above 709.78, underflows to 0 below −708. */
export function exp(x: number): number {
  if (x !== x) return NaN;
  if (x > 709.78) return Infinity;
  if (x < -708) return 0;
  const k = Math.round(x / Math.LN2);
  const r = x - k * LN2_HIGH - k * LN2_LOW;
  // its series written out: factors 1 / n!, a loop of divisions would take three times as long
  let sum = E14 + r * E15;
  sum = E12 + r * (E13 + r * sum);
  sum = E10 + r * (E11 + r * sum);
  sum = E8 + r * (E9 + r * sum);
  sum = E6 + r * (E7 + r * sum);
  sum = E4 + r * (E5 + r * sum);
  sum = 1 + r * (1 + r * (0.5 + r * (E3 + r * sum)));
  return k > 1023 ? sum * 2 * powerOfTwo(k - 1) : sum * powerOfTwo(k);
}

/** Natural logarithm; −Infinity at 0, NaN below. */
export function log(x: number): number {
  if (x === 0) return -Infinity;
  if (!(x > 0)) return NaN;
  if (x === Infinity) return Infinity;
  let k = 0;
  if (x < 2.2250738585072014e-308) {
    x *= 18014398509481984; // 2^54: bring a subnormal into range
    k = -54;
  }
  float[0] = x;
  k += (words[1] >>> 20) - 1023;
  words[1] = (words[1] & 0x000fffff) | 0x3ff00000;
  let m = float[0];
  if (m > Math.SQRT2) {
    m *= 0.5;
    k += 1;
  }
  const s = (m - 1) / (m + 1);
  const s2 = s * s;
  let sum = 1 / 19 + s2 * (1 / 21 + s2 * (1 / 23));
  sum = 1 / 15 + s2 * (1 / 17 + s2 * sum);
  sum = 1 / 11 + s2 * (1 / 13 + s2 * sum);
  sum = 1 / 7 + s2 * (1 / 9 + s2 * sum);
  sum = 1 + s2 * (1 / 3 + s2 * (1 / 5 + s2 * sum));
  return 2 * s * sum + k * LN2_LOW + k * LN2_HIGH;
}

/** x^y for x ≥ 0. */
export function pow(x: number, y: number): number {
  if (y === 0) return 1;
  if (x === 0) return 0;
  return exp(y * log(x));
}

/** Cube root of x ≥ 0, within 2e-15. */
export function cbrt(x: number): number {
  if (!(x > 1e-300)) return 0;
  float[0] = x;
  // a third of the exponent gives the root within a twentieth (Kahan 1991, Computing a Real Cube Root)
  words[1] = words[1] / 3 + 715094163;
  words[0] = 0;
  let t = float[0];
  // Halley's steps, each of which triples the digits
  for (let k = 0; k < 3; k++) {
    const t3 = t * t * t;
    t *= (t3 + x + x) / (t3 + t3 + x);
  }
  return t;
}

/** 2^x, the multiplier of an exposure of x EV. */
export function exp2(x: number): number {
  const k = Math.floor(x);
  const fraction = x - k;
  if (k < -1000 || k > 1000) return k < 0 ? 0 : Infinity;
  return fraction === 0 ? powerOfTwo(k) : exp(fraction * Math.LN2) * powerOfTwo(k);
}

export function log2(x: number): number {
  return log(x) / Math.LN2;
}

function sinPoly(r: number): number {
  const r2 = r * r;
  let sum = 1;
  for (let n = 17; n >= 3; n -= 2) sum = 1 - (r2 / (n * (n - 1))) * sum;
  return r * sum;
}

function cosPoly(r: number): number {
  const r2 = r * r;
  let sum = 1;
  for (let n = 18; n >= 2; n -= 2) sum = 1 - (r2 / (n * (n - 1))) * sum;
  return sum;
}

/** Sine of x radians, for |x| below 1e5. */
export function sin(x: number): number {
  const k = Math.round(x / (Math.PI / 2));
  const r = x - k * PIO2_HIGH - k * PIO2_MID - k * PIO2_LOW;
  switch (k & 3) {
    case 0:
      return sinPoly(r);
    case 1:
      return cosPoly(r);
    case 2:
      return -sinPoly(r);
    default:
      return -cosPoly(r);
  }
}

/** Cosine of x radians, for |x| below 1e5. */
export function cos(x: number): number {
  const k = Math.round(x / (Math.PI / 2));
  const r = x - k * PIO2_HIGH - k * PIO2_MID - k * PIO2_LOW;
  switch (k & 3) {
    case 0:
      return cosPoly(r);
    case 1:
      return -sinPoly(r);
    case 2:
      return -cosPoly(r);
    default:
      return sinPoly(r);
  }
}

export function tan(x: number): number {
  return sin(x) / cos(x);
}

/** Arc tangent, in −π/2…π/2. Two half-angle steps bring the series into fast convergence. */
export function atan(x: number): number {
  if (x < 0) return -atan(-x);
  if (x > 1) return Math.PI / 2 - atan(1 / x);
  const a = x / (1 + Math.sqrt(1 + x * x));
  const b = a / (1 + Math.sqrt(1 + a * a));
  const b2 = b * b;
  let sum = 0;
  for (let n = 25; n >= 1; n -= 2) sum = 1 / n - b2 * sum;
  return 4 * b * sum;
}

/** Angle of the vector (x, y) from the x axis, in −π…π. */
export function atan2(y: number, x: number): number {
  if (x > 0) return atan(y / x);
  if (x < 0) return y >= 0 ? atan(y / x) + Math.PI : atan(y / x) - Math.PI;
  return y > 0 ? Math.PI / 2 : y < 0 ? -Math.PI / 2 : 0;
}

/** Arc cosine of x, clamped to −1…1; result in 0…π. */
export function acos(x: number): number {
  const c = x < -1 ? -1 : x > 1 ? 1 : x;
  return atan2(Math.sqrt(1 - c * c), c);
}
