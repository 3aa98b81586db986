/**
 * Path tracing by the compiled loops: what `tracePaths` does, with paths, lights and tables as flat records in the memory
 * of a thread. What the loops do not know (surroundings and portals, lenses, tables of glass) they ask for.
 */
import { bindKernel, kernelCalls, type KernelExports } from '@daxel/kernel/load';
import { filterTable } from '../film/pixelFilter';
import type { FrameLight } from '../light/frameLight';
import { luminance } from '../math/color';
import { bindScenery, SCENERY_BYTES } from '../raster/shadeKernel';
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
import { LISTED } from './rayKernel';
import type { PathInput } from './tracePaths';
import { traceShadow } from './traceShadow';

/** Paths a tile side, and in flight at once. */
export const PATH_TILE = 32;
const N = PATH_TILE * PATH_TILE;
/** With more lights than this the plain twin traces. */
const MOST_LIGHTS = 1024;
/** Numbers of a light, bytes of a path and of a shadow ray: see kernel/assembly/pathRecord. */
const LIGHT_NUMBERS = 27;
const PATH_BYTES = 448;
const SHADOW_BYTES = 160;
/** Numbers that `bindPaths` and `bindEmitters` read. */
const PATH_NUMBERS = 41;
const EMITTER_NUMBERS = 11;
const FILTER_NUMBERS = 257;
/** What counts scatterings holds no more. */
const MOST_COUNTED = 255;

/** Parts of a thread's memory, bytes from its start. */
const NUMBERS = SCENERY_BYTES;
const OF_EMITTERS = NUMBERS + PATH_NUMBERS * 8;
const ANSWER = OF_EMITTERS + EMITTER_NUMBERS * 8;
const FILTER = ANSWER + ARRIVAL_SIZE * 8;
const WEIGHTS = FILTER + FILTER_NUMBERS * 8;
const LIGHTS = WEIGHTS + (MOST_LIGHTS + 2) * 8;
const ACTIVE = LIGHTS + MOST_LIGHTS * LIGHT_NUMBERS * 8;
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

  /**
   * @param memory on which `input.shadows.kernel` is bound
   * @param scratch this thread's, `pathScratchBytes` long; it and all arrays of the input are views of the memory
   */
  constructor(
    memory: WebAssembly.Memory,
    scratch: Uint8Array,
    private readonly input: PathInput,
  ) {
    this.loops = bindKernel(memory);
    bindScenery(memory, scratch, input.surface);
    const { byteOffset: at } = scratch;
    const { bvh, emitters } = input;
    const numbersAt = (from: number, count: number): Float64Array => new Float64Array(scratch.buffer, at + from, count);
    numbersAt(FILTER, FILTER_NUMBERS).set(filterTable(input.filter));
    numbersAt(NUMBERS, PATH_NUMBERS).set(pathNumbers(input, at));
    this.loops.bindPaths(at + NUMBERS);
    if (emitters.glowing) numbersAt(GLOW, emitters.glowing.density.length).set(emitters.glowing.density);
    else numbersAt(GLOW, input.frontOnly.length).fill(0);
    const lights = numbersAt(LIGHTS, emitters.lights.length * LIGHT_NUMBERS);
    emitters.lights.forEach((light, i) => lights.set(lightNumbers(light), i * LIGHT_NUMBERS));
    numbersAt(OF_EMITTERS, EMITTER_NUMBERS).set(emitterNumbers(emitters, at));
    this.loops.bindEmitters(at + OF_EMITTERS);
    this.loops.bindShadowRays(bvh.bvhOrder.byteOffset, at + LIST, LISTED, at + ANSWER);
    this.answerCalls(memory, numbersAt(ANSWER, ARRIVAL_SIZE));
  }

  /** See `tracePaths`. */
  trace(x0: number, y0: number, x1: number, y1: number, sample: number): void {
    const { loops } = this;
    const { now, spent, sampleBase } = this.input;
    const started = loops.startPaths(x0, y0, x1, y1, sample, sampleBase + sample);
    let count = started;
    for (let wave = 0; count > 0; wave++) {
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

  /** See the twin's. */
  lookThroughMiddle(x0: number, y0: number, x1: number, y1: number): void {
    this.loops.lookThroughMiddle(x0, y0, x1, y1);
  }

  /** @param answer where the loops look for what is more than one number */
  private answerCalls(memory: WebAssembly.Memory, answer: Float64Array): void {
    const { input, loops } = this;
    const { surroundings, glowing } = input.emitters;
    const calls = kernelCalls(memory);
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
      lensSample(input.aperture!, sample, seed, pair);
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
function pathNumbers(input: PathInput, at: number): number[] {
  const { rays, limits, emitters } = input;
  const { surroundings } = emitters;
  const counted = (n: number): number => Math.min(MOST_COUNTED, n);
  return [
    ...[at + PATHS, at + SHADOWS, at + ACTIVE],
    ...[input.paths, input.done, input.depth, input.normal, input.objectId].map((array) => array.byteOffset),
    ...[at + FILTER, input.width, input.seed >>> 0, input.samples === 1 ? 1 : 0, input.filterRadius],
    ...[rays.perspective ? 1 : 0, input.aperture?.focus ?? 0],
    ...[limits.total, limits.matte, limits.gloss, limits.through, limits.roulette].map(counted),
    ...[limits.clamp, limits.caustics ? 1 : 0],
    ...[surroundings ? 1 : 0, surroundings?.camera ?? 0, surroundings?.light ?? 0, surroundings?.reflection ?? 0],
    ...[rays.origin, rays.forward, rays.base, rays.right, rays.down].flat(),
  ];
}

function lightNumbers(l: FrameLight): number[] {
  return [
    ...[l.kind, l.castsShadow ? 1 : 0, l.round ? 1 : 0, l.facing, l.px, l.py, l.pz, l.dx, l.dy, l.dz],
    ...[l.r, l.g, l.b, l.range, l.radius, l.discTan, l.ux, l.uy, l.uz, l.vx, l.vy, l.vz],
    ...[l.area, l.spotScale, l.spotOffset, luminance(Math.abs(l.r), Math.abs(l.g), Math.abs(l.b))],
    hasExtent(l) ? 1 : 0,
  ];
}

function emitterNumbers({ lights, surroundings, glowing }: Emitters, at: number): number[] {
  const sky = surroundings?.sampler
    ? (surroundings.sampler.total / 4) * Math.max(surroundings.light, surroundings.reflection)
    : 0;
  return [
    ...[at + LIGHTS, lights.length, at + WEIGHTS, at + ANSWER, sky],
    ...(glowing ? [glowing.candela, ...glowing.centre, glowing.spread ** 2] : [0, 0, 0, 0, 0]),
    at + GLOW,
  ];
}
