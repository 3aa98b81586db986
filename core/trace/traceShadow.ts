/** Traced shadows: what is between a point and a light, cut-outs and coloured glass included. */
import { passesCutout, tintAt } from '../raster/cutout';
import type { CompiledScene } from '../scene/compiled';
import type { ShadedPlace } from '../shadows/shadowAt';
import { CAST_CUTOUT, CAST_GLASS, CAST_NONE } from '../shadows/shadowMap';
import type { BvhArrays } from './buildBvh';
import { traceRay } from './traceRay';

export interface ShadowRays {
  scene: CompiledScene;
  bvh: BvhArrays;
  /** CAST_* per material. */
  casts: Uint8Array;
}

const tint = new Float64Array(3);
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
  const off = offset(at);
  const [ox, oy, oz] = [at.x + at.fx * off, at.y + at.fy * off, at.z + at.fz * off];
  traceRay(input.bvh, ox, oy, oz, lx, ly, lz, length - off * 2, meet);
}

/** Positions are 32-bit floats: stepping off by a few of their units keeps a face from shadowing itself. */
function offset(at: ShadedPlace): number {
  return Math.max(Math.abs(at.x), Math.abs(at.y), Math.abs(at.z), 0.25) * 4e-6;
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
  const off = offset(at);
  const [ox, oy, oz] = [at.x + at.fx * off, at.y + at.fy * off, at.z + at.fz * off];
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

function meet(place: number, u: number, v: number, _distance: number, limit: number): number {
  const t = rays.bvh.bvhOrder[place];
  const cast = rays.casts[rays.scene.triangleMaterial[t]];
  if (cast === CAST_NONE) return limit;
  if (cast === CAST_CUTOUT && !passesCutout(rays.scene, t, 1 - u - v, u, v, 0)) return limit;
  if (cast === CAST_GLASS) {
    tintAt(rays.scene, t, 1 - u - v, u, v, 0, tint);
    for (let c = 0; c < 3; c++) passed[c] *= tint[c];
    if (passed[0] + passed[1] + passed[2] > 1e-4) return limit;
  }
  passed[0] = passed[1] = passed[2] = 0;
  return -1;
}
