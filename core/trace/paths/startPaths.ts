/** Paths set on their way. */
import { PATH_SUMS } from '../pathSums';
import type { PixelBox } from '../../raster/tile';
import {
  HOME,
  active,
  carried,
  crossed,
  density,
  direction,
  ending,
  footprint,
  glossCount,
  home,
  inside,
  last,
  matteCount,
  origin,
  pixel,
  scattered,
  seenColor,
  split,
  spread,
  throughCount,
  useOfSky,
} from './pathState';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_ORIGIN,
  START_SIZE,
  START_SKY,
  START_SPREAD,
  type PathStarts,
} from './pathStarts';

const ray = new Float64Array(START_SIZE);

/** A path of every pixel of a tile. @returns how many, in slots from 0 on */
export function startTile(
  starts: PathStarts,
  width: number,
  tile: PixelBox,
  sample: number,
  paths: Float32Array,
): number {
  let n = 0;
  for (let y = tile.y0; y < tile.y1; y++)
    for (let x = tile.x0; x < tile.x1; x++) if (startOne(starts, n, y * width + x, sample, paths)) n++;
  return n;
}

/** A path of each item from `from` to before `to`. @returns how many, in slots from 0 on */
export function startItems(starts: PathStarts, from: number, to: number, sample: number, paths: Float32Array): number {
  let n = 0;
  for (let item = from; item < to; item++) if (startOne(starts, n, item, sample, paths)) n++;
  return n;
}

function startOne(starts: PathStarts, i: number, item: number, sample: number, paths: Float32Array): boolean {
  if (!starts.start(item, sample, ray)) return false;
  pixel[i] = item;
  active[i] = i;
  for (let k = 0; k < 3; k++) {
    origin[i * 3 + k] = ray[START_ORIGIN + k];
    direction[i * 3 + k] = ray[START_DIRECTION + k];
    carried[i * 3 + k] = 1;
    last[i * 3 + k] = ray[START_ORIGIN + k];
    inside[i * 3 + k] = 0;
    useOfSky[i * 3 + k] = ray[START_SKY];
    split[i * 3 + k] = 0;
  }
  footprint[i] = ray[START_FOOTPRINT];
  spread[i] = ray[START_SPREAD];
  density[i] = ray[START_DENSITY];
  scattered[i] = glossCount[i] = throughCount[i] = crossed[i] = 0;
  matteCount[i] = ray[START_MATTE];
  ending[i] = ray[START_ENDS];
  home.fill(0, i * HOME, i * HOME + HOME);
  seenColor.fill(0, i * 6, i * 6 + 6);
  if (sample === 0) paths.fill(0, item * PATH_SUMS, item * PATH_SUMS + PATH_SUMS);
  return true;
}
