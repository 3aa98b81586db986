/** Bakes one probe: where it stands, how far it sees, and how much light comes from where. */
import {
  PROBE_DEPTH,
  PROBE_LIGHT,
  PROBE_POSITION,
  PROBE_STATE,
  PROBE_STRIDE,
} from '@daxel/kernel/generated/layouts/probe';
import { componentAt, LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { squareToSphere } from '../../math/octahedron';
import { sobol2 } from '../../math/sobol';
import type { ShadedPlace } from '../../shadows/shadowAt';
import { PATH_SUMS } from '../../trace/pathSums';
import { START_ORIGIN, type PathStarts } from '../../trace/paths/pathStarts';
import { traceFrom, type Tracer } from '../../trace/tracePaths';
import { arrivalDirection, drawArrival, DRAWS_DIRECTION, takeArrival } from '../arrival';
import { writeLook, type LookWish } from '../lookAround';
import { probesIn, type ProbeBox } from './box';
import { fillBorder, MAP_SIDE, MAP_STRIDE, TEXEL_DIRECTIONS, texelAt } from './octMap';
import { writeDepth } from './sight';
import { standFree } from './stand';

/** Raised whenever the same key bakes to other bits: probes that were kept before are not used then. */
export const BAKE_VERSION = 1;
/** Numbers of a texel of light. */
export const LIGHT_TEXEL = 4;
/**
 * All probes draw the same random numbers, whatever is rendered: what is off is off alike in neighbours then, and changes as
 * slowly from place to place as the light itself, where numbers of their own would make blotches.
 */
const PROBE_SEED = 0x9807be;
const EVEN = 1 / (4 * Math.PI);

export interface Bake {
  tracer: Tracer;
  boxes: readonly ProbeBox[];
  /** PROBE_STRIDE numbers a probe. */
  probes: Float32Array;
  /** PATH_SUMS numbers a ray, for as many as are in flight at once. */
  sums: Float32Array;
  /** BROUGHT numbers a ray, for all rays of a probe. */
  brought: Float32Array;
  /** Of each probe. */
  rays: number;
  /** They only learn what glows, and the surroundings: nothing bounces. */
  ends: boolean;
}

/** What a path brings: near light rgb, far light rgb. */
export const BROUGHT = 6;
const FAR = new Set([componentAt('bounce'), componentAt('reflection')]);
/**
 * What fewer rays than this bring of all the light of a probe is cut: of what they meet, and of what that mirrors and scatters
 * on. Of few rays each may bring so many times their mean all the same. And how often that is worked out anew, since what is
 * cut was in it.
 */
const NEAR_RAYS = 2;
const FAR_RAYS = 16;
const LEAST_NEAR = 64;
const LEAST_FAR = 16;
const CLAMP_ROUNDS = 4;

const p = new Float64Array(3);
const pair = new Float64Array(2);
const way = new Float64Array(3);
const found = new Float64Array(3);
/** Irradiance by normal, rgb a texel, times the rays. */
const light = new Float64Array(MAP_SIDE * MAP_SIDE * 3);
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };

/** Depends on nothing but the scene and the probe's own number. */
export function bakeProbe(bake: Bake, number: number): void {
  const box = boxOf(bake.boxes, number);
  homeOf(box, number, p);
  const { shadows } = bake.tracer.input;
  const state = standFree(shadows, p, box.step);
  const probe = bake.probes.subarray(number * PROBE_STRIDE, (number + 1) * PROBE_STRIDE);
  // what fills up is written to files as well, and they are to be the same
  probe.fill(0);
  probe.set(p, PROBE_POSITION);
  probe[PROBE_STATE] = state;
  writeDepth(shadows, p, farOf(box), probe.subarray(PROBE_DEPTH));
  light.fill(0);
  gatherPaths(bake, PROBE_SEED);
  const map = probe.subarray(PROBE_LIGHT, PROBE_LIGHT + MAP_STRIDE * MAP_STRIDE * LIGHT_TEXEL);
  for (let i = 0; i < MAP_SIDE * MAP_SIDE; i++) {
    const at = texelAt(i % MAP_SIDE, Math.floor(i / MAP_SIDE)) * LIGHT_TEXEL;
    for (let c = 0; c < 3; c++) map[at + c] = light[i * 3 + c] / bake.rays;
  }
  fillBorder(map, LIGHT_TEXEL);
}

/** The box that a probe is of. */
function boxOf(boxes: readonly ProbeBox[], number: number): ProbeBox {
  return boxes.find((box) => number < box.first + probesIn(box))!;
}

/** Where the grid has a probe. */
function homeOf({ min, step, counts, first }: ProbeBox, number: number, out: Float64Array): void {
  const own = number - first;
  const at = [own % counts[0], Math.floor(own / counts[0]) % counts[1], Math.floor(own / (counts[0] * counts[1]))];
  for (let c = 0; c < 3; c++) out[c] = min[c] + (at[c] + 0.5) * step[c];
}

