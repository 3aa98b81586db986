/** What the voxels of a frame came to. */
import * as O from '@daxel/kernel/generated/layouts/voxelOrder';
import { ORDER_ROOM, type VoxelOptions, type VoxelViews } from './stage';

export interface VoxelFigures {
  /** Side of a voxel, metres. */
  side: number;
  /** Faces that they have. */
  faces: number;
  /** Their box fits the scene. */
  whole: boolean;
  /** They stood from before. */
  kept: boolean;
  /** Share of the places in view that lie outside of their box, of those that asked; 0 where none did. */
  outside: number;
}

/** @param views of a frame that is drawn */
export function voxelFigures(
  { grid }: VoxelOptions,
  { voxelOrders, voxelNeeds }: VoxelViews,
  kept: boolean,
): VoxelFigures {
  let [asked, outside] = [0, 0];
  for (let at = 0; at < voxelOrders.length; at += ORDER_ROOM) {
    const marks = new Int32Array(voxelOrders.buffer, voxelOrders.byteOffset + at, O.VOXEL_ORDER_STRIDE);
    asked += marks[O.VOXELS_ASKED];
    outside += marks[O.VOXELS_OUTSIDE];
  }
  return { side: grid.side, whole: grid.whole, faces: voxelNeeds[0], kept, outside: asked > 0 ? outside / asked : 0 };
}

/** What they came to, for whoever set their resolution. */
export function voxelsInWords({ side, faces, kept }: VoxelFigures): string {
  const wide = side < 1 ? `${Number((side * 100).toPrecision(2))} cm` : `${Number(side.toPrecision(2))} m`;
  return `voxels of ${wide}, ${faces.toLocaleString('en')} faces${kept ? ', kept from before' : ''}`;
}
