/**
 * A frame made ready for matching: luminance from which the local mean is taken and whose local contrast is brought to
 * one, at three sizes. What brightens, dims or gains contrast evenly looks the same afterwards, so that flicker neither
 * loses nor bends a match (Lewis 1995, Fast Normalized Cross-Correlation: the same invariance, made once a frame).
 */
import { gaussianKernel, planeFilter } from '../../blur';

export interface FlowLevel {
  /** Contrast against the surroundings, about −2…2, one a pixel. */
  plane: Float32Array;
  width: number;
  height: number;
}

export interface FlowPicture {
  /** From full size to a quarter of it. */
  levels: FlowLevel[];
  /** Luminance, cd/m², a little blurred. */
  seen: Float32Array;
}

/** Blur before anything is compared, pixels. */
const SMOOTH = gaussianKernel(1.2, 4);
/** Half the side of the surroundings, pixels of each level. */
const AROUND = 7;
/** Contrast below this is no texture: cd/m², and as a share of the luminance. */
const LEAST_CONTRAST = 0.3;
const LEAST_SHARE = 0.01;
const LEVELS = 3;

/** @param candela luminance of the display, cd/m² */
export function flowPicture(candela: Float32Array, width: number, height: number): FlowPicture {
  const seen = planeFilter(width, height).both(candela, SMOOTH, SMOOTH);
  const levels: FlowLevel[] = [];
  let plane = seen;
  let [w, h] = [width, height];
  for (let l = 0; l < LEVELS; l++) {
    levels.push({ plane: withoutBrightness(plane, w, h), width: w, height: h });
    plane = halved(plane, w, h);
    [w, h] = [w >> 1, h >> 1];
  }
  return { levels, seen };
}

function withoutBrightness(plane: Float32Array, width: number, height: number): Float32Array {
  const box = new Float64Array(2 * AROUND + 1).fill(1 / (2 * AROUND + 1));
  const filter = planeFilter(width, height);
  const mean = filter.both(plane, box, box);
  const apart = plane.map((v, i) => v - mean[i]);
  const spread = filter.both(
    apart.map((v) => v * v),
    box,
    box,
  );
  return apart.map((v, i) => {
    const least = LEAST_CONTRAST + LEAST_SHARE * mean[i];
    return v / Math.sqrt(Math.max(0, spread[i]) + least * least);
  });
}

function halved(plane: Float32Array, width: number, height: number): Float32Array {
  const [w, h] = [width >> 1, height >> 1];
  const out = new Float32Array(w * h);
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const i = y * 2 * width + x * 2;
      out[y * w + x] = (plane[i] + plane[i + 1] + plane[i + width] + plane[i + width + 1]) / 4;
    }
  return out;
}
