/** Voxels as they are seen in a picture: small boxes that shine as they light the others, and how wide they are. */
import { shown, wayThrough, type AroundView, type ShownAround } from '../view';
import type { VoxelGrid } from './grid';
import type { VoxelViews } from './stage';

/** Edges of voxels are drawn over so much of their sides, darker by this factor. */
const EDGE = 0.06;
const EDGE_SHADE = 0.72;
/** Voxels are seen so far behind the surface that they are made of, in their sides. */
const BEHIND = 1.5;

export function createVoxelView(grid: VoxelGrid, views: VoxelViews, { rays, exposure }: ShownAround): AroundView {
  const { min, side } = grid;
  const [across, up, deep] = grid.levels[0].counts;
  const counts = [across, up, deep];
  const { voxelCells, voxelField } = views;
  const stride = [1, across + 2, (across + 2) * (up + 2)];
  const first = stride[0] + stride[1] + stride[2];
  const from = new Float64Array(3);
  const along = new Float64Array(3);
  const cell = new Int32Array(3);
  const next = new Float64Array(3);

  /** The way through a pixel, in voxels from the grid's corner and voxels for a metre along the view axis. */
  const rayThrough = (px: number, py: number): void => {
    wayThrough(rays, px, py, from, along);
    for (let c = 0; c < 3; c++) {
      along[c] /= side;
      from[c] = (from[c] - min[c]) / side;
    }
  };
  /** Where the way is inside the grid: writes from where on. @returns up to where; below that it is nowhere */
  const within = (reach: number): [number, number] => {
    let [near, far] = [0, reach];
    for (let c = 0; c < 3; c++) {
      const a = -from[c] / along[c];
      const b = (counts[c] - from[c]) / along[c];
      near = Math.max(near, Math.min(a, b));
      far = Math.min(far, Math.max(a, b));
    }
    return [near, far];
  };
  const face = (faces: number, axis: number): number => {
    const bit = axis * 2 + (along[axis] > 0 ? 1 : 0);
    return (faces >> bit) & 1 ? bit : -1;
  };
  /** The face of a voxel that is seen: that on the side at which the way comes in, or another that looks its way. */
  const faceOf = (faces: number, axis: number): number => {
    for (const other of [axis, 0, 1, 2]) {
      const bit = face(faces, other);
      if (bit >= 0) return bit;
    }
    return -1;
  };
  const shade = (faces: number, bit: number, axis: number, at: number, out: Float64Array): void => {
    let before = 0;
    for (let k = 0; k < bit; k++) before += (faces >> k) & 1;
    const o = ((faces >>> 6) + before) * 4;
    const depth = voxelField[o + 3];
    let edge = false;
    for (let c = 0; c < 3; c++) {
      const inside = from[c] + along[c] * at - cell[c];
      if (c !== axis && (inside < EDGE || inside > 1 - EDGE)) edge = true;
    }
    for (let c = 0; c < 3; c++)
      out[c] = (depth > 0 ? shown(voxelField[o + c] / depth, exposure) : 0) * (edge ? EDGE_SHADE : 1);
  };

  return {
    begin() {
      // every pixel looks for itself
    },
    coverAt(px, py, depth, out) {
      rayThrough(px, py);
      const size = Math.sqrt(along[0] ** 2 + along[1] ** 2 + along[2] ** 2);
      const [near, far] = within(depth + BEHIND / size);
      if (!(near < far)) return false;
      let at = near;
      let axis = 0;
      for (let c = 0; c < 3; c++) {
        cell[c] = Math.min(counts[c] - 1, Math.max(0, Math.floor(from[c] + along[c] * near)));
        next[c] = along[c] === 0 ? Infinity : (cell[c] + (along[c] > 0 ? 1 : 0) - from[c]) / along[c];
        // the side at which it comes in
        if (Math.abs((from[c] + along[c] * near) % 1) < 1e-6) axis = c;
      }
      for (;;) {
        const faces = voxelCells[first + cell[0] + cell[1] * stride[1] + cell[2] * stride[2]];
        const bit = faces === 0 ? -1 : faceOf(faces, axis);
        if (bit >= 0) {
          shade(faces, bit, axis, at, out);
          return true;
        }
        axis = next[0] < next[1] ? (next[0] < next[2] ? 0 : 2) : next[1] < next[2] ? 1 : 2;
        at = next[axis];
        if (!(at < far)) return false;
        cell[axis] += along[axis] > 0 ? 1 : -1;
        if (cell[axis] < 0 || cell[axis] >= counts[axis]) return false;
        next[axis] += Math.abs(1 / along[axis]);
      }
    },
    measureAt({ x, y, z }) {
      const inside = [x, y, z].every((v, c) => v > min[c] && v < min[c] + counts[c] * side);
      return inside ? side : -1;
    },
  };
}
