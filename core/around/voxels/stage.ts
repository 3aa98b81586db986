/** Bounced light by voxels. They are made before the frame is drawn, and stay while nothing moves and no light changes. */
import { VOXEL_ORDER_BYTES } from '@daxel/kernel/generated/layouts/voxelOrder';
import { LEVEL_BYTES } from '@daxel/kernel/generated/layouts/voxelLevel';
import { WAY_STRIDE } from '@daxel/kernel/generated/layouts/voxelWay';
import { BadInputError } from '../../errors';
import { pathOptions, type PathOptions } from '../../frame/frameSettings';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import { posedKey } from '../../frame/stages/geometry';
import type { PlanContext } from '../../frame/stages/stage';
import { poseNodes } from '../../scene/pose';
import { PATH_TILE, pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { scratchBytes } from '../../trace/rayKernel';
import type { AroundStage } from '../method';
import { marchesBounce } from '../screen/settings';
import { sceneBox, three, type Box } from '../sceneBox';
import { BEYOND_NUMBERS } from './beyond';
import { cubeAt, fillGrid, planLevels, roomForFaces, strideOf, type VoxelGrid } from './grid';
import { openVoxels } from './openVoxels';
import { asksVoxels } from './settings';

export interface VoxelOptions extends PathOptions {
  grid: VoxelGrid;
  /** Of each face, when the light is gathered at last. */
  cones: number;
  /** Rays of each face that look for what shines straight on it. */
  samples: number;
  /** They are asked after rays through the picture. */
  after: boolean;
}

/** Mips that there may be, room for polygons and for lists of faces, and for an answer: bytes of each thread. */
export const MOST_LEVELS = 10;
export const WORK_BYTES = 16384;
export const ANSWER_BYTES = 64;
export const ORDER_ROOM = VOXEL_ORDER_BYTES + MOST_LEVELS * LEVEL_BYTES + WORK_BYTES + ANSWER_BYTES;
/** More faces than this are refused: two gigabytes. */
const MOST_FACES = 2 ** 25;

/** @param threads 0 where there are none */
function arenaOf(options: VoxelOptions | null, threads: number, instances: number, materials: number) {
  const levels = options?.grid.levels ?? [];
  const sum = (of: (level: VoxelGrid['levels'][number]) => number): number => levels.reduce((s, l) => s + of(l), 0);
  const faces = (levels[0]?.faces ?? 0) * 4;
  const ways = options ? 6 * options.cones * WAY_STRIDE : 0;
  const layers = levels[0]?.counts[2] ?? 0;
  const each = options ? threads : 0;
  return {
    voxelCells: { type: 'i32', length: sum((l) => l.cells), stage: 'bounce' },
    voxelNear: { type: 'u8', length: sum((l) => l.cells), stage: 'bounce' },
    voxelField: { type: 'f32', length: sum((l) => l.faces) * 4, stage: 'bounce' },
    voxelLit: { type: 'f32', length: faces, stage: 'bounce' },
    voxelGlow: { type: 'f32', length: faces, stage: 'bounce' },
    voxelFound: { type: 'f32', length: faces, stage: 'bounce' },
    voxelOpen: { type: 'f32', length: faces * 2, stage: 'bounce' },
    /** Faces that the finest grid has. */
    voxelNeeds: { type: 'i32', length: options ? 1 : 0, stage: 'bounce' },
    voxelLayers: { type: 'i32', length: sum((l) => l.counts[2]), stage: 'bounce' },
    /** Sums of light and of weights by layer: of what lights faces, and of what they send in passes. */
    voxelMeans: { type: 'f64', length: layers * 8, stage: 'bounce' },
    voxelWays: { type: 'f32', length: ways, stage: 'bounce' },
    voxelBeyond: { type: 'f32', length: options ? BEYOND_NUMBERS : 0, stage: 'bounce' },
    voxelOpacity: { type: 'f32', length: options ? instances : 0, stage: 'bounce' },
    voxelOrders: { type: 'u8', length: each * ORDER_ROOM, stage: 'bounce' },
    voxelPaths: { type: 'u8', length: each * pathScratchBytes(materials), stage: 'bounce' },
    voxelRays: { type: 'u8', length: each * scratchBytes(materials), stage: 'bounce' },
    voxelSums: { type: 'f32', length: each * PATH_TILE * PATH_TILE * PATH_SUMS, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type VoxelArena = ReturnType<typeof arenaOf>;
export type VoxelViews = ArenaViews<VoxelArena>;

export const voxelStage: AroundStage<VoxelOptions, VoxelArena> = {
  each: 'instant',
  options(context: PlanContext) {
    const { recipe, settings } = context;
    if (settings.path || !asksVoxels(recipe)) return null;
    const number = (id: string): number => recipe[`bounce.${id}`] as number;
    return {
      ...pathOptions(recipe),
      grid: gridOf(context),
      cones: number('voxelCones'),
      samples: number('voxelSamples'),
      after: marchesBounce(recipe),
    };
  },
  needs: () => ({ depth: false, normals: false, senders: 0 }),
  memory: ({ scene, threads }, options) =>
    arenaOf(options, threads, scene.meta.instances.length, scene.meta.materials.length),
  key(frame, { grid, cones, samples, bounces, matte, gloss, through, caustics }, look) {
    const { settings, lighting } = frame;
    const { min, side, levels } = grid;
    const paths = [bounces, matte, gloss, through, caustics, settings.bounce];
    return JSON.stringify([posedKey(frame, look), lighting, min, side, levels, cones, samples, paths]);
  },
  open: openVoxels,
};

function gridOf({ recipe, scene, first: { moment } }: PlanContext): VoxelGrid {
  const resolution = recipe['bounce.voxelResolution'] as number;
  const kind = recipe['bounce.voxelBox'] as string;
  const whole = kind === 'fit';
  const grid = fillGrid(boxOf(), resolution, whole);
  const levels = planLevels(grid, roomForFaces(scene, grid));
  if (levels[0].faces > MOST_FACES)
    throw new BadInputError(
      `Voxels of ${Number(grid.side.toPrecision(2))} m ask for ${Math.round((levels[0].faces * 96) / 2 ** 20).toLocaleString('en')} MB. Lower bounce.voxelResolution, or let them fill a smaller part of the scene by bounce.voxelBox.`,
    );
  return { min: grid.min, side: grid.side, whole, levels };

  function boxOf(): Box {
    // as the scene stands at the beginning: a box that follows all that moves would let the voxels swim
    if (whole) return sceneBox(scene, poseNodes(scene, 0));
    const size = recipe['bounce.voxelSize'] as number;
    if (kind === 'placed')
      return cubeAt(
        three((c) => recipe[`bounce.voxel${'XYZ'[c]}`] as number),
        size,
      );
    const { world: eye } = moment.camera;
    // more of it before the camera than behind
    return cubeAt(
      three((c) => eye[12 + c] - (eye[8 + c] * size) / 4),
      size,
      strideOf(size, resolution),
    );
  }
}
