/**
 * What reaches faces from outside of the grid, by rays. Out there it may be a thousand times brighter than in a room: of that
 * the hundredth that voxels let through a wall that leans would be more than all its own light, and a barred window keeps out
 * of coarse ones more than it should.
 */
import { hashCombine, toUnit } from '../../math/random';
import type { ShadedPlace } from '../../shadows/shadowAt';
import { traceShadow, type ShadowRays } from '../../trace/traceShadow';
import type { Triple } from '../method';
import { cosineDirection } from '../traced/cosineDirection';
import { addBeyond, wayOut } from './beyond';
import type { VoxelGrid } from './grid';

/** Neighbours share one set of rays, as of cones, and each sends one of so many parts. */
export const PARTS = 4;

const normal: Triple = [new Float32Array(1), new Float32Array(1), new Float32Array(1)];
const direction = new Float64Array(3);
const passed = new Float64Array(3);
const from = new Float64Array(3);

/**
 * Which part a face sends. On a plane no two neighbours send the same.
 * @param voxel x, y, z in the grid @param axis of the face
 */
export function partOf([x, y, z]: readonly number[], axis: number): number {
  return ((axis === 0 ? y : x) & 1) | (((axis === 2 ? y : z) & 1) << 1);
}

/**
 * Irradiance over π that comes from outside: of everything, and of surfaces alone; rgb each.
 * @param map see `lookBeyond`
 * @param rays of all parts at least, by strata of the half sphere
 * @param place on the surface, metres in the world
 */
export function lightFromOutside(
  shadows: ShadowRays,
  grid: VoxelGrid,
  map: Float32Array,
  { rays, part, seed }: { rays: number; part: number; seed: number },
  place: ShadedPlace,
  out: Float64Array,
): void {
  out.fill(0);
  from.set([place.x, place.y, place.z]);
  [normal[0][0], normal[1][0], normal[2][0]] = [place.fx, place.fy, place.fz];
  let wide = 1;
  while (wide * wide < rays) wide *= 2;
  const high = Math.ceil(rays / wide);
  for (let j = part >> 1; j < high; j += 2)
    for (let i = part & 1; i < wide; i += 2) {
      const bits = hashCombine(seed, j * wide + i);
      cosineDirection(normal, 0, (i + toUnit(bits)) / wide, (j + toUnit(hashCombine(bits, 1))) / high, direction);
      const length = wayOut(grid, from, direction);
      traceShadow(shadows, place, direction[0], direction[1], direction[2], length, passed);
      addBeyond(map, direction, passed, out);
    }
  for (let c = 0; c < out.length; c++) out[c] *= PARTS / (wide * high);
}
