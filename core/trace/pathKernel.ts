/**
 * Path tracing by the compiled loops: what `tracePaths` does, with paths, lights and tables as flat records in the memory
 * of a thread. What the loops do not know (surroundings and portals, lenses, tables of glass) they ask for.
 */
import * as E from '@daxel/kernel/generated/layouts/emitterOrder';
import * as P from '@daxel/kernel/generated/layouts/path';
import * as L from '@daxel/kernel/generated/layouts/pathLight';
import * as O from '@daxel/kernel/generated/layouts/pathOrder';
import { SHADOW_BYTES } from '@daxel/kernel/generated/layouts/shadowRay';
import { bindKernel, kernelCalls, type KernelCalls, type KernelExports, type KernelUse } from '@daxel/kernel/load';
import { filterTable } from '../film/pixelFilter';
import type { FrameLight } from '../light/frameLight';
import { writeLightShape } from '../light/lightShape';
import { luminance } from '../math/color';
import { bindScenery, SCENERY_BYTES } from '../raster/scenery';
import type { PixelBox } from '../raster/tile';
import { lensSample } from '../scene/aperture';
import type { ShadedPlace } from '../shadows/shadowAt';
import {
  A_DENSITY,
  A_RADIANCE,
  ARRIVAL_SIZE,
  arriveFromSurroundings,
  hasExtent,
  surroundingsDensity,
  type Emitters,
} from './emitters';
import { glassBoost } from './glassEnergy';
import { pickTriangle } from './glowingTriangles';
import type { PathCamera } from './paths/cameraStarts';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_ORIGIN,
  START_SIZE,
  START_SKY,
  START_SPREAD,
  type PathStarts,
} from './paths/pathStarts';
import { PATH_SUMS } from './pathSums';
import { LISTED } from './rayKernel';
import type { PathInput } from './tracePaths';
import { traceShadow } from './traceShadow';

const { PATH_BYTES } = P;
/** Paths a tile side, and in flight at once. */
export const PATH_TILE = 32;
const N = PATH_TILE * PATH_TILE;
/** With more lights than this the plain twin traces. */
const MOST_LIGHTS = 1024;
const FILTER_NUMBERS = 257;
/** What counts scatterings holds no more. */
const MOST_COUNTED = 255;

/** Parts of a thread's memory, bytes from its start. */
const NUMBERS = SCENERY_BYTES;
const OF_EMITTERS = NUMBERS + O.PATH_ORDER_BYTES;
const ANSWER = OF_EMITTERS + E.EMITTER_ORDER_BYTES;
const FILTER = ANSWER + ARRIVAL_SIZE * 8;
const WEIGHTS = FILTER + FILTER_NUMBERS * 8;
const LIGHTS = WEIGHTS + (MOST_LIGHTS + 2) * 8;
const ACTIVE = LIGHTS + MOST_LIGHTS * L.L_BYTES;
const LIST = ACTIVE + N * 4;
const PATHS = LIST + LISTED * 4;
const SHADOWS = PATHS + N * PATH_BYTES;
const GLOW = SHADOWS + N * SHADOW_BYTES;

/** Bytes that each thread needs for itself. */
export function pathScratchBytes(materials: number): number {
  return Math.ceil((GLOW + materials * 8) / 64) * 64;
}

/** Can the loops trace paths to so many lights? */
export function canTracePaths(emitters: Emitters): boolean {
  return emitters.lights.length <= MOST_LIGHTS;
}

export class PathKernel {
  private readonly loops: KernelExports;
  /** Paths in flight, and the numbers of those that are. */
  private readonly records: Float64Array;
  private readonly active: Uint32Array;
  private readonly ray = new Float64Array(START_SIZE);

  /**
   * @param memory on which `input.shadows.kernel` is bound
   * @param scratch this thread's, `pathScratchBytes` long; it and all arrays of the input are views of the memory
   * @param use of which `input.shadows.kernel` is as well
   */
  constructor(
    memory: WebAssembly.Memory,
    scratch: Uint8Array,
    private readonly input: PathInput,
    use: KernelUse = 'frame',
  ) {
    this.loops = bindKernel(memory, use);
    bindScenery(memory, scratch, input.surface, use);
    const { buffer, byteOffset: at } = scratch;
    this.records = new Float64Array(buffer, at + PATHS, N * P.PATH_STRIDE);
    this.active = new Uint32Array(buffer, at + ACTIVE, N);
    const { bvh, emitters } = input;
    const numbersAt = (from: number, count: number): Float64Array => new Float64Array(buffer, at + from, count);
    if (input.camera) numbersAt(FILTER, FILTER_NUMBERS).set(filterTable(input.camera.filter));
    writePathOrder(numbersAt(NUMBERS, O.PATH_ORDER_STRIDE), input, at);
    this.loops.bindPaths(at + NUMBERS);
    if (emitters.glowing) numbersAt(GLOW, emitters.glowing.density.length).set(emitters.glowing.density);
    else numbersAt(GLOW, input.frontOnly.length).fill(0);
    const lights = numbersAt(LIGHTS, emitters.lights.length * L.L_STRIDE);
    emitters.lights.forEach((light, i) => writeLight(lights, i * L.L_STRIDE, light));
    writeEmitterOrder(numbersAt(OF_EMITTERS, E.EMITTER_ORDER_STRIDE), emitters, at);
    this.loops.bindEmitters(at + OF_EMITTERS);
    this.loops.bindShadowRays(bvh.bvhOrder.byteOffset, at + LIST, LISTED, at + ANSWER);
    this.answerCalls(kernelCalls(memory, use), numbersAt(ANSWER, ARRIVAL_SIZE));
  }

