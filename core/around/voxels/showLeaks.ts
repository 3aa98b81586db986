/**
 * Where light may come through walls that voxels do not tell apart: what is thinner than one shares it, or its neighbour, with
 * what lies behind.
 */
import { stepOff, type ShadowRays } from '../../trace/traceShadow';
import { luminance } from '../../math/color';
import { lookAlong } from '../lookAlong';
import { LEAK_NONE, type Asked, type AroundView } from '../view';
import type { VoxelGrid } from './grid';

/** Surfaces that may stand in one voxel. */
const MOST_MET = 16;
/** More than this is as much. */
const MOST = 1000;

interface Place {
  x: number;
  y: number;
  z: number;
}

/** @param ask irradiance of a place by its normal, rgb, and how sure it is @returns of 1 on: how much brighter it is behind */
export function createLeakView(
  rays: ShadowRays,
  { side }: VoxelGrid,
  ask: (place: Place, normal: ArrayLike<number>) => ArrayLike<number>,
): AroundView {
  const inward = new Float64Array(3);
  const behind: Place = { x: 0, y: 0, z: 0 };
  const light = (place: Place, normal: ArrayLike<number>): number => {
    const told = ask(place, normal);
    return told[3] > 0 ? luminance(told[0], told[1], told[2]) : -1;
  };
  /** Metres to the last of what stands within a voxel, 0 for a sheet; Infinity where the wall is thicker than that. */
  const thickness = ({ x, y, z, face }: Asked): number => {
    const off = stepOff(x, y, z) * 4;
    for (let c = 0; c < 3; c++) inward[c] = -face[c];
    let wall = 0;
    for (let met = 0; met < MOST_MET; met++) {
      const at = wall + off;
      const { distance, back } = lookAlong(rays, x - face[0] * at, y - face[1] * at, z - face[2] * at, inward);
      // the inside of a body reaches beyond it
      if (!(at + distance < side)) return back ? Infinity : wall;
      wall = at + distance;
    }
    return wall;
  };
  return {
    begin() {
      // every pixel looks for itself
    },
    coverAt: () => false,
    measureAt(at) {
      const here = light(at, at.normal);
      if (here < 0) return -1;
      const wall = thickness(at);
      if (wall === Infinity) return LEAK_NONE;
      behind.x = at.x + inward[0] * wall;
      behind.y = at.y + inward[1] * wall;
      behind.z = at.z + inward[2] * wall;
      const there = light(behind, inward);
      return Math.max(1, there > 0 ? there / Math.max(here, there / MOST) : 1);
    },
  };
}
