/** Rays that leave the places of a row, and what they bring home. */
import { LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { hashCombine } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import { PATH_SUMS } from '../../trace/pathSums';
import { START_ORIGIN, type PathStarts } from '../../trace/paths/pathStarts';
import { stepOff } from '../../trace/traceShadow';
import { DRAWS_DIRECTION } from '../arrival';
import { writeLook, type LookWish } from '../lookAround';
import type { SurfaceRow, Triple } from '../method';
import { cosineDirection } from './cosineDirection';

/** Places of a row from which rays leave. */
export interface RowPlaces {
  row: SurfaceRow;
  /** Places in the row, and 1 for each from which rays leave. */
  places: number;
  live: Uint8Array;
  /** Of the frame's random numbers. */
  seed: number;
  /** Of the picture, pixels. */
  width: number;
}

/** Random numbers of a place: surfaces that something is seen through have others than what is behind. */
export function seedAt({ row: { px, py, seeThrough }, seed, width }: RowPlaces, i: number): number {
  return hashCombine(seed, Math.floor(py) * width + Math.floor(px + i) + (seeThrough ? 0x40000000 : 0));
}

/** World space, metres. @param c axis */
export function placeAt({ base, position }: SurfaceRow, i: number, c: number): number {
  return base[c] + position[c][i];
}

const pair = new Float64Array(2);
const way = new Float64Array(3);

export interface RayWish extends LookWish {
  /** Of the first ray in the sequence of each place. */
  number: number;
}

/** A ray of each place, then the next of each. What is drawn does not depend on which places there are. */
export function rowStarts(from: RowPlaces, wish: RayWish): PathStarts {
  const { row, live, places } = from;
  const { normal, face } = row;
  return {
    count: places,
    start(item, _sample, ray) {
      const i = item % places;
      if (live[i] === 0) return false;
      sobol2(wish.number + Math.floor(item / places), seedAt(from, i) + DRAWS_DIRECTION, pair);
      cosineDirection(normal, i, pair[0], pair[1], way);
      const cosine = way[0] * normal[0][i] + way[1] * normal[1][i] + way[2] * normal[2][i];
      // a bent normal may send rays under the face
      if (!(cosine > 0) || way[0] * face[0][i] + way[1] * face[1][i] + way[2] * face[2][i] <= 0) return false;
      const off = stepOff(placeAt(row, i, 0), placeAt(row, i, 1), placeAt(row, i, 2));
      for (let c = 0; c < 3; c++) ray[START_ORIGIN + c] = placeAt(row, i, c) + face[c][i] * off;
      writeLook(ray, way, cosine / Math.PI, wish);
      return true;
    },
  };
}

/**
 * Adds what so many rays brought home to their places.
 * @param sums PATH_SUMS numbers a ray
 * @param to columns @param part of what each place is brought; all where absent
 * @param share of each ray @param most luminance that one may bring, nit
 */
export function bringHome(
  { places }: RowPlaces,
  sums: Float32Array,
  items: number,
  { to, part, share, most }: { to: Triple; part?: Float32Array; share: number; most: number },
): void {
  for (let item = 0; item < items; item++) {
    let r = 0;
    let g = 0;
    let b = 0;
    for (let k = item * PATH_SUMS; k < item * PATH_SUMS + LIGHT_NUMBERS; k += 3) {
      r += sums[k];
      g += sums[k + 1];
      b += sums[k + 2];
    }
    const size = Math.abs(luminance(r, g, b));
    const i = item % places;
    const kept = (size > most ? (share * most) / size : share) * (part ? part[i] : 1);
    to[0][i] += r * kept;
    to[1][i] += g * kept;
    to[2][i] += b * kept;
  }
}
