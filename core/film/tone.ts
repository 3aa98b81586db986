/** Scene light to display light and codes. */
import { linearToSrgb } from '../math/color';

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

/** Parts of a code that display light is rounded to before it is dithered. */
const PARTS = 256;
/**
 * The sRGB curve in parts of a code: how steep its straight beginning is and where that ends; then a polynomial in the
 * fourth root of the linear value, from the highest power on, that meets the curve at both ends and is right to a
 * three-hundredth of a code between them.
 */
export const CODE_CURVE = Float32Array.of(
  ...[12.92 * 255 * PARTS, 0.0031308],
  ...[-4268.0517578125, 18496.078125, -37426.859375, 81928.84375, 10548.11328125, -3998.1259765625],
);

/** Display-linear 0…1 to an sRGB code 0…255, not rounded. Values outside are clamped, NaN is black. */
export function displayCode(linear: number): number {
  if (!(linear > 0)) return 0;
  if (linear >= 1) return 255;
  if (linear < CODE_CURVE[1]) return (linear * CODE_CURVE[0]) / PARTS;
  const u = Math.sqrt(Math.sqrt(linear));
  let sum = CODE_CURVE[2];
  for (let k = 3; k < CODE_CURVE.length; k++) sum = sum * u + CODE_CURVE[k];
  return sum / PARTS;
}

const FINE_STEPS = 4096;
let fine: Float64Array | null = null;

/** Display-linear 0…1 to an sRGB code of 16 bits, 0…65535, right to a tenth of one. Values outside are clamped, NaN is black. */
export function fineCode(linear: number): number {
  if (!(linear > 0)) return 0;
  if (linear >= 1) return 65535;
  // even steps of the root resolve the dark end
  fine ??= Float64Array.from({ length: FINE_STEPS + 2 }, (_, i) => linearToSrgb((i / FINE_STEPS) ** 2) * 65535);
  const p = Math.sqrt(linear) * FINE_STEPS;
  const i = p | 0;
  return fine[i] + (fine[i + 1] - fine[i]) * (p - i);
}

/** Rounds a code down after noise of as many parts is added. @param noise 0…255: half of that rounds to the nearest */
export function roundedCode(code: number, noise: number): number {
  return (Math.round(code * PARTS) + noise) >> 8;
}
export const NO_NOISE = 128;

/** Fixed noise of a pixel and channel for `roundedCode`, each of 0…255 as often (bits mixed as by Wellons 2018, Prospecting for Hash Functions). */
export function ditherNoise(pixel: number, channel: number): number {
  let x = pixel ^ (pixel >>> 16);
  x = Math.imul(x, 0x7feb352d);
  x = Math.imul(x ^ (x >>> 15), 0x846ca68b);
  x ^= x >>> 16;
  return (x >>> (8 * channel)) & 255;
}
