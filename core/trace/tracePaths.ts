/**
 * Path tracing of a tile, one sample a pixel at a time, in waves over flat arrays: all rays of a wave are traced, then all
 * hits shaded, then all shadow rays traced, so that each of the three loops runs over one kind of work
 * (Laine et al. 2013, Megakernels Considered Harmful: Wavefront Path Tracing on GPUs).
 */
import { LIGHT_NUMBERS } from '../light/components';
import { luminance } from '../math/color';
import { exp } from '../math/exact';
import { hashCombine } from '../math/random';
import { sobol2 } from '../math/sobol';
import { samplePosition, type FilterName } from '../film/pixelFilter';
import { passesCutout } from '../raster/cutout';
import {
  materialAt,
  S_ALPHA,
  S_DIFFUSE,
  S_EMISSION,
  S_FACE,
  S_MIRRORED,
  S_NORMAL,
  S_OPACITY,
  S_POSITION,
  S_ROUGHNESS,
  S_TRANSMISSION,
  S_VIEW,
  SURFACE_SIZE,
  type SurfaceInput,
} from '../raster/surface';
import { lensSample, type Aperture } from '../scene/aperture';
import type { RayFrame } from '../scene/camera';
import {
  ALPHA_BLEND,
  ALPHA_MASK,
  M_ABSORPTION,
  M_ALPHA_MODE,
  M_IOR,
  M_THICKNESS,
  MATERIAL_STRIDE,
} from '../scene/materialTable';
import type { ShadedPlace } from '../shadows/shadowAt';
import { seesFront, type BvhArrays } from './bvhLayout';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  ARRIVAL_SIZE,
  arriveFromLight,
  arriveFromSurroundings,
  chooseEmitter,
  meetLight,
  surroundingsDensity,
  weighEmitters,
  type Emitters,
} from './emitters';
import { glassBoost } from './glassEnergy';
import { glowsBothWays, pickTriangle } from './glowingTriangles';
import {
  BLOCK,
  P_CLAMPED,
  P_COLOR,
  P_COUNT,
  P_COVERED,
  P_LIGHT,
  P_LIT,
  P_NORMAL,
  P_SQUARE,
  PATH_SUMS,
} from './pathSums';
import {
  evaluateScatter,
  R_ASKED,
  R_DENSITY,
  R_DIRECTION,
  R_GLOSS,
  R_MATTE,
  sampleScatter,
  SCATTER_SIZE,
  STRAIGHT_ALPHA,
  WENT_NOWHERE,
  WENT_REFLECTED,
  WENT_STRAIGHT,
  type Glass,
} from './scatter';
import { PATH_TILE, type PathKernel } from './pathKernel';
import { hit, traceRay } from './traceRay';
import { stepOff, traceShadow, type ShadowRays } from './traceShadow';

export interface PathLimits {
  /** Surfaces after the first that a path may scatter on, in all and of a kind. */
  total: number;
  matte: number;
  gloss: number;
  /** Faces of glass a path may cross. */
  through: number;
  /** Surfaces before a path may be ended by chance. */
  roulette: number;
  /** Largest luminance of one indirect contribution, nit; Infinity to take all. */
  clamp: number;
  /** Light mirrored or bent onto matte surfaces is followed exactly; otherwise it crosses glass straight, off blunt mirrors. */
  caustics: boolean;
}

export interface PathInput {
  surface: SurfaceInput;
  bvh: BvhArrays;
  /** Of shadow rays: `casts` says what lets light straight through. */
  shadows: ShadowRays;
  /** 1 per material whose back is not seen by the camera. */
  frontOnly: Uint8Array;
  emitters: Emitters;
  rays: RayFrame;
  /** Rays start all over it; null for a pinhole. */
  aperture: Aperture | null;
  limits: PathLimits;
  width: number;
  height: number;
  /** For sample positions inside the pixel. */
  samples: number;
  /** Added to the number of a sample wherever random numbers are drawn. */
  sampleBase: number;
  filter: FilterName;
  filterRadius: number;
  seed: number;
  paths: Float32Array;
  /** 1 per block that takes no more samples. */
  done: Uint8Array;
  /** Written by the first sample, or by `lookThroughMiddle` where there is an aperture. */
  depth: Float32Array;
  normal: Float32Array;
  objectId: Uint32Array;
  now: () => number;
  /** Seconds spent: camera rays, shading, bounce rays, shadow rays. */
  spent: Float64Array;
}

const N = PATH_TILE * PATH_TILE;
/** Radiance a path carries home: the twelve of the layers, light, lit, clamped. */
const HOME = 15;
const H_LIGHT = 12;
const H_LIT = 13;
const H_CLAMPED = 14;

