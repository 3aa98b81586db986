/** Makes the voxels of a frame: their shape, the light that falls on them, and what they send one another. All threads together. */
import { WAY_STRIDE } from '@daxel/kernel/generated/layouts/voxelWay';
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import type { FrameWork } from '../../frame/frameWork';
import type { Look } from '../../frame/look';
import { bvhOf } from '../../trace/bvhLayout';
import { canTracePaths, PathKernel, pathScratchBytes } from '../../trace/pathKernel';
import { RayKernel, scratchBytes } from '../../trace/rayKernel';
import type { PathInput } from '../../trace/tracePaths';
import { lookingInput } from '../lookAround';
import { BEYOND_SIDE, lookBeyond } from './beyond';
import { lightLayer, type FaceLight } from './lightFaces';
import { writeOpacity } from './opacity';
import { PARTS } from './openings';
import type { VoxelOptions, VoxelViews } from './stage';
import type { VoxelOrder } from './voxelOrder';
import { writeWays } from './ways';

/** Parts of a layer whose cones are one piece of work. */
const BANDS = 4;
/** When light is passed on each face sends fewer cones: what one misses is made up for by others. */
const PASSING_PARTS = 2 * PARTS;
/** Rays that look for what comes from outside to a cone, and how often that is spread over neighbours: an even number. */
const RAYS = 2;
const SPREADS = 6;
/** Light is passed on until it grows by no more than this share. */
const SETTLED = 0.01;
/** Most light that a face scatters, times the mean of all: lone highlights would shine through the coarse mips as lamps. */
const MOST = 64;

/** What all passes go by. */
interface Making {
  work: FrameWork;
  options: VoxelOptions;
  views: VoxelViews;
  /** Address of what the loops are told. */
  at: number;
  loops: KernelExports;
  /** Along z, of each grid. */
  layers: readonly number[];
  /** Shares pieces of work. @returns false when cancelled */
  share(count: number, run: (item: number) => void): boolean;
}

/** @returns false when cancelled, or where there is too little room for them */
export function makeVoxels(
  work: FrameWork,
  options: VoxelOptions,
  views: VoxelViews,
  { at }: VoxelOrder,
  look: Look,
): boolean {
  const making: Making = {
    ...{ work, options, views, at, loops: bindKernel(work.memory!) },
    layers: options.grid.levels.map(({ counts }) => counts[2]),
    share: (count, run) => work.team.share(count, work.clock.timed('bounce', run)),
  };
  const light = lightOf(making, look);
  return shape(making) && shine(making, light) && passOn(making);
}

/** Finds which voxels have which faces, what these cover, and the same of all mips. */
function shape({ work, options, views, at, loops, layers, share }: Making): boolean {
  /** Numbers the faces of a grid that were marked. Where there is no room for all the frame is drawn again with more. */
  const number = (m: number): boolean => {
    const faces = loops.voxelFaces(at, m);
    if (m === 0) views.voxelNeeds[0] = faces;
    return faces <= options.grid.levels[m].faces && share(layers[m], (z) => loops.numberVoxels(at, m, z));
  };
  const note = (m: number): boolean => share(layers[m] + 1, (z) => loops.noteVoxels(at, m, z - 1));
  return (
    share(1, () => writeOpacity(work.source, views.voxelOpacity)) &&
    share(layers[0], (z) => loops.markVoxels(at, z)) &&
    number(0) &&
    share(layers[0], (z) => loops.coverVoxels(at, z)) &&
    share(layers[0], (z) => loops.deepenVoxels(at, z)) &&
    note(0) &&
    layers.every((count, m) => m === 0 || (share(count, (z) => loops.markMips(at, m, z)) && number(m) && note(m)))
  );
}

/** Finds what lights faces straight, and what lies beyond the box as seen from it. */
function shine({ options: { cones }, views, layers, share }: Making, light: FaceLight): boolean {
  const each = cones * WAY_STRIDE;
  return (
    share(6, (face) => writeWays(face, cones, views.voxelWays.subarray(face * each, (face + 1) * each))) &&
    share(BEYOND_SIDE, (row) => lookBeyond(light, row)) &&
    share(layers[0], (z) => lightLayer(light, z))
  );
}