/** Places that ask a probe are no farther away than this: what is beyond cannot stand between. */
function farOf({ step }: ProbeBox): number {
  return 2 * Math.hypot(...step);
}

/** Adds all that reaches `p`. */
function gatherPaths({ tracer, sums, brought, rays, ends }: Bake, seed: number): void {
  const { input } = tracer;
  const atOnce = Math.floor(sums.length / PATH_SUMS);
  const sky = input.emitters.surroundings?.light ?? 0;
  for (let first = 0; first < rays; first += atOnce) {
    const items = Math.min(atOnce, rays - first);
    // the same items again, by other random numbers
    input.sampleBase = seed + first;
    sums.fill(0, 0, items * PATH_SUMS);
    traceFrom(tracer, startsFrom(first, seed, items, { sky, ends }), 0, items, 0);
    for (let i = 0; i < items; i++) readPath(sums, i * PATH_SUMS, brought, (first + i) * BROUGHT);
  }
  const most = mostOf(rays);
  const mean = meanOf(brought, rays, most);
  for (let i = 0; i < rays; i++) {
    const o = i * BROUGHT;
    const near = keptOf(brought, o, most[0] * mean);
    const far = keptOf(brought, o + 3, most[1] * mean);
    for (let c = 0; c < 3; c++) found[c] = brought[o + c] * near + brought[o + 3 + c] * far;
    directionOf(i, seed);
    addLight(way, 1 / EVEN);
  }
  [place.x, place.y, place.z] = p;
  for (let i = 0; i < rays; i++) {
    if (!drawArrival(input, place, seed, i)) continue;
    takeArrival(input, place, EVEN, found);
    addLight(arrivalDirection, 1);
  }
}

/** Light of a path by where it comes from: near is what the first surface glows with and is lit by, far what it mirrors and scatters on. */
function readPath(sums: Float32Array, from: number, to: Float32Array, at: number): void {
  to.fill(0, at, at + BROUGHT);
  for (let k = 0; k < LIGHT_NUMBERS; k++) to[at + (FAR.has(k - (k % 3)) ? 3 : 0) + (k % 3)] += sums[from + k];
}

/**
 * Mean luminance of all paths, of each as much as is kept. Lone rays that meet a highlight, or light off a mirror, would
 * outweigh all others, and no number of neighbours makes up for them. What they bring is held against the mean and not
 * against exposure, so that baked light is right for any; a patch of sun that two rays meet is kept whole, however small it
 * is: in a dark shaft it is all the light there is.
 */
function meanOf(brought: Float32Array, rays: number, [mostNear, mostFar]: readonly [number, number]): number {
  let mean = Infinity;
  for (let round = 0; round < CLAMP_ROUNDS; round++) {
    let sum = 0;
    for (let o = 0; o < rays * BROUGHT; o += 3) {
      const most = (o % BROUGHT === 0 ? mostNear : mostFar) * mean;
      sum += Math.min(most, luminance(brought[o], brought[o + 1], brought[o + 2]));
    }
    mean = sum / rays;
  }
  return mean;
}

/** Most that a ray of so many may bring of what it meets, and of what comes there from elsewhere, times the mean of all. */
function mostOf(rays: number): [number, number] {
  return [Math.max(LEAST_NEAR, rays / NEAR_RAYS), Math.max(LEAST_FAR, rays / FAR_RAYS)];
}

/** Share that is kept of a part of a path. @param most luminance */
function keptOf(brought: Float32Array, o: number, most: number): number {
  const size = luminance(brought[o], brought[o + 1], brought[o + 2]);
  return size > most ? most / size : 1;
}

/** Adds what is in `found`, from a direction, by the cosine to each normal. */
function addLight(from: ArrayLike<number>, weight: number): void {
  const [r, g, b] = [found[0] * weight, found[1] * weight, found[2] * weight];
  for (let i = 0; i < light.length; i += 3) {
    const d = TEXEL_DIRECTIONS;
    const cosine = d[i] * from[0] + d[i + 1] * from[1] + d[i + 2] * from[2];
    if (!(cosine > 0)) continue;
    light[i] += r * cosine;
    light[i + 1] += g * cosine;
    light[i + 2] += b * cosine;
  }
}

/** Of a ray of a probe, into `way`. */
function directionOf(ray: number, seed: number): void {
  sobol2(ray, seed + DRAWS_DIRECTION, pair);
  squareToSphere(pair[0], pair[1], way);
}

function startsFrom(first: number, seed: number, items: number, wish: LookWish): PathStarts {
  return {
    count: items,
    start(item, _sample, ray) {
      directionOf(first + item, seed);
      for (let c = 0; c < 3; c++) ray[START_ORIGIN + c] = p[c];
      writeLook(ray, way, EVEN, wish);
      return true;
    },
  };
}
