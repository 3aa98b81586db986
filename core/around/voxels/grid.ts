/** Where the voxels of a scene lie, how many there are, and how much room their faces may take. */
import { BadInputError } from '../../errors';
import type { CompiledScene } from '../../scene/compiled';
import { longest, sizeOf, three, type Box, type Vec } from '../sceneBox';

/** A grid, or one of its mips. */
export interface VoxelLevel {
  /** Along x, y, z. */
  counts: Vec;
  /** With one of nothing on every side. */
  cells: number;
  /** Faces that there is room for. */
  faces: number;
}

export interface VoxelGrid {
  /** Corner, metres in the world. */
  min: Vec;
  /** Side of a voxel, metres. */
  side: number;
  /** The finest first. */
  levels: readonly VoxelLevel[];
  /** Everything that matters of the scene is inside. */
  whole: boolean;
}

/** Mips end where one has no more than so many voxels along its longest side. */
const COARSEST = 4;
/** Boxes go with the camera by this many voxels at a time, so that what is in the mips does not swim. */
const STRIDE_SHARE = 8;
/** Flat scenes get so many voxels across as well. */
const LEAST = 2;

/**
 * A grid that fills a box, with half a voxel to spare on every side: walls that end it lie in the middle of voxels.
 * @param resolution voxels along the longest side
 * @throws BadInputError where the box has no size
 */
export function fillGrid(box: Box, resolution: number, whole: boolean): Omit<VoxelGrid, 'levels'> & Fine {
  const size = sizeOf(box);
  if (!(longest(box) > 0) || !(longest(box) < Infinity))
    throw new BadInputError('The box of the voxels has no size: nothing stands in it.');
  const side = longest(box) / (whole ? resolution - 1 : resolution);
  const counts = three((c) => Math.max(LEAST, Math.ceil(size[c] / side - 1e-6) + (whole ? 1 : 0)));
  const min = three((c) => (box.min[c] + box.max[c]) / 2 - (counts[c] * side) / 2);
  return { min, side, counts, whole };
}

/** The cube around a place. @param snap metres to which it keeps; 0 for none */
export function cubeAt(middle: Vec, size: number, snap = 0): Box {
  const at = snap > 0 ? three((c) => Math.round(middle[c] / snap) * snap) : middle;
  return { min: three((c) => at[c] - size / 2), max: three((c) => at[c] + size / 2) };
}

/** By how much a cube goes with the camera at a time, metres. */
export function strideOf(size: number, resolution: number): number {
  return (size / resolution) * Math.max(1, Math.round(resolution / STRIDE_SHARE));
}

type Fine = Pick<VoxelGrid, 'min' | 'side'> & { counts: Vec };

/** Of a grid all its mips. @param faces of the finest that there is room for */
export function planLevels({ counts }: Fine, faces: number): VoxelLevel[] {
  const levels: VoxelLevel[] = [];
  let room = faces;
  for (let n = counts; ; n = three((c) => Math.ceil(n[c] / 2))) {
    // a mip has no face that no voxel of it has
    room = Math.min(room, 6 * n[0] * n[1] * n[2]);
    levels.push({ counts: n, cells: (n[0] + 2) * (n[1] + 2) * (n[2] + 2), faces: room });
    if (Math.max(...n) <= COARSEST) return levels;
  }
}

/** The corner of a grid in voxels from where the world begins, to the nearest. */
export function cornerCell({ min, side }: Pick<VoxelGrid, 'min' | 'side'>): Vec {
  return three((c) => Math.round(min[c] / side) | 0);
}

/** Faces to a voxel on the sides of the grid that most scenes need less than; and room for what moves. */
const GUESS = 2.5;
const SPARE = 1.125;
/** Grids of a scene whose faces are known. */
const KEPT = 16;

const learnt = new WeakMap<CompiledScene, Map<string, number>>();
const keyOf = ({ min, side, counts }: Fine): string => [...min, side, ...counts].join();

/** Faces that a grid of a scene is given room for: as many as it was seen to need, or a guess. */
export function roomForFaces(scene: CompiledScene, grid: Fine): number {
  const [x, y, z] = grid.counts;
  const known = learnt.get(scene)?.get(keyOf(grid));
  return known ?? Math.ceil(GUESS * 2 * (x * y + y * z + z * x)) + 64;
}

/** Remembers that it needed more. @param needed counted */
export function learnFaces(scene: CompiledScene, { min, side, levels }: VoxelGrid, needed: number): void {
  const grids = learnt.get(scene) ?? new Map<string, number>();
  learnt.set(scene, grids);
  if (grids.size >= KEPT) grids.clear();
  grids.set(keyOf({ min, side, counts: levels[0].counts }), Math.ceil(needed * SPARE));
}