  /** See `tracePaths`. */
  trace({ x0, y0, x1, y1 }: PixelBox, sample: number): void {
    this.follow(this.loops.startPaths(x0, y0, x1, y1, sample, this.input.sampleBase + sample));
  }

  /** See `traceFrom`. */
  traceFrom(starts: PathStarts, from: number, to: number, sample: number): void {
    const { records, active, input, ray } = this;
    this.loops.beginSample(sample, input.sampleBase + sample);
    let n = 0;
    for (let item = from; item < to; item++) {
      if (!starts.start(item, sample, ray)) continue;
      if (sample === 0) input.paths.fill(0, item * PATH_SUMS, item * PATH_SUMS + PATH_SUMS);
      writePath(records, n * P.PATH_STRIDE, item, ray);
      active[n] = n;
      n++;
    }
    this.follow(n);
  }

  /** See the twin's. */
  lookThroughMiddle({ x0, y0, x1, y1 }: PixelBox): void {
    this.loops.lookThroughMiddle(x0, y0, x1, y1);
  }

  /** Waves until no path goes on. */
  private follow(started: number): void {
    const { loops } = this;
    const { now, spent } = this.input;
    for (let [wave, count] = [0, started]; count > 0; wave++) {
      const t0 = now();
      loops.intersectPaths(count);
      const t1 = now();
      spent[wave === 0 ? 0 : 2] += t1 - t0;
      count = loops.shadePaths(count);
      const t2 = now();
      spent[1] += t2 - t1;
      loops.occludePaths();
      spent[3] += now() - t2;
    }
    loops.bringHome(started);
  }

  /** @param answer where the loops look for what is more than one number */
  private answerCalls(calls: KernelCalls, answer: Float64Array): void {
    const { input, loops } = this;
    const { surroundings, glowing } = input.emitters;
    const color = new Float64Array(3);
    const pair = new Float64Array(2);
    calls.drawSky = (x, y, z, u, v) => arriveFromSurroundings(surroundings!, x, y, z, u, v, answer);
    calls.meetSky = (x, y, z, dx, dy, dz, asked) => {
      surroundings!.radiance(dx, dy, dz, color);
      for (let c = 0; c < 3; c++) answer[A_RADIANCE + c] = color[c];
      answer[A_DENSITY] = asked === 1 ? surroundingsDensity(surroundings!, x, y, z, dx, dy, dz) : 0;
    };
    calls.pickTriangle = (u) => pickTriangle(glowing!, u);
    calls.drawLens = (sample, seed) => {
      lensSample(input.camera!.aperture!, sample, seed, pair);
      loops.setLens(pair[0], pair[1]);
    };
    calls.solidBoost = (ior, entering, roughness, cosine) => glassBoost(true, ior, entering === 1, roughness, cosine);
    const plain = { ...input.shadows, kernel: null };
    const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };
    calls.passLong = (address) => {
      const [x, y, z, fx, fy, fz, lx, ly, lz, length] = new Float64Array(answer.buffer, address >>> 0, 10);
      Object.assign(place, { x, y, z, fx, fy, fz });
      traceShadow(plain, place, lx, ly, lz, length, color);
      answer.set(color);
    };
  }
}

