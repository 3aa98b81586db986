/** How the softness of a light is drawn when the recipe leaves it to Daxel: by one map that is read wider, or from many places. */
import { isSoft, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { tan } from '../math/exact';
import type { Bounds } from '../math/bounds';
import type { CameraView } from '../scene/camera';

/** What an automatic choice goes by. */
export interface SoftnessWish {
  /** Light that one step in a soft edge may leave, 0…1. */
  edgeNoise: number;
  /** Samples that a pixel takes in all. */
  samples: number;
  /** Pixels down the picture. */
  height: number;
}

export interface Softness {
  /** Lights whose maps are read as wide as they are: see `softShadow`. */
  estimated: number[];
  /** Lights that are drawn from several places. */
  moving: number[];
  /** Places on each of these that every pixel sample is lit from. */
  positions: number;
}

/** Pixels: an edge no wider is as good as hard. */
const NARROW = 2;
/** Pixels: a step no wider is smoothed by the filter with which every map is read. */
const FILTERED = 4;
/** A lamp in a wide scene is judged by what it lights within so many times its own size. */
const FARTHEST = 40;
/** So many samples a pixel see enough places of a light to be worth a map each. */
const SOME_SAMPLES = 4;
/** With so many, what they lack is drawn as well. */
const MANY_SAMPLES = 8;

/**
 * Width of the soft edges of a light, pixels. What casts lies between light and surface about as far from either as the
 * picture from both, so an edge is about as wide as the light itself would look. A figure of light, scene and lens alone,
 * lest the way of drawing change while a camera moves.
 */
export function penumbraPixels(light: FrameLight, bounds: Bounds, camera: CameraView, height: number): number {
  const { lens } = camera;
  const sides = bounds.max.map((v, k) => v - bounds.min[k]).filter((side) => side > 0);
  const reach = sides.length > 0 ? Math.min(...sides) / 2 : 1;
  const metres = 2 * (light.area > 0 ? Math.sqrt(light.area / Math.PI) : light.radius);
  const far = Math.min(FARTHEST * metres, Math.max(reach, metres));
  const tangent = light.kind === LIGHT_SUN ? 2 * light.discTan : metres / far;
  if (metres === 0 && light.kind !== LIGHT_SUN) return 0;
  if (lens.kind === 'perspective') return (tangent * height) / (2 * tan(lens.yfovRad / 2));
  return (tangent * reach * height) / (2 * lens.ymag);
}

/**
 * Where the samples of a pixel suffice, every one of them sees another place of the light: true, and cheaper than reading a
 * map wide. With few samples one map is read as wide as the light is; with many, each sees several places.
 */
export function softnessOf(
  lights: readonly FrameLight[],
  bounds: Bounds,
  camera: CameraView,
  wish: SoftnessWish,
): Softness {
  const softness: Softness = { estimated: [], moving: [], positions: 1 };
  for (const light of lights) {
    if (!isSoft(light) || !light.castsShadow) continue;
    const width = penumbraPixels(light, bounds, camera, wish.height);
    if (width <= NARROW) continue;
    const positions = positionsFor(width, wish);
    const suffice = wish.samples >= SOME_SAMPLES && positions === 1;
    if (!suffice && wish.samples < MANY_SAMPLES) {
      softness.estimated.push(light.index);
      continue;
    }
    softness.moving.push(light.index);
    softness.positions = Math.max(softness.positions, positions);
  }
  return softness;
}

/** Places a pixel sample for an edge so many pixels wide: steps are faint, or none is wider than the filter. */
export function positionsFor(width: number, wish: SoftnessWish): number {
  const steps = Math.min(Math.ceil(1 / wish.edgeNoise), Math.ceil(width / FILTERED));
  return Math.max(1, Math.ceil(steps / wish.samples));
}

/** Says what was chosen. @param samples a pixel takes in all @returns empty where no light has extent */
export function softnessInWords({ estimated, moving, positions }: Softness, samples: number): string {
  const lights = (n: number): string => (n === 1 ? '1 light' : `${n} lights`);
  const parts: string[] = [];
  if (estimated.length > 0) parts.push(`${lights(estimated.length)} softened from one map each`);
  if (moving.length > 0) {
    const each = positions === 1 ? 'one position a sample' : `${positions} positions a sample`;
    parts.push(`${lights(moving.length)} drawn from ${each}, ${positions * samples} in all`);
  }
  return parts.join('; ');
}