/** Paths in flight, one record a slot; rgb and xyz arrays hold three numbers a slot. */
const pixel = new Int32Array(N);
const origin = new Float64Array(N * 3);
const direction = new Float64Array(N * 3);
const carried = new Float64Array(N * 3);
const home = new Float64Array(N * HOME);
/** Where the last scattering was, and with what density its direction was drawn; 0: no emitter was asked there. */
const last = new Float64Array(N * 3);
const density = new Float64Array(N);
/** Share of the first scattering that was matte, per colour. */
const split = new Float64Array(N * 3);
/** Factor on the surroundings by what the last scattering was. */
const useOfSky = new Float64Array(N * 3);
/** Absorption of the glass the ray is in, per metre. */
const inside = new Float64Array(N * 3);
const footprint = new Float64Array(N);
const spread = new Float64Array(N);
/** Scatterings so far: all, matte, glossy; faces of glass crossed. */
const scattered = new Uint8Array(N);
const matteCount = new Uint8Array(N);
const glossCount = new Uint8Array(N);
const throughCount = new Uint8Array(N);
/** Panes lie between the last scattering and the ray's origin. */
const crossed = new Uint8Array(N);
/** Light beyond the last glass was gathered through it in a straight line already. */
const gathered = new Uint8Array(N);
/** The path may scatter no more: it only learns what light it meets. */
const ending = new Uint8Array(N);
const hitTriangle = new Int32Array(N);
const hitPlace = new Int32Array(N);
const hitU = new Float64Array(N);
const hitV = new Float64Array(N);
const hitDistance = new Float64Array(N);
/** Shadow rays of a wave: place, direction, length, and what they bring home: direct, matte, gloss rgb, weight. */
const SHADOW = 21;
const shadow = new Float64Array(N * SHADOW);
const shadowSlot = new Int32Array(N);
const active = new Int32Array(N);

const surface = new Float64Array(SURFACE_SIZE);
const arrival = new Float64Array(ARRIVAL_SIZE);
const scatter = new Float64Array(SCATTER_SIZE);
const pair = new Float64Array(2);
const lit = new Float64Array(3);
const slopes = new Float64Array(4);
const sky = new Float64Array(3);
const corner = new Float64Array(3);
const glass: Glass = { solid: false, ior: 1.5, entering: true, straight: false, boost: 1 };
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };

/** GGX width that mirrors have at least for light on its way to a matte surface (Kaplanyan & Dachsbacher 2013). */
const BLUNT = 0.25;

/** Random number pairs a surface takes. */
const PAIRS = 4;
const [PICKS, LIGHT, SCATTERING, ENDING] = [0, 1, 2, 3];

/**
 * Adds sample number `sample` to every pixel of the tile that still takes samples.
 * @param compiled loops that know the same input, or null for the plain ones
 * @param x0, y0, x1, y1 pixels of the tile, at most PATH_TILE a side
 */
export function tracePaths(
  input: PathInput,
  compiled: PathKernel | null,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  sample: number,
): void {
  if (compiled) return compiled.trace(x0, y0, x1, y1, sample);
  const { now, spent } = input;
  let count = start(input, x0, y0, x1, y1, sample);
  const paths = count;
  for (let wave = 0; count > 0; wave++) {
    const t0 = now();
    intersect(input, count);
    const t1 = now();
    spent[wave === 0 ? 0 : 2] += t1 - t0;
    const [shadows, next] = shade(input, count, sample);
    const t2 = now();
    spent[1] += t2 - t1;
    occlude(input, shadows);
    spent[3] += now() - t2;
    count = next;
  }
  for (let i = 0; i < paths; i++) bringHome(input.paths, i);
}

/** Depth, normals and objects of a tile as seen through the middles of the lens and of the pixels. */
export function lookThroughMiddle(
  input: PathInput,
  compiled: PathKernel | null,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
): void {
  if (compiled) return compiled.lookThroughMiddle(x0, y0, x1, y1);
  const count = start({ ...input, aperture: null, samples: 1 }, x0, y0, x1, y1, 0);
  intersect(input, count);
  for (let i = 0; i < count; i++) {
    if (hitTriangle[i] < 0) continue;
    surfaceAtHit(input, i);
    writeGeometry(input, i);
  }
}

