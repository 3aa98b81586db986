/** sRGB transfer functions (IEC 61966-2-1) and luminance, Rec. 709 primaries. */
import { pow } from './exact';

/** Display code 0…1 to linear 0…1. */
export function srgbToLinear(code: number): number {
  return code <= 0.04045 ? code / 12.92 : pow((code + 0.055) / 1.055, 2.4);
}

/** Linear 0…1 to display code 0…1. */
export function linearToSrgb(linear: number): number {
  return linear <= 0.0031308 ? linear * 12.92 : 1.055 * pow(linear, 1 / 2.4) - 0.055;
}

/** Linear value of each 8-bit sRGB code. */
export const SRGB8_TO_LINEAR = Float32Array.from({ length: 256 }, (_, i) => srgbToLinear(i / 255));

/** Value of each 8-bit code that is already linear. */
export const UNIT8 = Float32Array.from({ length: 256 }, (_, i) => i / 255);

export function luminance(r: number, g: number, b: number): number {
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

/**
 * Colour of a black body as linear Rec. 709 with luminance 1.
 * Chromaticity by Kim et al. 2002, Design of Advanced Color Temperature Control System (1 667–25 000 K).
 */
export function blackBody(kelvin: number): [number, number, number] {
  const t = Math.min(25000, Math.max(1667, kelvin));
  const x =
    t < 4000
      ? -0.2661239e9 / (t * t * t) - 0.2343589e6 / (t * t) + 0.8776956e3 / t + 0.17991
      : -3.0258469e9 / (t * t * t) + 2.1070379e6 / (t * t) + 0.2226347e3 / t + 0.24039;
  const y =
    t < 2222
      ? -1.1063814 * x * x * x - 1.3481102 * x * x + 2.18555832 * x - 0.20219683
      : t < 4000
        ? -0.9549476 * x * x * x - 1.37418593 * x * x + 2.09137015 * x - 0.16748867
        : 3.081758 * x * x * x - 5.8733867 * x * x + 3.75112997 * x - 0.37001483;
  const X = x / y;
  const Z = (1 - x - y) / y;
  return [
    Math.max(0, 3.2404542 * X - 1.5371385 - 0.4985314 * Z),
    Math.max(0, -0.969266 * X + 1.8760108 + 0.041556 * Z),
    Math.max(0, 0.0556434 * X - 0.2040259 + 1.0572252 * Z),
  ];
}
