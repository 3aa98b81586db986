/** Which places of a row send rays to what they mirror, and along what. */
import { perpendiculars } from '../../light/sampleLight';
import { sobol2 } from '../../math/sobol';
import { MIN_ALPHA, visibleDensity, visibleNormal } from '../../raster/reflectance';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_ORIGIN,
  START_SKY,
  START_SPREAD,
  type PathStarts,
} from '../../trace/paths/pathStarts';
import { stepOff } from '../../trace/traceShadow';
import { DRAWS_CHOICE, DRAWS_DIRECTION } from '../arrival';
import type { LookWish } from '../lookAround';
import type { Triple } from '../method';
import { placeAt, seedAt, type RowPlaces } from '../traced/rowRays';

/** From this share of the roughest that sends rays on, what they find counts ever less. */
const FADES_FROM = 0.8;
/** See-through surfaces send rays as often as they mirror, times this. */
const PANES = 2;
/** How fast a ray's footprint grows by the width of the lobe that it stands for: as that of paths does. */
const WIDENS = 0.1;

const pair = new Float64Array(2);
const across = new Float64Array(6);
const facet = new Float64Array(3);

/**
 * Fills in what rough places mirror: of irradiance from everywhere alike they would mirror just that.
 * @param from its `live` is told which places send rays @param first number of the first ray in the sequence of each place
 * @param part of what each mirrors that its rays stand for
 * @returns whether any does
 */
export function chooseSenders(from: RowPlaces, roughest: number, first: number, part: Float32Array): boolean {
  const { row, places, live } = from;
  const { mirrored, roughness, bounce, bounceSure, mirror, mirrorSure } = row;
  let any = false;
  for (let i = 0; i < places; i++) {
    live[i] = 0;
    if (row.live[i] === 0 || !(mirrored[0][i] + mirrored[1][i] + mirrored[2][i] > 0)) continue;
    const faded = roughest > 0 ? (1 - roughness[i] / roughest) / (1 - FADES_FROM) : 0;
    // where nothing is known of bounced light rays are all there is
    part[i] = 1 - (1 - Math.min(1, Math.max(0, faded))) * Math.min(1, bounceSure[i]);
    for (let c = 0; c < 3; c++) mirror[c][i] = ((1 - part[i]) * bounce[c][i]) / Math.PI;
    mirrorSure[i] = 1;
    if (part[i] === 0) continue;
    if (row.seeThrough) {
      // of many panes behind one another each mirrors little: few send rays, for all
      const most = Math.max(mirrored[0][i], mirrored[1][i], mirrored[2][i]);
      const chance = Math.min(1, PANES * most);
      sobol2(first, seedAt(from, i) + DRAWS_CHOICE, pair);
      if (pair[0] >= chance) continue;
      part[i] /= chance;
    }
    live[i] = 1;
    any = true;
  }
  return any;
}

/** A ray of each place that sends any, then the next of each. @param first number of the first in the sequence of each place */
export function mirrorStarts(from: RowPlaces, first: number, { sky, ends }: LookWish): PathStarts {
  const { row, live, places } = from;
  const { normal, face, view, roughness } = row;
  return {
    count: places,
    start(item, _sample, ray) {
      const i = item % places;
      if (live[i] === 0) return false;
      sobol2(first + Math.floor(item / places), seedAt(from, i) + DRAWS_DIRECTION, pair);
      const alpha = Math.max(MIN_ALPHA, roughness[i] * roughness[i]);
      const lobe = drawMirrored(normal, view, i, alpha, pair, ray);
      const below =
        ray[START_DIRECTION] * face[0][i] +
        ray[START_DIRECTION + 1] * face[1][i] +
        ray[START_DIRECTION + 2] * face[2][i];
      // a bent normal sends light into the surface: it leaves on the other side of the face, as that of paths does
      if (below < 0) for (let c = 0; c < 3; c++) ray[START_DIRECTION + c] -= 2 * below * face[c][i];
      const off = stepOff(placeAt(row, i, 0), placeAt(row, i, 1), placeAt(row, i, 2));
      for (let c = 0; c < 3; c++) ray[START_ORIGIN + c] = placeAt(row, i, c) + face[c][i] * off;
      ray[START_SKY] = sky;
      ray[START_FOOTPRINT] = 0;
      ray[START_SPREAD] = Math.min(1, Math.sqrt(1 / (lobe + 1e-9)) * WIDENS);
      // no emitter is asked for what is mirrored: whatever rays meet counts whole
      ray[START_DENSITY] = 0;
      ray[START_MATTE] = 0;
      ray[START_ENDS] = ends ? 1 : 0;
      return true;
    },
  };
}

/** Writes a mirrored direction, by a facet as the eye sees them. @returns its density per steradian */
function drawMirrored(
  normal: Triple,
  view: Triple,
  i: number,
  alpha: number,
  [u, v]: Float64Array,
  ray: Float64Array,
): number {
  const [nx, ny, nz] = [normal[0][i], normal[1][i], normal[2][i]];
  const [vx, vy, vz] = [view[0][i], view[1][i], view[2][i]];
  perpendiculars(nx, ny, nz, across);
  const [ax, ay, az, bx, by, bz] = across;
  const nv = Math.max(1e-4, nx * vx + ny * vy + nz * vz);
  visibleNormal(alpha, ax * vx + ay * vy + az * vz, bx * vx + by * vy + bz * vz, nv, u, v, facet);
  const hx = ax * facet[0] + bx * facet[1] + nx * facet[2];
  const hy = ay * facet[0] + by * facet[1] + ny * facet[2];
  const hz = az * facet[0] + bz * facet[1] + nz * facet[2];
  const vh = vx * hx + vy * hy + vz * hz;
  ray[START_DIRECTION] = 2 * vh * hx - vx;
  ray[START_DIRECTION + 1] = 2 * vh * hy - vy;
  ray[START_DIRECTION + 2] = 2 * vh * hz - vz;
  return visibleDensity(alpha, nv, Math.min(1, facet[2]));
}