/** Camera rays into slots 0 … count − 1. */
function start(input: PathInput, x0: number, y0: number, x1: number, y1: number, sample: number): number {
  const { rays, aperture, width, done, seed, paths } = input;
  const across = Math.ceil(width / BLOCK);
  const step = Math.sqrt(rays.right[0] ** 2 + rays.right[1] ** 2 + rays.right[2] ** 2);
  let n = 0;
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      if (done[((y / BLOCK) | 0) * across + ((x / BLOCK) | 0)] === 1) continue;
      const at = y * width + x;
      const i = n++;
      pixel[i] = at;
      active[i] = i;
      samplePosition(
        input.sampleBase + sample,
        input.samples,
        input.filter,
        input.filterRadius,
        hashCombine(seed, at),
        pair,
      );
      const px = x + pair[0];
      const py = y + pair[1];
      const o = i * 3;
      for (let k = 0; k < 3; k++) {
        const across3 = rays.base[k] + px * rays.right[k] + py * rays.down[k];
        origin[o + k] = rays.perspective ? rays.origin[k] : across3;
        direction[o + k] = rays.perspective ? across3 : rays.forward[k];
        carried[o + k] = 1;
        inside[o + k] = 0;
        useOfSky[o + k] = input.emitters.surroundings?.camera ?? 0;
        split[o + k] = 0;
      }
      if (aperture) {
        lensSample(aperture, input.sampleBase + sample, hashCombine(seed, at), pair);
        // one pixel's step to the right and down, turned into metres on the lens
        for (let k = 0; k < 3; k++) {
          const aside = (rays.right[k] * pair[0] - rays.down[k] * pair[1]) / step;
          origin[o + k] += aside;
          direction[o + k] -= aside / aperture.focus;
        }
      }
      const l = Math.sqrt(direction[o] ** 2 + direction[o + 1] ** 2 + direction[o + 2] ** 2);
      for (let k = 0; k < 3; k++) direction[o + k] /= l;
      footprint[i] = rays.perspective ? 0 : step;
      spread[i] = rays.perspective ? step / l : 0;
      density[i] = 0;
      scattered[i] = matteCount[i] = glossCount[i] = throughCount[i] = crossed[i] = gathered[i] = ending[i] = 0;
      home.fill(0, i * HOME, i * HOME + HOME);
      seenColor.fill(0, i * 6, i * 6 + 6);
      if (sample === 0) paths.fill(0, at * PATH_SUMS, at * PATH_SUMS + PATH_SUMS);
      if (sample === 0 && !aperture) {
        input.depth[at] = 0;
        input.objectId[at] = 0;
        input.normal.fill(0, at * 3, at * 3 + 3);
      }
    }
  }
  return n;
}

let tracing: PathInput;
let seenByCamera = false;
let rayX = 0;
let rayY = 0;
let rayZ = 0;

function intersect(input: PathInput, count: number): void {
  tracing = input;
  for (let a = 0; a < count; a++) {
    const i = active[a];
    const o = i * 3;
    seenByCamera = scattered[i] === 0;
    rayX = direction[o];
    rayY = direction[o + 1];
    rayZ = direction[o + 2];
    hit.triangle = -1;
    traceRay(input.bvh, origin[o], origin[o + 1], origin[o + 2], rayX, rayY, rayZ, Infinity, nearest);
    const met = hit.triangle >= 0;
    hitTriangle[i] = met ? input.bvh.bvhOrder[hit.place] : -1;
    hitPlace[i] = hit.place;
    hitU[i] = hit.u;
    hitV[i] = hit.v;
    hitDistance[i] = met ? hit.distance : Infinity;
  }
}

function nearest(at: number, u: number, v: number, distance: number, limit: number): number {
  const { scene } = tracing.surface;
  const t = tracing.bvh.bvhOrder[at];
  const material = scene.triangleMaterial[t];
  if (scene.materials[material * MATERIAL_STRIDE + M_ALPHA_MODE] === ALPHA_MASK) {
    if (!passesCutout(scene, t, 1 - u - v, u, v, 0)) return limit;
  }
  if (seenByCamera && tracing.frontOnly[material] === 1) {
    if (!seesFront(tracing.bvh, at, rayX, rayY, rayZ)) return limit;
  }
  hit.triangle = t;
  hit.place = at;
  hit.u = u;
  hit.v = v;
  hit.distance = distance;
  return distance;
}

