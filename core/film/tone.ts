/** Scene light to display light and codes. */
import { linearToSrgb } from '../math/color';
import { hash32 } from '../math/random';

export type ToneCurve = 'none' | 'neutral';

const START = 0.8 - 0.04;
const DESATURATION = 0.15;

/** Khronos PBR Neutral tone mapper (Khronos Group 2024, specification): colours below 0.76 are kept true. */
export function neutralTone(rgb: Float64Array): void {
  const low = rgb[0] < rgb[1] ? (rgb[0] < rgb[2] ? rgb[0] : rgb[2]) : rgb[1] < rgb[2] ? rgb[1] : rgb[2];
  const offset = low < 0.08 ? low - 6.25 * low * low : 0.04;
  rgb[0] -= offset;
  rgb[1] -= offset;
  rgb[2] -= offset;
  const peak = rgb[0] > rgb[1] ? (rgb[0] > rgb[2] ? rgb[0] : rgb[2]) : rgb[1] > rgb[2] ? rgb[1] : rgb[2];
  if (peak < START) return;
  const d = 1 - START;
  const newPeak = 1 - (d * d) / (peak + d - START);
  const s = newPeak / peak;
  const g = 1 - 1 / (DESATURATION * (peak - newPeak) + 1);
  for (let c = 0; c < 3; c++) rgb[c] = rgb[c] * s * (1 - g) + newPeak * g;
}

const CODE_STEPS = 2048;
/** Length of `CODES`. */
export const CODE_COUNT = CODE_STEPS + 2;
/**
 * sRGB code × 255 over the square root of the linear value: even steps there resolve the dark end,
 * and between them a straight line is right to a thousandth of a code.
 */
export const CODES = Float32Array.from({ length: CODE_COUNT }, (_, i) => linearToSrgb((i / CODE_STEPS) ** 2) * 255);

/** Display-linear 0…1 to an sRGB code 0…255, not rounded. Values outside are clamped, NaN is black. */
export function displayCode(linear: number): number {
  if (!(linear > 0)) return 0;
  if (linear >= 1) return 255;
  const p = Math.sqrt(linear) * CODE_STEPS;
  const i = p | 0;
  return CODES[i] + (CODES[i + 1] - CODES[i]) * (p - i);
}

/** Fixed noise in 0…1 for a pixel and channel, to be added before rounding down: in steps of 1/256 around a half. */
export function ditherNoise(pixel: number, channel: number): number {
  return (((hash32(pixel) >>> (8 * channel)) & 255) + 0.5) / 256;
}
