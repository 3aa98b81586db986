/** What the surroundings or something that glows sends straight to a place of a row. */
import type { ShadedPlace } from '../../shadows/shadowAt';
import { arrivalDirection, drawArrival, takeArrival, type ArrivalInput } from '../arrival';
import { placeAt, seedAt, type RowPlaces } from './rowRays';

const found = new Float64Array(3);
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };

/**
 * Adds it, weighted against the rays that meet it by chance.
 * @param i of the place in the row @param number in its sequence @param share of what is found
 */
export function askEmitters(input: ArrivalInput, from: RowPlaces, i: number, number: number, share: number): void {
  const { normal, face, bounce } = from.row;
  place.x = placeAt(from.row, i, 0);
  place.y = placeAt(from.row, i, 1);
  place.z = placeAt(from.row, i, 2);
  if (!drawArrival(input, place, seedAt(from, i), number)) return;
  const x = arrivalDirection[0];
  const y = arrivalDirection[1];
  const z = arrivalDirection[2];
  const cosine = x * normal[0][i] + y * normal[1][i] + z * normal[2][i];
  const above = x * face[0][i] + y * face[1][i] + z * face[2][i];
  if (!(cosine > 0 && above > 0)) return;
  place.fx = face[0][i];
  place.fy = face[1][i];
  place.fz = face[2][i];
  takeArrival(input, place, cosine / Math.PI, found);
  for (let c = 0; c < 3; c++) bounce[c][i] += found[c] * cosine * share;
}