/** @returns numbers of shadow rays and of paths that go on */
function shade(input: PathInput, count: number, sample: number): [number, number] {
  let shadows = 0;
  let next = 0;
  for (let a = 0; a < count; a++) {
    const i = active[a];
    const o = i * 3;
    if (inside[o] + inside[o + 1] + inside[o + 2] > 0 && hitDistance[i] !== Infinity)
      for (let c = 0; c < 3; c++) carried[o + c] *= exp(-inside[o + c] * hitDistance[i]);
    meetExtended(input, i);
    if (hitTriangle[i] < 0) {
      meetSky(input, i);
      continue;
    }
    surfaceAtHit(input, i);
    meetGlow(input, i);
    const t = hitTriangle[i];
    const m = input.surface.scene.triangleMaterial[t] * MATERIAL_STRIDE;
    const { materials } = input.surface.scene;
    const seed = hashCombine(hashCombine(input.seed, pixel[i]), (scattered[i] + throughCount[i] * 64 + 1) * PAIRS);
    if (scattered[i] === 0 && throughCount[i] === 0) firstSeen(input, i, sample);
    const drawn = input.sampleBase + sample;
    sobol2(drawn, seed + PICKS, pair);
    const chooseLight = pair[0];
    let choose = pair[1];
    if (materials[m + M_ALPHA_MODE] === ALPHA_BLEND) {
      const opacity = Math.min(1, Math.max(0, surface[S_OPACITY]));
      if (choose >= opacity) {
        if (!passes(input, i)) continue;
        goOn(i, direction[o], direction[o + 1], direction[o + 2], -1);
        active[next++] = i;
        continue;
      }
      choose /= opacity;
    }
    if (ending[i] === 1) continue;
    glass.solid = surface[S_TRANSMISSION] > 0 && materials[m + M_THICKNESS] > 0;
    glass.ior = materials[m + M_IOR];
    glass.entering = seesFront(input.bvh, hitPlace[i], direction[o], direction[o + 1], direction[o + 2]);
    if (surface[S_TRANSMISSION] > 0)
      glass.boost = glassBoost(glass.solid, glass.ior, glass.entering, surface[S_ROUGHNESS], facing());
    glass.straight = !glass.solid && surface[S_ALPHA] <= STRAIGHT_ALPHA;
    // a smooth mirror seen by a matte surface would find small lamps once in thousands of paths, as lone bright dots
    if (!input.limits.caustics && matteCount[i] > 0 && surface[S_ALPHA] < BLUNT) surface[S_ALPHA] = BLUNT;
    const enclosed = glass.solid && !glass.entering;
    if (scattered[i] === 0) writeColor(i);
    if (!enclosed) {
      sobol2(drawn, seed + LIGHT, pair);
      if (askEmitter(input, i, chooseLight, pair[0], pair[1], shadows)) shadows++;
    }
    sobol2(drawn, seed + SCATTERING, pair);
    const went = sampleScatter(surface, glass, choose, pair[0], pair[1], scatter);
    if (went === WENT_NOWHERE) continue;
    if (went === WENT_REFLECTED) {
      if (!scatterOn(input, i, enclosed)) continue;
    } else {
      if (!passes(input, i)) continue;
      for (let c = 0; c < 3; c++) carried[o + c] *= scatter[R_GLOSS + c];
      if (went !== WENT_STRAIGHT) {
        density[i] = 0;
        gathered[i] = scattered[i] > 0 && !input.limits.caustics ? 1 : 0;
      }
      if (glass.solid) for (let c = 0; c < 3; c++) inside[o + c] = glass.entering ? materials[m + M_ABSORPTION + c] : 0;
      goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], -1);
    }
    if (scattered[i] + throughCount[i] > input.limits.roulette && ending[i] === 0) {
      sobol2(drawn, seed + ENDING, pair);
      const stay = Math.min(0.95, Math.max(carried[o], carried[o + 1], carried[o + 2]));
      if (pair[0] >= stay) continue;
      for (let c = 0; c < 3; c++) carried[o + c] /= stay;
    }
    active[next++] = i;
  }
  return [shadows, next];
}

/** Cosine between the surface's normal and the view. */
function facing(): number {
  return (
    surface[S_NORMAL] * surface[S_VIEW] +
    surface[S_NORMAL + 1] * surface[S_VIEW + 1] +
    surface[S_NORMAL + 2] * surface[S_VIEW + 2]
  );
}

/** Counts a face of glass. @returns false when the path has crossed enough of them */
function passes(input: PathInput, i: number): boolean {
  crossed[i] = 1;
  return ++throughCount[i] <= input.limits.through;
}

/** Goes on as mirrored or matte. @returns false when nothing is carried any more */
function scatterOn(input: PathInput, i: number, enclosed: boolean): boolean {
  const o = i * 3;
  const { surroundings } = input.emitters;
  const [toMatte, toGloss] = surroundings ? [surroundings.light, surroundings.reflection] : [0, 0];
  const first = scattered[i] === 0 && !enclosed;
  let matte = 0;
  let gloss = 0;
  for (let c = 0; c < 3; c++) {
    const m = scatter[R_MATTE + c];
    const g = scatter[R_GLOSS + c];
    matte += m;
    gloss += g;
    const share = m + g > 0 ? m / (m + g) : 0;
    carried[o + c] *= (m + g) / scatter[R_DENSITY];
    if (enclosed) continue;
    useOfSky[o + c] = toGloss + (toMatte - toGloss) * share;
    if (first) split[o + c] = share;
  }
  if (!(carried[o] + carried[o + 1] + carried[o + 2] > 0)) return false;
  if (enclosed) {
    // inside glass no emitter was asked: whatever the path meets counts whole
    density[i] = 0;
    goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], 1);
    return passes(input, i);
  }
  const { limits } = input;
  const mostlyMatte = matte > gloss;
  if (mostlyMatte) matteCount[i]++;
  else glossCount[i]++;
  scattered[i]++;
  if (scattered[i] > limits.total || matteCount[i] > limits.matte || glossCount[i] > limits.gloss) ending[i] = 1;
  density[i] = scatter[R_ASKED] === 1 ? scatter[R_DENSITY] : 0;
  crossed[i] = gathered[i] = 0;
  for (let k = 0; k < 3; k++) last[o + k] = surface[S_POSITION + k];
  // how fast the ray's footprint grows: by the width of the lobe it was drawn from
  spread[i] = Math.min(1, spread[i] + Math.sqrt(1 / (scatter[R_DENSITY] + 1e-9)) * 0.1);
  goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], 1);
  return true;
}