/** @param at start of the thread's memory */
function writePathOrder(to: Float64Array, input: PathInput, at: number): void {
  const { limits, emitters, camera } = input;
  const { surroundings } = emitters;
  const counted = (n: number): number => Math.min(MOST_COUNTED, n);
  to[O.PATHS] = at + PATHS;
  to[O.SHADOWS] = at + SHADOWS;
  to[O.ACTIVE] = at + ACTIVE;
  to[O.SUMS] = input.paths.byteOffset;
  to[O.SEED] = input.seed >>> 0;
  to[O.MOST_SCATTERINGS] = counted(limits.total);
  to[O.MOST_MATTE] = counted(limits.matte);
  to[O.MOST_GLOSS] = counted(limits.gloss);
  to[O.MOST_THROUGH] = counted(limits.through);
  to[O.ROULETTE] = counted(limits.roulette);
  to[O.CLAMP] = limits.clamp;
  to[O.CAUSTICS] = limits.caustics ? 1 : 0;
  to[O.SKY] = surroundings ? 1 : 0;
  to[O.SKY_FOR_CAMERA] = surroundings?.camera ?? 0;
  to[O.SKY_FOR_MATTE] = surroundings?.light ?? 0;
  to[O.SKY_FOR_GLOSS] = surroundings?.reflection ?? 0;
  to[O.TAKES_PICTURE] = camera ? 1 : 0;
  if (camera) writeCamera(to, camera, at);
}

function writeCamera(to: Float64Array, camera: PathCamera, at: number): void {
  const { rays } = camera;
  to[O.DONE] = camera.done.byteOffset;
  to[O.DEPTH] = camera.depth.byteOffset;
  to[O.NORMAL] = camera.normal.byteOffset;
  to[O.OBJECT_ID] = camera.objectId.byteOffset;
  to[O.FILTER] = at + FILTER;
  to[O.WIDTH] = camera.width;
  to[O.SINGLE] = camera.samples === 1 ? 1 : 0;
  to[O.FILTER_RADIUS] = camera.filterRadius;
  to[O.PERSPECTIVE] = rays.perspective ? 1 : 0;
  to[O.FOCUS] = camera.aperture?.focus ?? 0;
  to.set([rays.origin, rays.forward, rays.base, rays.right, rays.down].flat(), O.RAYS);
}

/** A path that starts elsewhere than at the camera. @param o its first number */
function writePath(to: Float64Array, o: number, item: number, ray: Float64Array): void {
  to.fill(0, o, o + P.PATH_STRIDE);
  new Int32Array(to.buffer, to.byteOffset + (o + P.PIXEL) * 8, 1)[0] = item;
  for (let k = 0; k < 3; k++) {
    to[o + P.ORIGIN + k] = ray[START_ORIGIN + k];
    to[o + P.DIRECTION + k] = ray[START_DIRECTION + k];
    to[o + P.CARRIED + k] = 1;
    to[o + P.LAST + k] = ray[START_ORIGIN + k];
    to[o + P.SKY_USE + k] = ray[START_SKY];
  }
  const bytes = new Uint8Array(to.buffer, to.byteOffset + o * 8, P.PATH_BYTES);
  bytes[P.MATTE_COUNT_BYTE] = ray[START_MATTE];
  bytes[P.ENDING_BYTE] = ray[START_ENDS];
  to[o + P.DENSITY] = ray[START_DENSITY];
  to[o + P.FOOTPRINT] = ray[START_FOOTPRINT];
  to[o + P.SPREAD] = ray[START_SPREAD];
}

const WORLD = [0, 0, 0] as const;

function writeLight(to: Float64Array, at: number, l: FrameLight): void {
  to[at + L.L_KIND] = l.kind;
  to[at + L.L_CASTS] = l.castsShadow ? 1 : 0;
  to[at + L.L_ROUND] = l.round ? 1 : 0;
  to[at + L.L_FACING] = l.facing;
  writeLightShape(to, at + L.L_POINT, l, WORLD);
  to[at + L.L_SPOT_SCALE] = l.spotScale;
  to[at + L.L_SPOT_OFFSET] = l.spotOffset;
  to[at + L.L_STRENGTH] = luminance(Math.abs(l.r), Math.abs(l.g), Math.abs(l.b));
  to[at + L.L_EXTENT] = hasExtent(l) ? 1 : 0;
}

/** @param at start of the thread's memory */
function writeEmitterOrder(to: Float64Array, { lights, surroundings, glowing }: Emitters, at: number): void {
  to[E.LIGHTS] = at + LIGHTS;
  to[E.LIGHT_COUNT] = lights.length;
  to[E.WEIGHTS] = at + WEIGHTS;
  to[E.ANSWER] = at + ANSWER;
  to[E.SKY_LUX] = surroundings?.sampler
    ? (surroundings.sampler.total / 4) * Math.max(surroundings.light, surroundings.reflection)
    : 0;
  to[E.CANDELA] = glowing?.candela ?? 0;
  to.set(glowing?.centre ?? [0, 0, 0], E.CENTRE);
  to[E.EXTENT2] = glowing ? glowing.spread ** 2 : 0;
  to[E.GLOW_DENSITY] = at + GLOW;
}
