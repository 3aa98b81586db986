/** The named images that a frame yields, read from its sums. */
import { exp2 } from '../math/exact';
import { componentAt, LIGHT_COMPONENTS, LIGHT_NUMBERS, SUM_COVERAGE, SUM_LIT, SUMS } from '../light/components';
import { P_COUNT, PATH_SUMS, standardError } from '../trace/pathSums';
import { gatherBeauty } from './develop';
import type { FrameViews } from './frameMemory';

export interface Layer {
  name: string;
  /** Channel letters, in the order of the numbers. */
  channels: readonly string[];
  /** One number a channel, row by row from the top. */
  data: Float32Array;
}

/** What each layer holds; those of light add up to beauty. */
export const LAYERS: Record<string, { channels: readonly string[]; holds: string }> = {
  beauty: { channels: ['R', 'G', 'B', 'A'], holds: 'all light, and the share of the pixel that is covered' },
  direct: { channels: ['R', 'G', 'B'], holds: 'light straight from sun, spots, points and areas' },
  bounce: { channels: ['R', 'G', 'B'], holds: 'light from all around on matte surfaces' },
  reflection: { channels: ['R', 'G', 'B'], holds: 'what shiny surfaces mirror' },
  emission: { channels: ['R', 'G', 'B'], holds: 'glowing surfaces and the visible background' },
  original: { channels: ['R', 'G', 'B'], holds: 'all light before denoising; path-traced frames only' },
  error: { channels: ['Y'], holds: 'standard error of the luminance; path-traced frames only' },
  shadow: { channels: ['Y'], holds: 'share of direct light that arrives, 1 where nothing is in the way' },
  depth: { channels: ['Z'], holds: 'metres along the view axis, 0 where nothing is; not filtered' },
  normal: { channels: ['X', 'Y', 'Z'], holds: 'unit normal in world space; not filtered' },
  motion: {
    channels: ['X', 'Y'],
    holds: 'pixels to the right and down to where it is in the next frame; not filtered',
  },
  objectId: { channels: ['Y'], holds: 'number of the drawn object, 0 for the background; not filtered' },
};
export const MOTION = 'motion';
const PATH_LAYERS = ['original', 'error'];
export const LAYER_NAMES = Object.keys(LAYERS);

/**
 * Scene-linear layers of a finished frame; light is in nit × 2^EV.
 * @param samples how many samples the sums hold
 * @param motion from `motionVectors`, or null where there is no next frame: its layer is left out then
 */
export function readLayers(
  frame: FrameViews,
  samples: number,
  exposureEv: number,
  names: readonly string[],
  motion: Float32Array | null = null,
): Layer[] {
  // what only path tracing knows is left out of other frames, and of those computed at another size
  const paths = knowsPaths(frame);
  const known = names.filter((name) => (name === MOTION ? motion !== null : paths || !PATH_LAYERS.includes(name)));
  return known.map((name) => ({
    name,
    channels: LAYERS[name].channels,
    data: name === MOTION && motion ? motion : readLayer(frame, samples, exposureEv, name),
  }));
}

/** Do the sums of paths lie pixel by pixel under the picture? */
export function knowsPaths(frame: FrameViews): boolean {
  return frame.paths.length > 0 && frame.paths.length === frame.depth.length * PATH_SUMS;
}

function readLayer(frame: FrameViews, samples: number, exposureEv: number, name: string): Float32Array {
  const pixels = frame.depth.length;
  const scale = exp2(exposureEv) / samples;
  const component = LIGHT_COMPONENTS.find((c) => c === name);
  if (component) {
    const from = componentAt(component);
    const data = new Float32Array(pixels * 3);
    for (let i = 0; i < pixels; i++)
      for (let c = 0; c < 3; c++) data[i * 3 + c] = frame.sums[i * SUMS + from + c] * scale;
    return data;
  }
  switch (name) {
    case 'beauty': {
      const rgb = new Float32Array(pixels * 3);
      gatherBeauty({ sums: frame.sums, scale, beauty: rgb, width: pixels }, { x0: 0, y0: 0, x1: pixels, y1: 1 });
      const data = new Float32Array(pixels * 4);
      for (let i = 0; i < pixels; i++) {
        data.set(rgb.subarray(i * 3, i * 3 + 3), i * 4);
        data[i * 4 + 3] = frame.sums[i * SUMS + SUM_COVERAGE] / samples;
      }
      return data;
    }
    case 'original':
      return originalLight(frame.paths, exp2(exposureEv));
    case 'error':
      return Float32Array.from({ length: pixels }, (_, i) => standardError(frame.paths, i) * exp2(exposureEv));
    case 'shadow':
      return Float32Array.from({ length: pixels }, (_, i) => frame.sums[i * SUMS + SUM_LIT] / samples);
    case 'depth':
      return frame.depth.slice();
    case 'normal':
      return frame.normal.slice();
    default:
      return Float32Array.from(frame.objectId);
  }
}

function originalLight(paths: Float32Array, scale: number): Float32Array {
  const pixels = paths.length / PATH_SUMS;
  const data = new Float32Array(pixels * 3);
  for (let i = 0; i < pixels; i++) {
    const p = i * PATH_SUMS;
    const k = scale / (paths[p + P_COUNT] || 1);
    for (let c = 0; c < 3; c++) {
      let sum = paths[p + c];
      for (let from = 3; from < LIGHT_NUMBERS; from += 3) sum += paths[p + from + c];
      data[i * 3 + c] = sum * k;
    }
  }
  return data;
}