/** Sets the path on its way from the surface. @param side 1 on the side of the viewer, −1 on the other */
function goOn(i: number, x: number, y: number, z: number, side: number): void {
  const o = i * 3;
  const off = stepOff(surface[S_POSITION], surface[S_POSITION + 1], surface[S_POSITION + 2]) * side;
  for (let k = 0; k < 3; k++) origin[o + k] = surface[S_POSITION + k] + surface[S_FACE + k] * off;
  direction[o] = x;
  direction[o + 1] = y;
  direction[o + 2] = z;
  footprint[i] += spread[i] * hitDistance[i];
}

/** Next-event estimation: prepares the shadow ray to a point drawn on an emitter. @returns false when there is none */
function askEmitter(input: PathInput, i: number, choose: number, u: number, v: number, slot: number): boolean {
  const { emitters } = input;
  const x = surface[S_POSITION];
  const y = surface[S_POSITION + 1];
  const z = surface[S_POSITION + 2];
  if (!weighEmitters(emitters, x, y, z)) return false;
  const chosen = chooseEmitter(emitters, choose);
  const chance = emitters.weights[chosen];
  const lights = emitters.lights.length;
  let shell = 0;
  let casts = true;
  if (chosen < lights) {
    const light = emitters.lights[chosen];
    if (!arriveFromLight(light, x, y, z, u, v, arrival)) return false;
    // the shell of a lamp does not shadow its own light
    shell = Math.max(0.005, light.radius * 0.2);
    casts = light.castsShadow;
  } else if (chosen === lights) arriveFromSurroundings(emitters.surroundings!, x, y, z, u, v, arrival);
  else if (!arriveFromGlow(input, choose, u, v)) return false;
  if (!evaluateScatter(surface, glass, arrival[0], arrival[1], arrival[2], scatter)) return false;
  const own = arrival[A_DENSITY] * chance;
  // lights without extent are met by no ray: all weight is here
  const weight = own === 0 ? 1 / chance : own / (own * own + scatter[R_DENSITY] * scatter[R_DENSITY]);
  const s = slot * SHADOW;
  const o = i * 3;
  shadowSlot[slot] = i;
  shadow[s] = x;
  shadow[s + 1] = y;
  shadow[s + 2] = z;
  for (let k = 0; k < 3; k++) shadow[s + 3 + k] = surface[S_FACE + k];
  for (let k = 0; k < 3; k++) shadow[s + 6 + k] = arrival[k];
  const distance = arrival[A_DISTANCE];
  shadow[s + 9] = chosen > lights ? distance * 0.9999 : distance - shell;
  if (!casts) shadow[s + 9] = 0;
  const sky = chosen === lights ? emitters.surroundings! : null;
  let all = 0;
  for (let c = 0; c < 3; c++) {
    const k = carried[o + c] * arrival[A_RADIANCE + c] * weight;
    const matte = scatter[R_MATTE + c] * k * (sky ? sky.light : 1);
    const gloss = scatter[R_GLOSS + c] * k * (sky ? sky.reflection : 1);
    shadow[s + 10 + c] = matte;
    shadow[s + 13 + c] = gloss;
    all += Math.abs(matte) + Math.abs(gloss);
  }
  shadow[s + 16] = chosen < lights && scattered[i] === 0 ? 1 : 0;
  shadow[s + 17] = scattered[i];
  for (let c = 0; c < 3; c++) shadow[s + 18 + c] = split[o + c];
  return all > 0;
}

/** Draws a point of a glowing triangle. The choice of emitter leaves no even number over, so the triangle has its own. */
function arriveFromGlow(input: PathInput, choose: number, u: number, v: number): boolean {
  const { scene, posed } = input.surface;
  const g = input.emitters.glowing!;
  const w = input.emitters.weights;
  const t = pickTriangle(g, Math.min(0.9999999, Math.max(0, 1 - (1 - choose) / w[w.length - 1])));
  const root = Math.sqrt(u);
  const b1 = root * (1 - v);
  const b2 = root * v;
  const b0 = 1 - root;
  const P = posed.positions;
  const i0 = scene.triangles[t * 3] * 3;
  const i1 = scene.triangles[t * 3 + 1] * 3;
  const i2 = scene.triangles[t * 3 + 2] * 3;
  for (let k = 0; k < 3; k++) corner[k] = P[i0 + k] * b0 + P[i1 + k] * b1 + P[i2 + k] * b2 - surface[S_POSITION + k];
  const d2 = corner[0] ** 2 + corner[1] ** 2 + corner[2] ** 2;
  if (d2 === 0) return false;
  const d = Math.sqrt(d2);
  for (let k = 0; k < 3; k++) arrival[k] = corner[k] / d;
  const c = faceCosine(P, i0, i1, i2, arrival);
  if (c === 0 || (c > 0 && !glowsBothWays(scene, scene.triangleMaterial[t]))) return false;
  arrival[A_DISTANCE] = d;
  arrival[A_DENSITY] = (g.density[scene.triangleMaterial[t]] * d2) / Math.abs(c);
  glow.set(surface);
  glowAt(input, t, b1, b2, c < 0 ? 1 : -1, arrival);
  return true;
}

