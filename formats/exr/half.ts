/** 16-bit floats (IEEE 754 binary16). */

const float = new Float32Array(1);
const bits = new Uint32Array(float.buffer);

/** Nearest half, ties to even; beyond 65 504 it is infinity. */
export function toHalf(value: number): number {
  float[0] = value;
  const x = bits[0];
  const sign = (x >>> 16) & 0x8000;
  const magnitude = x & 0x7fffffff;
  if (magnitude >= 0x7f800000) return sign | (magnitude > 0x7f800000 ? 0x7e00 : 0x7c00);
  if (magnitude >= 0x477ff000) return sign | 0x7c00;
  if (magnitude < 0x38800000) {
    // subnormal: an integer multiple of 2^-24; scaling by 2^24 is exact, so rounding happens once
    float[0] = Math.abs(value) * 16777216;
    const scaled = float[0];
    const floor = Math.floor(scaled);
    const rest = scaled - floor;
    const up = rest > 0.5 || (rest === 0.5 && (floor & 1) === 1);
    return sign | (floor + (up ? 1 : 0));
  }
  const rounded = magnitude + 0xfff + ((magnitude >>> 13) & 1);
  return sign | ((rounded - 0x38000000) >>> 13);
}

export function fromHalf(half: number): number {
  const sign = half & 0x8000 ? -1 : 1;
  const exponent = (half >>> 10) & 31;
  const mantissa = half & 1023;
  if (exponent === 31) return mantissa ? NaN : sign * Infinity;
  if (exponent === 0) return sign * mantissa * 2 ** -24;
  return sign * (1 + mantissa / 1024) * 2 ** (exponent - 15);
}

let table: Float32Array | null = null;

/** All 65 536 of them, for reading many. */
export function halfTable(): Float32Array {
  return (table ??= Float32Array.from({ length: 65536 }, (_, half) => fromHalf(half)));
}
