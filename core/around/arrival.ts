/** What the surroundings or something that glows sends straight to a place (next-event estimation). */
import { sobol2 } from '../math/sobol';
import type { ShadedPlace } from '../shadows/shadowAt';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  ARRIVAL_SIZE,
  arriveFromSurroundings,
  weighEmitters,
} from '../trace/emitters';
import { arriveFromGlow, SHORT_OF_GLOW } from '../trace/paths/glowArrival';
import { traceShadow } from '../trace/traceShadow';
import type { PathInput } from '../trace/tracePaths';

export type ArrivalInput = Pick<PathInput, 'emitters' | 'shadows' | 'surface'>;

const pair = new Float64Array(2);
const arrival = new Float64Array(ARRIVAL_SIZE);
const through = new Float64Array(3);
/** Unit direction from which it comes: the first three numbers of `arrival`. */
export const arrivalDirection = arrival;

/** Which random numbers of a place choose what is asked, and where on it: behind those of directions. */
export const [DRAWS_DIRECTION, DRAWS_POINT, DRAWS_CHOICE] = [0, 1, 2];

let ofSky = false;
/** Luminous chance of the surroundings, of what glows. */
let sky = 0;
let glow = 0;

/**
 * Draws a point of either. Lamps are left out: the rasteriser lights by them itself.
 * @param number in the place's sequence @returns whether anything may come from there: `arrivalDirection` says from where
 */
export function drawArrival(input: ArrivalInput, place: ShadedPlace, seed: number, number: number): boolean {
  const { emitters } = input;
  const { x, y, z } = place;
  if (!weighEmitters(emitters, x, y, z)) return false;
  const lights = emitters.lights.length;
  sky = emitters.weights[lights];
  glow = emitters.weights[lights + 1];
  if (!(sky + glow > 0)) return false;
  sobol2(number, seed + DRAWS_CHOICE, pair);
  ofSky = pair[0] * (sky + glow) < sky;
  const triangle = pair[1];
  sobol2(number, seed + DRAWS_POINT, pair);
  if (ofSky) arriveFromSurroundings(emitters.surroundings!, x, y, z, pair[0], pair[1], arrival);
  else if (!arriveFromGlow(input, place, triangle, pair[0], pair[1], arrival)) return false;
  return arrival[A_DENSITY] > 0;
}

/**
 * What comes from the point that was drawn, over the density with which it was, weighted against rays that meet it by
 * chance (power heuristic, Veach 1995): by the same densities by which paths weigh what they meet.
 * @param met density of those rays per steradian @param out radiance × sr, rgb
 */
export function takeArrival(
  { emitters, shadows }: ArrivalInput,
  place: ShadedPlace,
  met: number,
  out: Float64Array,
): void {
  const reach = ofSky ? Infinity : arrival[A_DISTANCE] * SHORT_OF_GLOW;
  traceShadow(shadows, place, arrival[0], arrival[1], arrival[2], reach, through);
  const drawn = arrival[A_DENSITY];
  const asked = drawn * (ofSky ? sky : glow);
  const weight = (asked * asked) / (asked * asked + met * met);
  const chance = (ofSky ? sky : glow) / (sky + glow);
  const use = ofSky ? emitters.surroundings!.light : 1;
  const counts = (weight * use) / (drawn * chance);
  for (let c = 0; c < 3; c++) out[c] = arrival[A_RADIANCE + c] * through[c] * counts;
}
