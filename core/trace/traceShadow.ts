/** Traced shadows: what is between a point and a light, cut-outs and coloured glass included. */
import { exp } from '../math/exact';
import { passesCutout, tintAt } from '../raster/cutout';
import type { CompiledScene } from '../scene/compiled';
import { M_ABSORPTION, M_THICKNESS, MATERIAL_STRIDE } from '../scene/materialTable';
import type { ShadedPlace } from '../shadows/shadowAt';
import { CAST_CUTOUT, CAST_GLASS, CAST_NONE } from '../shadows/shadowMap';
import { seesFront, type BvhArrays } from './bvhLayout';
import { BLOCKED, TOO_MANY, type RayKernel } from './rayKernel';
import { meetTriangle, met, traceRay } from './traceRay';

export interface ShadowRays {
  scene: CompiledScene;
  bvh: BvhArrays;
  /** CAST_* per material. */
  casts: Uint8Array;
  /** Compiled loops that know `casts`, or null for the plain ones. */
  kernel: RayKernel | null;
}

const tint = new Float64Array(3);
/** Signed lengths inside solid glass times its absorption, and absorption of bodies entered but not left. */
const depths = new Float64Array(3);
const within = new Float64Array(3);
const way = new Float64Array(3);
let absorbs = false;
let rays: ShadowRays;
let passed: Float64Array;

/**
 * Traces from a place towards a light and writes the light that comes through, rgb 0…1.
 * The ray begins a hair off the surface along its true normal.
 * @param length metres to the light, Infinity for a sun
 */
export function traceShadow(
  input: ShadowRays,
  at: ShadedPlace,
  lx: number,
  ly: number,
  lz: number,
  length: number,
  out: Float64Array,
): void {
  rays = input;
  passed = out;
  passed[0] = passed[1] = passed[2] = 1;
  const off = stepOff(at.x, at.y, at.z);
  const ox = at.x + at.fx * off;
  const oy = at.y + at.fy * off;
  const oz = at.z + at.fz * off;
  way[0] = lx;
  way[1] = ly;
  way[2] = lz;
  absorbs = false;
  const reach = length - off * 2;
  if (!input.kernel || !throughKernel(input.kernel, ox, oy, oz, lx, ly, lz, reach))
    traceRay(input.bvh, ox, oy, oz, lx, ly, lz, reach, meet);
  if (!absorbs) return;
  for (let c = 0; c < 3; c++) {
    if (within[c] > 0 && length !== Infinity) depths[c] += within[c] * length;
    if (depths[c] > 0) passed[c] *= exp(-depths[c]);
  }
}

/** The kernel finds what is solid, and lists what must be looked at. @returns false when that is too much for its list */
function throughKernel(
  kernel: RayKernel,
  ox: number,
  oy: number,
  oz: number,
  lx: number,
  ly: number,
  lz: number,
  reach: number,
): boolean {
  const listed = kernel.shadow(ox, oy, oz, lx, ly, lz, reach);
  if (listed === TOO_MANY) return false;
  if (listed === BLOCKED) passed[0] = passed[1] = passed[2] = 0;
  for (let k = 0; k < listed; k++) {
    const place = kernel.listed[k];
    meetTriangle(rays.bvh, place, ox, oy, oz, lx, ly, lz);
    if (meet(place, met.u, met.v, met.distance, reach) < 0) break;
  }
  return true;
}

/** Positions are 32-bit floats: stepping off by a few of their units keeps a face from shadowing itself. */
export function stepOff(x: number, y: number, z: number): number {
  return Math.max(Math.abs(x), Math.abs(y), Math.abs(z), 0.25) * 4e-6;
}

/** Beer–Lambert of solid glass: lengths from where it is entered to where it is left, whatever order they are met in. */
function absorb(place: number, material: number, distance: number): void {
  const m = material * MATERIAL_STRIDE;
  const { materials } = rays.scene;
  if (materials[m + M_THICKNESS] === 0) return;
  const a = m + M_ABSORPTION;
  if (materials[a] === 0 && materials[a + 1] === 0 && materials[a + 2] === 0) return;
  if (!absorbs) {
    absorbs = true;
    depths.fill(0);
    within.fill(0);
  }
  const sign = seesFront(rays.bvh, place, way[0], way[1], way[2]) ? -1 : 1;
  for (let c = 0; c < 3; c++) {
    depths[c] += sign * distance * materials[a + c];
    within[c] -= sign * materials[a + c];
  }
}

/** Metres from a place towards a light to the nearest solid surface in the way, Infinity when there is none. */
export function blockerDistance(
  input: ShadowRays,
  at: ShadedPlace,
  lx: number,
  ly: number,
  lz: number,
  length: number,
): number {
  rays = input;
  nearest = Infinity;
  const off = stepOff(at.x, at.y, at.z);
  const ox = at.x + at.fx * off;
  const oy = at.y + at.fy * off;
  const oz = at.z + at.fz * off;
  traceRay(input.bvh, ox, oy, oz, lx, ly, lz, length - off * 2, meetNearest);
  return nearest;
}

let nearest = Infinity;

function meetNearest(place: number, u: number, v: number, distance: number, limit: number): number {
  const t = rays.bvh.bvhOrder[place];
  const cast = rays.casts[rays.scene.triangleMaterial[t]];
  if (cast === CAST_NONE || cast === CAST_GLASS) return limit;
  if (cast === CAST_CUTOUT && !passesCutout(rays.scene, t, 1 - u - v, u, v, 0)) return limit;
  nearest = distance;
  return distance;
}

function meet(place: number, u: number, v: number, distance: number, limit: number): number {
  const t = rays.bvh.bvhOrder[place];
  const cast = rays.casts[rays.scene.triangleMaterial[t]];
  if (cast === CAST_NONE) return limit;
  if (cast === CAST_CUTOUT && !passesCutout(rays.scene, t, 1 - u - v, u, v, 0)) return limit;
  if (cast === CAST_GLASS) {
    tintAt(rays.scene, t, 1 - u - v, u, v, 0, tint);
    for (let c = 0; c < 3; c++) passed[c] *= tint[c];
    absorb(place, rays.scene.triangleMaterial[t], distance);
    if (passed[0] + passed[1] + passed[2] > 1e-4) return limit;
  }
  passed[0] = passed[1] = passed[2] = 0;
  return -1;
}
