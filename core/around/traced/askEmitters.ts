/** What the surroundings or something that glows sends straight to a place. */
import { sobol2 } from '../../math/sobol';
import type { ShadedPlace } from '../../shadows/shadowAt';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  ARRIVAL_SIZE,
  arriveFromSurroundings,
  weighEmitters,
} from '../../trace/emitters';
import { arriveFromGlow, SHORT_OF_GLOW } from '../../trace/paths/glowArrival';
import { traceShadow } from '../../trace/traceShadow';
import type { PathInput } from '../../trace/tracePaths';
import { DRAWS_CHOICE, DRAWS_POINT, placeAt, seedAt, type RowPlaces } from './rowRays';

const pair = new Float64Array(2);
const arrival = new Float64Array(ARRIVAL_SIZE);
const through = new Float64Array(3);
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };

/**
 * Draws a point of either and adds what it sends, weighted against the rays that meet it by chance (power heuristic, Veach
 * 1995): by the same densities by which paths weigh what they meet. Lamps are left out: the rasteriser lights by them itself.
 * @param i of the place in the row @param number in its sequence @param share of what is found
 */
export function askEmitters(
  input: Pick<PathInput, 'emitters' | 'shadows' | 'surface'>,
  from: RowPlaces,
  i: number,
  number: number,
  share: number,
): void {
  const { emitters, shadows } = input;
  const { normal, face, bounce } = from.row;
  const x = (place.x = placeAt(from.row, i, 0));
  const y = (place.y = placeAt(from.row, i, 1));
  const z = (place.z = placeAt(from.row, i, 2));
  if (!weighEmitters(emitters, x, y, z)) return;
  const lights = emitters.lights.length;
  const sky = emitters.weights[lights];
  const glow = emitters.weights[lights + 1];
  if (!(sky + glow > 0)) return;
  const seed = seedAt(from, i);
  sobol2(number, seed + DRAWS_CHOICE, pair);
  const ofSky = pair[0] * (sky + glow) < sky;
  const triangle = pair[1];
  sobol2(number, seed + DRAWS_POINT, pair);
  if (ofSky) arriveFromSurroundings(emitters.surroundings!, x, y, z, pair[0], pair[1], arrival);
  else if (!arriveFromGlow(input, place, triangle, pair[0], pair[1], arrival)) return;
  const cosine = arrival[0] * normal[0][i] + arrival[1] * normal[1][i] + arrival[2] * normal[2][i];
  const above = arrival[0] * face[0][i] + arrival[1] * face[1][i] + arrival[2] * face[2][i];
  const drawn = arrival[A_DENSITY];
  if (!(cosine > 0 && above > 0 && drawn > 0)) return;
  place.fx = face[0][i];
  place.fy = face[1][i];
  place.fz = face[2][i];
  const reach = ofSky ? Infinity : arrival[A_DISTANCE] * SHORT_OF_GLOW;
  traceShadow(shadows, place, arrival[0], arrival[1], arrival[2], reach, through);
  const asked = drawn * (ofSky ? sky : glow);
  const met = cosine / Math.PI;
  const weight = (asked * asked) / (asked * asked + met * met);
  const chance = (ofSky ? sky : glow) / (sky + glow);
  const use = ofSky ? emitters.surroundings!.light : 1;
  const counts = (cosine * weight * use * share) / (drawn * chance);
  for (let c = 0; c < 3; c++) bounce[c][i] += arrival[A_RADIANCE + c] * through[c] * counts;
}
