/** What the light of a rendered frame is made of, as the division of its flicker needs it. */
import { luminance } from '../../math/color';
import { exp2 } from '../../math/exact';
import { byComponent, componentAt, SUM_LIT, SUMS } from '../../light/components';
import { displayLuminance, type MeasuredImage } from '../imageError';
import type { FrameLayers, LightLayers } from './blame';

/** @param sums SUMS numbers a pixel, of so many samples @param exposureEv of the picture */
export function lightLayers(sums: Float32Array, samples: number, exposureEv: number): LightLayers {
  const pixels = sums.length / SUMS;
  const scale = exp2(exposureEv) / samples;
  const layer = (at: number): Float32Array => {
    const out = new Float32Array(pixels);
    for (let i = 0, s = at; i < pixels; i++, s += SUMS) out[i] = luminance(sums[s], sums[s + 1], sums[s + 2]) * scale;
    return out;
  };
  const lit = Float32Array.from({ length: pixels }, (_, i) => sums[i * SUMS + SUM_LIT] / samples);
  return { layers: byComponent((c) => layer(componentAt(c))), lit };
}

/** Light by which the slope of the display's answer is found, relative. */
const NUDGE = 0.01;

/**
 * @param shown display luminance of the picture
 * @param step the slope is found at every `step`th pixel across and down, and is 0 elsewhere
 */
export function withSlope(light: LightLayers, image: MeasuredImage, shown: Float32Array, step: number): FrameLayers {
  const { width, height, rgb } = image;
  const small = { width: Math.ceil(width / step), height: Math.ceil(height / step) };
  const nudged = new Float32Array(small.width * small.height * 3);
  const placeOf = (k: number): number => Math.floor(k / small.width) * step * width + (k % small.width) * step;
  for (let k = 0; k < small.width * small.height; k++)
    for (let c = 0; c < 3; c++) nudged[k * 3 + c] = rgb[placeOf(k) * 3 + c] * (1 + NUDGE);
  const slope = new Float32Array(width * height);
  displayLuminance({ ...image, ...small, rgb: nudged }).forEach((v, k) => {
    const i = placeOf(k);
    const before = luminance(rgb[i * 3], rgb[i * 3 + 1], rgb[i * 3 + 2]);
    slope[i] = before > 0 ? (v - shown[i]) / (NUDGE * before) : 1;
  });
  return { ...light, slope };
}