/** A surface record for what glows, so that the one being shaded stays. */
const glow = new Float64Array(SURFACE_SIZE);

function glowAt(input: PathInput, t: number, b1: number, b2: number, side: number, toward: Float64Array): void {
  for (let k = 0; k < 3; k++) glow[S_VIEW + k] = -toward[k];
  slopes.fill(0);
  materialAt(input.surface, t, side, false, b1, b2, slopes, glow);
  for (let c = 0; c < 3; c++) arrival[A_RADIANCE + c] = glow[S_EMISSION + c];
}

/** Cosine between a direction and the front of a triangle. */
function faceCosine(P: Float32Array, i0: number, i1: number, i2: number, d: Float64Array): number {
  const ux = P[i1] - P[i0];
  const uy = P[i1 + 1] - P[i0 + 1];
  const uz = P[i1 + 2] - P[i0 + 2];
  const vx = P[i2] - P[i0];
  const vy = P[i2 + 1] - P[i0 + 1];
  const vz = P[i2 + 2] - P[i0 + 2];
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  const l = Math.sqrt(x * x + y * y + z * z);
  return l > 0 ? (d[0] * x + d[1] * y + d[2] * z) / l : 0;
}

function occlude(input: PathInput, count: number): void {
  for (let k = 0; k < count; k++) {
    const s = k * SHADOW;
    const i = shadowSlot[k];
    place.x = shadow[s];
    place.y = shadow[s + 1];
    place.z = shadow[s + 2];
    place.fx = shadow[s + 3];
    place.fy = shadow[s + 4];
    place.fz = shadow[s + 5];
    lit[0] = lit[1] = lit[2] = 1;
    const length = shadow[s + 9];
    if (length > 0) traceShadow(input.shadows, place, shadow[s + 6], shadow[s + 7], shadow[s + 8], length, lit);
    const depth = shadow[s + 17];
    const o = i * HOME;
    if (shadow[s + 16] === 1) {
      for (let c = 0; c < 3; c++) {
        const all = shadow[s + 10 + c] + shadow[s + 13 + c];
        home[o + c] += all * lit[c];
        home[o + H_LIGHT] += Math.abs(all);
        home[o + H_LIT] += Math.abs(all) * lit[c];
      }
      continue;
    }
    const keep = depth > 0 ? kept(input, i, s, lit) : 1;
    for (let c = 0; c < 3; c++) {
      const matte = shadow[s + 10 + c] * lit[c] * keep;
      const gloss = shadow[s + 13 + c] * lit[c] * keep;
      if (depth === 0) {
        home[o + 3 + c] += matte;
        home[o + 6 + c] += gloss;
      } else {
        const share = shadow[s + 18 + c];
        home[o + 3 + c] += (matte + gloss) * share;
        home[o + 6 + c] += (matte + gloss) * (1 - share);
      }
    }
  }
}

/** Share of an indirect shadow ray's light that the firefly clamp leaves. */
function kept(input: PathInput, i: number, s: number, open: Float64Array): number {
  const l = luminance(
    (shadow[s + 10] + shadow[s + 13]) * open[0],
    (shadow[s + 11] + shadow[s + 14]) * open[1],
    (shadow[s + 12] + shadow[s + 15]) * open[2],
  );
  return clamped(input, i, l);
}

function clamped(input: PathInput, i: number, l: number): number {
  const { clamp } = input.limits;
  const size = Math.abs(l);
  if (size <= clamp) return 1;
  home[i * HOME + H_CLAMPED] += size - clamp;
  return clamp / size;
}

/** Lamps that the ray crosses: they are not drawn, but mirrors and matte surfaces receive their light. */
function meetExtended(input: PathInput, i: number): void {
  const { emitters } = input;
  if (scattered[i] === 0 || gathered[i] === 1 || emitters.extended.length === 0) return;
  const o = i * 3;
  for (const index of emitters.extended) {
    const light = emitters.lights[index];
    const ox = origin[o];
    const oy = origin[o + 1];
    const oz = origin[o + 2];
    const limit = light.castsShadow ? hitDistance[i] : Infinity;
    if (!meetLight(light, ox, oy, oz, direction[o], direction[o + 1], direction[o + 2], limit, arrival)) continue;
    // a density belongs to the place that asked, which panes may have left behind
    if (crossed[i] === 1 && density[i] > 0) {
      const x = last[o];
      const y = last[o + 1];
      const z = last[o + 2];
      meetLight(light, x, y, z, direction[o], direction[o + 1], direction[o + 2], Infinity, arrival);
    }
    receive(input, i, arrival[A_DENSITY], index, arrival[A_RADIANCE], arrival[A_RADIANCE + 1], arrival[A_RADIANCE + 2]);
  }
}

