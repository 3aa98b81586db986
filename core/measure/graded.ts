/** Display light of a picture as it is graded: what its flicker is measured in beside that of the picture itself. */
import { throughLut, type Lut } from '../film/lut';
import { linearToSrgb, luminance, srgbToLinear } from '../math/color';
import { displayLight, type MeasuredImage } from './imageError';

/** Luminance of the display, one a pixel, 0…1. The table is read between its entries, so that no rounding is added. */
export function gradedLuminance(image: MeasuredImage, lut: Lut): Float32Array {
  const light = displayLight(image);
  const out = new Float32Array(light.length / 3);
  const rgb = new Float64Array(3);
  for (let i = 0; i < out.length; i++) {
    throughLut(lut, linearToSrgb(light[i * 3]), linearToSrgb(light[i * 3 + 1]), linearToSrgb(light[i * 3 + 2]), rgb);
    for (let c = 0; c < 3; c++) rgb[c] = srgbToLinear(Math.min(1, Math.max(0, rgb[c])));
    out[i] = luminance(rgb[0], rgb[1], rgb[2]);
  }
  return out;
}
