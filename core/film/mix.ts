/** Two finished pictures added as light. */
import { displayCode, neutralTone, type ToneCurve } from './tone';

const rgb = new Float64Array(3);

/**
 * Display codes of a·(1 − t) + b·t, without dither.
 * @param a, b rgb per pixel, exposed scene-linear
 * @param t 0 the first … 1 the second
 * @param codes rgba per pixel, are written
 */
export function mixPictures(
  a: Float32Array,
  b: Float32Array,
  t: number,
  tone: ToneCurve,
  codes: Uint8ClampedArray,
): void {
  const s = 1 - t;
  for (let i = 0, o = 0; o < codes.length; i += 3, o += 4) {
    rgb[0] = a[i] * s + b[i] * t;
    rgb[1] = a[i + 1] * s + b[i + 1] * t;
    rgb[2] = a[i + 2] * s + b[i + 2] * t;
    if (tone === 'neutral') neutralTone(rgb);
    codes[o] = displayCode(rgb[0]);
    codes[o + 1] = displayCode(rgb[1]);
    codes[o + 2] = displayCode(rgb[2]);
    codes[o + 3] = 255;
  }
}