function meetSky(input: PathInput, i: number): void {
  const { surroundings, lights } = input.emitters;
  if (!surroundings || gathered[i] === 1) return;
  const o = i * 3;
  const dx = direction[o];
  const dy = direction[o + 1];
  const dz = direction[o + 2];
  surroundings.radiance(dx, dy, dz, sky);
  const drawn = density[i] > 0 ? surroundingsDensity(surroundings, last[o], last[o + 1], last[o + 2], dx, dy, dz) : 0;
  const k = useOfSky;
  receive(input, i, drawn, lights.length, sky[0] * k[o], sky[1] * k[o + 1], sky[2] * k[o + 2]);
}

/** Light of the surface itself. */
function meetGlow(input: PathInput, i: number): void {
  const r = surface[S_EMISSION];
  const g = surface[S_EMISSION + 1];
  const b = surface[S_EMISSION + 2];
  if (r + g + b === 0 || gathered[i] === 1) return;
  const t = hitTriangle[i];
  const o = i * 3;
  const { scene } = input.surface;
  const front = seesFront(input.bvh, hitPlace[i], direction[o], direction[o + 1], direction[o + 2]);
  if (!front && !glowsBothWays(scene, scene.triangleMaterial[t])) return;
  const c =
    surface[S_FACE] * surface[S_VIEW] +
    surface[S_FACE + 1] * surface[S_VIEW + 1] +
    surface[S_FACE + 2] * surface[S_VIEW + 2];
  const d = distanceFromLast(i);
  const glows = input.emitters.glowing?.density[scene.triangleMaterial[t]] ?? 0;
  const drawn = density[i] > 0 && c > 0 ? (glows * d * d) / c : 0;
  receive(input, i, drawn, input.emitters.lights.length + 1, r, g, b);
}

/** The ray may have crossed panes since it scattered. */
function distanceFromLast(i: number): number {
  const o = i * 3;
  const x = surface[S_POSITION] - last[o];
  const y = surface[S_POSITION + 1] - last[o + 1];
  const z = surface[S_POSITION + 2] - last[o + 2];
  return Math.sqrt(x * x + y * y + z * z);
}

/**
 * Books light that a ray met by chance, weighted against the chance of having been asked for it (power heuristic).
 * @param drawn density with which the emitter would have drawn this place; 0 when it cannot
 */
function receive(input: PathInput, i: number, drawn: number, emitter: number, r: number, g: number, b: number): void {
  const { emitters } = input;
  const o = i * 3;
  let weight = 1;
  if (density[i] > 0 && drawn > 0 && weighEmitters(emitters, last[o], last[o + 1], last[o + 2])) {
    const asked = drawn * emitters.weights[emitter];
    weight = (density[i] * density[i]) / (density[i] * density[i] + asked * asked);
  }
  const x = carried[o] * r * weight;
  const y = carried[o + 1] * g * weight;
  const z = carried[o + 2] * b * weight;
  const at = i * HOME;
  if (scattered[i] === 0) {
    home[at + 9] += x;
    home[at + 10] += y;
    home[at + 11] += z;
    return;
  }
  if (scattered[i] === 1 && emitter < emitters.lights.length) {
    home[at] += x;
    home[at + 1] += y;
    home[at + 2] += z;
    const all = Math.abs(x) + Math.abs(y) + Math.abs(z);
    home[at + H_LIGHT] += all;
    home[at + H_LIT] += all;
    return;
  }
  const keep = scattered[i] > 1 ? clamped(input, i, luminance(x, y, z)) : 1;
  const mine = [x * keep, y * keep, z * keep];
  for (let c = 0; c < 3; c++) {
    home[at + 3 + c] += mine[c] * split[o + c];
    home[at + 6 + c] += mine[c] * (1 - split[o + c]);
  }
}

