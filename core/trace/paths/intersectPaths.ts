/** What the rays of a wave meet first. */
import { passesCutout } from '../../raster/cutout';
import { ALPHA_MASK, MATERIAL_STRIDE, M_ALPHA_MODE } from '../../scene/materialTable';
import { seesFront } from '../bvhLayout';
import { hit, traceRay } from '../traceRay';
import {
  active,
  direction,
  hitDistance,
  hitPlace,
  hitTriangle,
  hitU,
  hitV,
  origin,
  scattered,
  type PathInput,
} from './pathState';

let tracing: PathInput;
let seenByCamera = false;
let rayX = 0;
let rayY = 0;
let rayZ = 0;

export function intersect(input: PathInput, count: number): void {
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
