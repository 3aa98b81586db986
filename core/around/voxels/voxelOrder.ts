/** What the compiled loops are told of the voxels of a frame, on each thread. */
import * as L from '@daxel/kernel/generated/layouts/voxelLevel';
import * as O from '@daxel/kernel/generated/layouts/voxelOrder';
import type { FrameWork } from '../../frame/frameWork';
import { CHUNK_TRIANGLES } from '../../raster/binTriangles';
import { cornerCell } from './grid';
import { MOST_LEVELS, type VoxelOptions, type VoxelViews } from './stage';

/** Voxels inside the border over which a box that ends within the scene is less and less sure. */
const RAMP = 2;

export interface VoxelOrder {
  /** The same numbers as floats and as integers. */
  order: Float32Array;
  marks: Int32Array;
  /** Its address. */
  at: number;
}

/** Tells them all but where rows are told from. @param room ORDER_ROOM bytes of this thread */
export function writeOrder(
  { scene, geometry }: FrameWork,
  { grid, cones, after }: VoxelOptions,
  views: VoxelViews,
  { buffer, byteOffset }: Uint8Array,
): VoxelOrder {
  const order = new Float32Array(buffer, byteOffset, O.VOXEL_ORDER_STRIDE);
  const marks = new Int32Array(buffer, byteOffset, O.VOXEL_ORDER_STRIDE);
  const levelsAt = byteOffset + O.VOXEL_ORDER_BYTES;
  marks[O.VOXELS_LEVELS] = levelsAt;
  marks[O.VOXELS_LEVEL_COUNT] = grid.levels.length;
  marks[O.VOXELS_LIT] = views.voxelLit.byteOffset;
  marks[O.VOXELS_GLOW] = views.voxelGlow.byteOffset;
  marks[O.VOXELS_FOUND] = views.voxelFound.byteOffset;
  marks[O.VOXELS_OPEN] = views.voxelOpen.byteOffset;
  marks[O.VOXELS_POSITIONS] = geometry.positions.byteOffset;
  marks[O.VOXELS_TRIANGLES] = scene.triangles.byteOffset;
  marks[O.VOXELS_TRIANGLE_INSTANCE] = scene.triangleInstance.byteOffset;
  marks[O.VOXELS_TRIANGLE_COUNT] = scene.triangles.length / 3;
  marks[O.VOXELS_OPACITY] = views.voxelOpacity.byteOffset;
  marks[O.VOXELS_CHUNK_BOXES] = geometry.chunkBoxes.byteOffset;
  marks[O.VOXELS_CHUNK_TRIANGLES] = CHUNK_TRIANGLES;
  marks[O.VOXELS_WORK] = levelsAt + MOST_LEVELS * L.LEVEL_BYTES;
  order.set(grid.min, O.VOXELS_MIN);
  order[O.VOXELS_SIDE] = grid.side;
  marks.set(cornerCell(grid), O.VOXELS_AT);
  order[O.VOXELS_RAMP] = grid.whole ? 0 : RAMP;
  marks[O.VOXELS_AFTER] = after ? 1 : 0;
  marks[O.VOXELS_ASKED] = 0;
  marks[O.VOXELS_OUTSIDE] = 0;
  marks[O.VOXELS_WAYS] = views.voxelWays.byteOffset;
  marks[O.VOXELS_WAY_COUNT] = cones;
  let [cells, faces, layers] = [0, 0, 0];
  grid.levels.forEach(({ counts: [x, y, z], cells: all, faces: most }, i) => {
    const level = new Int32Array(buffer, levelsAt + i * L.LEVEL_BYTES, L.LEVEL_STRIDE);
    const row = (x + 2) * 4;
    const plane = row * (y + 2);
    const first = plane + row + 4;
    level[L.LEVEL_CELLS] = views.voxelCells.byteOffset + cells * 4 + first;
    level[L.LEVEL_NEAR] = views.voxelNear.byteOffset + cells + first / 4;
    level[L.LEVEL_FIELD] = views.voxelField.byteOffset + faces * 16;
    level.set([x, y, z], L.LEVEL_COUNT);
    level[L.LEVEL_ROW] = row;
    level[L.LEVEL_PLANE] = plane;
    level[L.LEVEL_LAYERS] = views.voxelLayers.byteOffset + layers * 4;
    cells += all;
    faces += most;
    layers += z;
  });
  return { order, marks, at: byteOffset };
}
