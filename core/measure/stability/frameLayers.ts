/** What the light of a rendered frame is made of, as the division of its flicker needs it. */
import { luminance } from '../../math/color';
import { exp2 } from '../../math/exact';
import { SUM_LIT, SUMS } from '../../raster/shadeTile';
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
  return { layers: { direct: layer(0), bounce: layer(3), reflection: layer(6), emission: layer(9) }, lit };
}

/** Light by which the slope of the display's answer is found, relative. */
const NUDGE = 0.01;

/** @param shown display luminance of the picture */
export function withSlope(light: LightLayers, image: MeasuredImage, shown: Float32Array): FrameLayers {
  const { rgb } = image;
  const nudged = displayLuminance({ ...image, rgb: rgb.map((v) => v * (1 + NUDGE)) });
  const slope = shown.map((v, i) => {
    const light = luminance(rgb[i * 3], rgb[i * 3 + 1], rgb[i * 3 + 2]);
    return light > 0 ? (nudged[i] - v) / (NUDGE * light) : 1;
  });
  return { ...light, slope };
}
