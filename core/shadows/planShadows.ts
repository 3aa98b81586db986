/** Which shadow maps a frame needs, where they look and where they lie in memory. */
import type { Bounds } from '../math/bounds';
import { length, type Mat4 } from '../math/mat4';
import { sobol2 } from '../math/sobol';
import { hashCombine } from '../math/random';
import { frameLight, isSoft, LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { lightAtSample, placeInLight, SAMPLE_SIZE } from '../light/sampleLight';
import type { CameraView } from '../scene/camera';
import type { PlacedLight } from '../scene/source';
import { cubeViews, spotView } from './lampViews';
import { blocksAcross, mapTilesAcross } from './shadowMap';
import type { ShadowView } from '../light/shadowView';
import { penumbraPixels, positionsFor, softnessOf, type Softness, type SoftnessWish } from './softness';
import { sunViews } from './sunViews';

export interface ShadowOptions {
  /** Rays instead of maps. */
  traced: boolean;
  /** Positions on each light with extent that a pixel sample is lit from; 1 is its middle alone, 0 to choose by `automatic`. */
  lightSamples: number;
  automatic: SoftnessWish;
  /** Maps of lights with extent may be read wider where that draws them well. */
  mayEstimate: boolean;
  resolution: number;
  localResolution: number;
  /** Metres from the camera to which a sun casts shadows. */
  distance: number;
  /** Metres from the camera from where on cascades share the way. */
  start: number;
  cascades: number;
  /** 0 uniform … 1 logarithmic. */
  split: number;
  /** Share of a cascade that fades into the next, 0…1. */
  blend: number;
  depthCodes: number;
}

export interface ShadowPlan {
  /** Every light of the scene with the maps that stay while light and pose do. */
  lights: FrameLight[];
  /** Lights among them whose maps are drawn anew for every position on their face: indices. */
  soft: number[];
  /** How their softness is drawn. */
  softness: Softness;
  /** Metres from the camera where the first sun stops casting. */
  sunEnd: number;
  /** Positions on soft lights that are held at a time, and how many a pixel sample needs in all. */
  slots: number;
  positions: number;
  /** Size of the maps that stay, and of everything. */
  kept: MapSizes;
  all: MapSizes;
}

/** What maps take in memory: texels, and the blocks and tiles that these are counted by. */
export interface MapSizes {
  texels: number;
  blocks: number;
  tiles: number;
}

/** Positions are held together up to this many texels; more are drawn in rounds. */
const SLOT_TEXELS = 2 ** 25;

const NO_MAPS: MapSizes = { texels: 0, blocks: 0, tiles: 0 };

export function planShadows(
  lighting: readonly PlacedLight[],
  bounds: Bounds,
  world: readonly Mat4[],
  camera: CameraView,
  aspect: number,
  options: ShadowOptions,
): ShadowPlan {
  const lights = lighting.map((source, i) => frameLight(source, i, world));
  const context = { lighting, bounds, camera, aspect, options };
  const softness = chosen(lights, bounds, camera, options);
  const plan: ShadowPlan = {
    sunEnd: Infinity,
    lights,
    soft: [],
    softness,
    slots: 1,
    positions: 1,
    kept: NO_MAPS,
    all: NO_MAPS,
  };
  let soft = NO_MAPS;
  for (const light of lights) {
    if (options.traced) continue;
    const moves = softness.moving.includes(light.index);
    if (!moves && !light.castsShadow) continue;
    if (light.castsShadow) light.maps = viewsOf(light, context);
    if (light.kind === LIGHT_SUN) plan.sunEnd = Math.min(plan.sunEnd, light.maps.at(-1)?.end ?? Infinity);
    if (moves) {
      plan.soft.push(light.index);
      soft = place(light.maps, soft);
      light.maps = [];
    } else {
      plan.kept = place(light.maps, plan.kept);
    }
  }
  if (plan.soft.length > 0) {
    plan.positions = softness.positions;
    plan.slots = Math.max(1, Math.min(plan.positions, Math.floor(SLOT_TEXELS / Math.max(1, soft.texels))));
  }
  plan.all = plan.kept;
  for (let k = 0; k < plan.slots; k++) plan.all = together(plan.all, soft);
  return plan;
}

/** What is drawn from several places, and what is read wider. */
function chosen(lights: readonly FrameLight[], bounds: Bounds, camera: CameraView, options: ShadowOptions): Softness {
  const { lightSamples, automatic, traced, mayEstimate } = options;
  const soft = lights.filter(isSoft);
  const moving = lightSamples === 1 ? [] : soft.map((light) => light.index);
  if (lightSamples > 0) return { estimated: [], moving, positions: moving.length > 0 ? lightSamples : 1 };
  const softness = softnessOf(lights, bounds, camera, automatic);
  if (!traced) return mayEstimate ? softness : { ...softness, estimated: [] };
  // rays find every edge by themselves, however narrow
  const widths = soft.map((light) => penumbraPixels(light, bounds, camera, automatic.height));
  return { estimated: [], moving, positions: positionsFor(Math.max(0, ...widths), automatic) };
}

/** Positions on soft lights that are lit from in one go. */
export interface LightRound {
  first: number;
  count: number;
}

/**
 * The lights of one round: those that stay, and `count` positions on each soft one from position `first` on.
 * All of them together give the light of `count / positions` of a pixel sample.
 */
export function roundLights(
  plan: ShadowPlan,
  context: MapContext,
  seed: number,
  { first, count }: LightRound,
): { lights: FrameLight[]; drawn: { view: ShadowView; index: number }[] } {
  const share = count / plan.positions;
  const lights: FrameLight[] = [];
  const drawn: { view: ShadowView; index: number }[] = [];
  let sizes = plan.kept;
  for (const light of plan.lights) {
    if (!plan.soft.includes(light.index)) {
      lights.push(share === 1 ? light : { ...light, r: light.r * share, g: light.g * share, b: light.b * share });
      continue;
    }
    for (let k = 0; k < count; k++) {
      sobol2(first + k, hashCombine(seed, light.index + 1), point);
      placeInLight(light, point[0], point[1], sample);
      const at = lightAtSample(light, sample, 1 / plan.positions);
      if (light.castsShadow) {
        at.maps = viewsOf(at, context);
        sizes = place(at.maps, sizes);
        for (const view of new Set(at.maps)) drawn.push({ view, index: light.index });
      }
      lights.push(at);
    }
  }
  return { lights, drawn };
}

const point = new Float64Array(2);
const sample = new Float64Array(SAMPLE_SIZE);

/** What maps are placed by. */
export interface MapContext {
  lighting: readonly PlacedLight[];
  bounds: Bounds;
  camera: CameraView;
  /** Width over height of the picture. */
  aspect: number;
  options: ShadowOptions;
}

function viewsOf(light: FrameLight, context: MapContext): ShadowView[] {
  const { bounds, options } = context;
  const source = context.lighting[light.index];
  const own = source.shadow?.resolution;
  if (light.kind === LIGHT_SUN)
    return sunViews(bounds, light, own ?? options.resolution, context.camera, context.aspect, options);
  const resolution = own ?? options.localResolution;
  const reach = reachOf(light, bounds);
  if (light.kind === LIGHT_SPOT) return [spotView(light, source.outerConeRad, resolution, options.depthCodes, reach)];
  return cubeViews(light, resolution, options.depthCodes, reach);
}

/** Metres from a light to the farthest corner of the scene. */
function reachOf(light: FrameLight, { min, max }: Bounds): number {
  const far = (p: number, c: number): number => Math.max(Math.abs(p - min[c]), Math.abs(p - max[c]));
  return length([far(light.px, 0), far(light.py, 1), far(light.pz, 2)]);
}

/** Lays maps one after the other behind others. @returns the size of all */
function place(maps: readonly ShadowView[], before: MapSizes): MapSizes {
  let sizes = before;
  for (const map of new Set(maps)) {
    map.offset = sizes.texels;
    map.blockOffset = sizes.blocks;
    map.tileOffset = sizes.tiles;
    const { resolution } = map;
    const own = {
      texels: resolution ** 2,
      blocks: blocksAcross(resolution) ** 2,
      tiles: mapTilesAcross(resolution) ** 2,
    };
    sizes = together(sizes, own);
  }
  return sizes;
}

function together(a: MapSizes, b: MapSizes): MapSizes {
  return { texels: a.texels + b.texels, blocks: a.blocks + b.blocks, tiles: a.tiles + b.tiles };
}