/** Passes light on from face to face, until it has met as many surfaces as it may or hardly grows any more. */
function passOn({ options, views, at, loops, layers, share }: Making): boolean {
  const numbers = layers[0] * 2;
  // of light, of passes in turn, of the last one: threads read one of them while others write the next already
  const [lit, even, odd, last] = [0, 1, 2, 3].map((k) => views.voxelMeans.subarray(k * numbers, (k + 1) * numbers));
  const surfaces = Math.min(options.bounces, options.matte);
  const most = surfaces > 0 ? MOST * meanOf(lit) : 0;
  const from = (z: number): number => loops.facesBefore(at, 0, z);

  /** Faces send what they are lit by, and what they have found if they reflect that; the last time they glow as well. */
  const send = (means: Float64Array, reflects: boolean): boolean => {
    const glows = means === last ? 1 : 0;
    const sent = share(layers[0], (z) => {
      means[z * 2] = loops.lightVoxels(at, from(z), from(z + 1), glows, reflects ? 1 : 0, most);
    });
    return sent && layers.every((count, m) => m === 0 || share(count, (z) => loops.fillMips(at, m, z)));
  };
  const rows = options.grid.levels[0].counts[1];
  const inBands = (run: (z: number, first: number, end: number) => void): boolean =>
    share(layers[0] * BANDS, (item) => {
      const band = item % BANDS;
      run(Math.floor(item / BANDS), Math.floor((band * rows) / BANDS), Math.floor(((band + 1) * rows) / BANDS));
    });

  const half = (views.voxelOpen.length / 2) * 4;
  const spread = (): boolean => {
    let [here, there] = [views.voxelOpen.byteOffset, views.voxelOpen.byteOffset + half];
    for (let k = 0; k < SPREADS; k++) {
      if (!inBands((z, first, end) => loops.spreadOutside(at, z, first, end, here, there))) return false;
      [here, there] = [there, here];
    }
    return true;
  };

  let passes = 0;
  let before = 0;
  for (; passes < surfaces - 1; passes++) {
    const means = passes % 2 === 0 ? even : odd;
    if (!send(means, passes > 0)) return false;
    const now = sumOf(means);
    if (passes > 0 && now - before <= SETTLED * now) break;
    before = now;
    if (!inBands((z, first, end) => loops.gatherVoxels(at, z, first, end, 0, PASSING_PARTS))) return false;
  }
  return (
    spread() &&
    send(last, passes > 0) &&
    inBands((z, first, end) => loops.gatherVoxels(at, z, first, end, 1, PARTS)) &&
    inBands((z, first, end) => loops.blendVoxels(at, z, first, end))
  );
}

/** Of the first of every two. */
function sumOf(means: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < means.length; i += 2) sum += means[i];
  return sum;
}

/** Mean light that faces scatter, nit. @param means sums and weights in turn */
function meanOf(means: Float64Array): number {
  const weight = sumOf(means.subarray(1));
  return weight > 0 ? sumOf(means) / weight : 0;
}

function lightOf({ work, options, views }: Making, look: Look): FaceLight {
  const { scene, geometry, memory, team } = work;
  const materials = scene.meta.materials.length;
  const sums = team.part(views.voxelSums, views.voxelSums.length / team.size);
  const bvh = bvhOf(work.rays);
  const kernel = new RayKernel(memory!, bvh, team.part(views.voxelRays, scratchBytes(materials)), 'around');
  const looking = lookingInput(work, look, { options, traced: { bvh, kernel }, paths: sums });
  const input: PathInput = { ...looking, limits: { ...looking.limits, total: 0 } };
  const scratch = team.part(views.voxelPaths, pathScratchBytes(materials));
  const compiled = canTracePaths(input.emitters) ? new PathKernel(memory!, scratch, input, 'around') : null;
  return {
    ...{ tracer: { input, compiled }, grid: options.grid, views, sums },
    ...{ rays: options.cones * RAYS, samples: options.samples, ends: options.bounces === 0 },
    ...{ positions: geometry.positions, triangles: scene.triangles },
  };
}
