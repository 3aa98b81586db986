/** A point of what glows, as a place sees it. */
import { crossLength, edgeCross } from '../../math/triangle';
import { SURFACE_SIZE, S_EMISSION, S_VIEW, materialAt } from '../../raster/surface';
import { A_DENSITY, A_DISTANCE, A_RADIANCE } from '../emitters';
import { glowsBothWays, pickTriangle } from '../glowingTriangles';
import type { PathInput } from './pathState';

/** Share of the way to what glows that a shadow ray goes: it ends before that. */
export const SHORT_OF_GLOW = 0.9999;

/** A surface record for what glows, so that the one being shaded stays. */
const glow = new Float64Array(SURFACE_SIZE);
const slopes = new Float64Array(4);
const corner = new Float64Array(3);
const face = new Float64Array(3);

/**
 * Draws a point of a glowing triangle.
 * @param choose a number in [0, 1) for the triangle @param u, v for the point
 * @param arrival see `Emitters`; a density is not yet times the chance of asking what glows
 * @returns false when none of it comes to the place
 */
export function arriveFromGlow(
  { emitters, surface: input }: Pick<PathInput, 'emitters' | 'surface'>,
  at: Readonly<{ x: number; y: number; z: number }>,
  choose: number,
  u: number,
  v: number,
  arrival: Float64Array,
): boolean {
  const { scene, posed } = input;
  const g = emitters.glowing!;
  const t = pickTriangle(g, choose);
  const root = Math.sqrt(u);
  const b1 = root * (1 - v);
  const b2 = root * v;
  const b0 = 1 - root;
  const P = posed.positions;
  const i0 = scene.triangles[t * 3] * 3;
  const i1 = scene.triangles[t * 3 + 1] * 3;
  const i2 = scene.triangles[t * 3 + 2] * 3;
  corner[0] = P[i0] * b0 + P[i1] * b1 + P[i2] * b2 - at.x;
  corner[1] = P[i0 + 1] * b0 + P[i1 + 1] * b1 + P[i2 + 1] * b2 - at.y;
  corner[2] = P[i0 + 2] * b0 + P[i1 + 2] * b1 + P[i2 + 2] * b2 - at.z;
  const d2 = corner[0] ** 2 + corner[1] ** 2 + corner[2] ** 2;
  if (d2 === 0) return false;
  const d = Math.sqrt(d2);
  for (let k = 0; k < 3; k++) arrival[k] = corner[k] / d;
  const c = faceCosine(P, i0, i1, i2, arrival);
  if (c === 0 || (c > 0 && !glowsBothWays(scene, scene.triangleMaterial[t]))) return false;
  arrival[A_DISTANCE] = d;
  arrival[A_DENSITY] = (g.density[scene.triangleMaterial[t]] * d2) / Math.abs(c);
  for (let k = 0; k < 3; k++) glow[S_VIEW + k] = -arrival[k];
  slopes.fill(0);
  materialAt(input, t, c < 0 ? 1 : -1, false, b1, b2, slopes, glow);
  for (let k = 0; k < 3; k++) arrival[A_RADIANCE + k] = glow[S_EMISSION + k];
  return true;
}

/** Cosine between a direction and the front of a triangle. */
function faceCosine(P: Float32Array, i0: number, i1: number, i2: number, d: Float64Array): number {
  edgeCross(P, i0, i1, i2, face);
  const l = crossLength(face);
  return l > 0 ? (d[0] * face[0] + d[1] * face[1] + d[2] * face[2]) / l : 0;
}
