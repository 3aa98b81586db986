/**
 * What lies beyond the box of the voxels: the surroundings, and what of the scene is outside of it, lit straight. It is looked
 * at once in each direction, from the middle of the box: what is far looks the same from all places in it.
 */
import { LIGHT_NUMBERS } from '../../light/components';
import { hash32, hashCombine } from '../../math/random';
import { octahedralDecode, octahedralEncode } from '../../math/octahedron';
import { P_COVERED, PATH_SUMS } from '../../trace/pathSums';
import { START_ORIGIN, type PathStarts } from '../../trace/paths/pathStarts';
import { traceFrom } from '../../trace/tracePaths';
import { writeLook } from '../lookAround';
import type { VoxelGrid } from './grid';
import type { FaceLight } from './lightFaces';

/** Texels along a side of its octahedral map, rays along a side of a texel, and numbers of one: all of it, and surfaces alone. */
export const BEYOND_SIDE = 32;
const ACROSS = 4;
const RAYS = ACROSS * ACROSS;
const TEXEL = 6;
export const BEYOND_NUMBERS = BEYOND_SIDE * BEYOND_SIDE * TEXEL;
const BEYOND_SEED = 0xbe7d;

const direction = new Float64Array(3);
const square = new Float64Array(2);

/** Looks along a row of the map. */
export function lookBeyond(light: FaceLight, row: number): void {
  const { tracer, sums, views } = light;
  const map = views.voxelBeyond.subarray(row * BEYOND_SIDE * TEXEL, (row + 1) * BEYOND_SIDE * TEXEL);
  const sky = tracer.input.emitters.surroundings?.light ?? 0;
  tracer.input.sampleBase = hashCombine(hash32(BEYOND_SEED), row);
  traceFrom(tracer, startsFrom(light, row, sky), 0, BEYOND_SIDE * RAYS, 0);
  map.fill(0);
  for (let i = 0; i < BEYOND_SIDE * RAYS; i++) {
    const at = Math.floor(i / RAYS) * TEXEL;
    const surface = sums[i * PATH_SUMS + P_COVERED] > 0;
    for (let k = 0; k < LIGHT_NUMBERS; k++) {
      const found = sums[i * PATH_SUMS + k] / RAYS;
      map[at + (k % 3)] += found;
      if (surface) map[at + 3 + (k % 3)] += found;
    }
  }
}

/** Rays that begin where they leave the box. */
function startsFrom({ grid, ends }: FaceLight, row: number, sky: number): PathStarts {
  const { min, side, levels } = grid;
  const middle = levels[0].counts.map((count, c) => min[c] + (count * side) / 2);
  return {
    count: BEYOND_SIDE * RAYS,
    start(item, _sample, ray) {
      const [texel, k] = [Math.floor(item / RAYS), item % RAYS];
      const u = (texel + ((k % ACROSS) + 0.5) / ACROSS) / BEYOND_SIDE;
      const v = (row + (Math.floor(k / ACROSS) + 0.5) / ACROSS) / BEYOND_SIDE;
      octahedralDecode(u, v, direction);
      const out = wayOut(grid, middle, direction);
      for (let c = 0; c < 3; c++) ray[START_ORIGIN + c] = middle[c] + direction[c] * out;
      writeLook(ray, direction, 0, { sky, ends });
      return true;
    },
  };
}

/** Metres from a place in the grid until a ray leaves it. @param d unit direction */
export function wayOut({ min, side, levels }: VoxelGrid, from: ArrayLike<number>, d: ArrayLike<number>): number {
  let out = Infinity;
  for (let c = 0; c < 3; c++) {
    if (d[c] === 0) continue;
    const end = d[c] > 0 ? min[c] + levels[0].counts[c] * side : min[c];
    out = Math.min(out, (end - from[c]) / d[c]);
  }
  return Math.max(0, out);
}

/** Adds the radiance from a direction, of everything and of surfaces alone, to six numbers. @param tint share that comes, rgb */
export function addBeyond(map: Float32Array, d: ArrayLike<number>, tint: ArrayLike<number>, out: Float64Array): void {
  octahedralEncode(d[0], d[1], d[2], square);
  const texelOf = (x: number): number => Math.min(BEYOND_SIDE - 1, Math.floor(x * BEYOND_SIDE));
  const at = (texelOf(square[1]) * BEYOND_SIDE + texelOf(square[0])) * TEXEL;
  for (let c = 0; c < TEXEL; c++) out[c] += map[at + c] * tint[c % 3];
}