/** The surface record where a path has hit. */
function surfaceAtHit(input: PathInput, i: number): void {
  const { scene, posed } = input.surface;
  const P = posed.positions;
  const t = hitTriangle[i];
  const o = i * 3;
  const i0 = scene.triangles[t * 3] * 3;
  const i1 = scene.triangles[t * 3 + 1] * 3;
  const i2 = scene.triangles[t * 3 + 2] * 3;
  const b1 = hitU[i];
  const b2 = hitV[i];
  const b0 = 1 - b1 - b2;
  const ux = P[i1] - P[i0];
  const uy = P[i1 + 1] - P[i0 + 1];
  const uz = P[i1 + 2] - P[i0 + 2];
  const vx = P[i2] - P[i0];
  const vy = P[i2 + 1] - P[i0 + 1];
  const vz = P[i2 + 2] - P[i0 + 2];
  let fx = uy * vz - uz * vy;
  let fy = uz * vx - ux * vz;
  let fz = ux * vy - uy * vx;
  const area2 = fx * fx + fy * fy + fz * fz;
  const dx = direction[o];
  const dy = direction[o + 1];
  const dz = direction[o + 2];
  const side = dx * fx + dy * fy + dz * fz < 0 ? 1 : -1;
  for (let k = 0; k < 3; k++) {
    surface[S_POSITION + k] = P[i0 + k] * b0 + P[i1 + k] * b1 + P[i2 + k] * b2;
    surface[S_VIEW + k] = -direction[o + k];
  }
  // slopes of the barycentrics along the footprint's short side, across the ray, and along its long one
  const width = footprint[i] + spread[i] * hitDistance[i];
  let ax = dy * fz - dz * fy;
  let ay = dz * fx - dx * fz;
  let az = dx * fy - dy * fx;
  const al = Math.sqrt(ax * ax + ay * ay + az * az);
  const fl = Math.sqrt(area2);
  if (al > 1e-9 * fl) {
    ax /= al;
    ay /= al;
    az /= al;
  } else {
    const ul = Math.sqrt(ux * ux + uy * uy + uz * uz);
    ax = ux / ul;
    ay = uy / ul;
    az = uz / ul;
  }
  fx /= fl;
  fy /= fl;
  fz /= fl;
  const long = width / Math.max(0.05, Math.abs(dx * fx + dy * fy + dz * fz));
  const bx = ay * fz - az * fy;
  const by = az * fx - ax * fz;
  const bz = ax * fy - ay * fx;
  // gradients in the plane: b1 grows along v × n, b2 along n × u, over twice the area
  const g1x = (vy * fz - vz * fy) / fl;
  const g1y = (vz * fx - vx * fz) / fl;
  const g1z = (vx * fy - vy * fx) / fl;
  const g2x = (fy * uz - fz * uy) / fl;
  const g2y = (fz * ux - fx * uz) / fl;
  const g2z = (fx * uy - fy * ux) / fl;
  slopes[0] = (g1x * ax + g1y * ay + g1z * az) * width;
  slopes[1] = (g2x * ax + g2y * ay + g2z * az) * width;
  slopes[2] = (g1x * bx + g1y * by + g1z * bz) * long;
  slopes[3] = (g2x * bx + g2y * by + g2z * bz) * long;
  surface[S_FACE] = fx * side;
  surface[S_FACE + 1] = fy * side;
  surface[S_FACE + 2] = fz * side;
  materialAt(input.surface, t, side, false, b1, b2, slopes, surface);
}

/** What the camera sees. */
function firstSeen(input: PathInput, i: number, sample: number): void {
  input.paths[pixel[i] * PATH_SUMS + P_COVERED] += 1;
  if (sample === 0 && !input.aperture) writeGeometry(input, i);
}

function writeGeometry(input: PathInput, i: number): void {
  const { rays, surface: from } = input;
  const at = pixel[i];
  const f = rays.forward;
  input.depth[at] =
    (surface[S_POSITION] - rays.origin[0]) * f[0] +
    (surface[S_POSITION + 1] - rays.origin[1]) * f[1] +
    (surface[S_POSITION + 2] - rays.origin[2]) * f[2];
  for (let k = 0; k < 3; k++) input.normal[at * 3 + k] = surface[S_NORMAL + k];
  input.objectId[at] = from.scene.triangleInstance[hitTriangle[i]] + 1;
}

/** What the denoiser divides by and compares: colour and normal of the first surface that is not see-through. */
const seenColor = new Float64Array(N * 6);

function writeColor(i: number): void {
  const at = i * 6;
  for (let c = 0; c < 3; c++) {
    seenColor[at + c] = surface[S_DIFFUSE + c] * (1 - surface[S_MIRRORED + c]) + surface[S_MIRRORED + c];
    seenColor[at + 3 + c] = surface[S_NORMAL + c];
  }
}

/** Adds a finished path to its pixel. What is not a number would spoil the pixel for ever and is left out. */
function bringHome(paths: Float32Array, i: number): void {
  const o = i * HOME;
  const p = pixel[i] * PATH_SUMS;
  paths[p + P_COUNT] += 1;
  let [r, g, b] = [0, 0, 0];
  for (let k = 0; k < LIGHT_NUMBERS; k += 3) {
    r += home[o + k];
    g += home[o + k + 1];
    b += home[o + k + 2];
  }
  const l = luminance(r, g, b);
  if (!Number.isFinite(l)) return;
  for (let k = 0; k < LIGHT_NUMBERS; k++) paths[p + k] += home[o + k];
  paths[p + P_LIGHT] += home[o + H_LIGHT];
  paths[p + P_LIT] += home[o + H_LIT];
  paths[p + P_SQUARE] += l * l;
  paths[p + P_CLAMPED] += home[o + H_CLAMPED];
  for (let c = 0; c < 3; c++) {
    paths[p + P_COLOR + c] += seenColor[i * 6 + c];
    paths[p + P_NORMAL + c] += seenColor[i * 6 + 3 + c];
  }
}
