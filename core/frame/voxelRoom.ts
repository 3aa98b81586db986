/** How many faces voxels have is known when they are made: frames for which there was no room are drawn again, the others say it. */
import { learnFaces } from '../around/voxels/grid';
import { voxelFigures, type VoxelFigures } from '../around/voxels/figures';
import type { VoxelOptions, VoxelViews } from '../around/voxels/stage';
import type { CompiledScene } from '../scene/compiled';
import type { FramePlan } from './planFrame';
import type { StageRooms } from './stageRooms';
import { STAGE_NAMES } from './stages/frameStages';

const VOXELS = STAGE_NAMES.indexOf('voxels');

/** Of a frame that is drawn; null where it asked none. @param kept they stood from before */
export function figuresOfVoxels({ stages }: FramePlan, rooms: StageRooms, kept: boolean): VoxelFigures | null {
  const { options, arena } = stages[VOXELS];
  if (options === null) return null;
  return voxelFigures(options as VoxelOptions, rooms.viewsOf('voxels', arena) as VoxelViews, kept);
}

/** @returns whether the voxels of a frame that was not finished need more room, which is remembered */
export function lackedRoom(scene: CompiledScene, { stages }: FramePlan, rooms: StageRooms): boolean {
  const { options, arena } = stages[VOXELS];
  if (options === null) return false;
  const { grid } = options as VoxelOptions;
  const [needed] = (rooms.viewsOf('voxels', arena) as VoxelViews).voxelNeeds;
  if (needed <= grid.levels[0].faces) return false;
  learnFaces(scene, grid, needed);
  return true;
}
