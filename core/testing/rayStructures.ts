/** A ray structure in memory of its own, for the plain loops or for the compiled ones. */
import { createKernelMemory } from '@daxel/kernel/load';
import { arenaBytes, arenaViews } from '../frame/memory';
import { buildBvh } from '../trace/buildBvh';
import {
  allocateBvh,
  bvhOf,
  NODE_WORDS,
  nodeLimit,
  PACKET_WORDS,
  packetLimit,
  type BvhArrays,
} from '../trace/bvhLayout';
import { KIND_SOLID, RayKernel, scratchBytes, WORK_WORDS } from '../trace/rayKernel';

export interface KernelStructure {
  bvh: BvhArrays;
  kernel: RayKernel;
  nodes: number;
  /** Builds once more, for its time. */
  build(): number;
  /** Vertices that are the structure's own, to be moved. */
  positions: Float32Array;
  /** See `RayKernel.move`. */
  move(state: Float64Array): void;
}

export function plainStructure(
  positions: Float32Array,
  triangles: Uint32Array,
): { bvh: BvhArrays; nodes: number; build(): number } {
  const bvh = allocateBvh(triangles.length / 3);
  const build = (): number => buildBvh(positions, triangles, bvh);
  return { bvh, nodes: build(), build };
}

/** @param kinds KIND_* bits of the materials @param materials of the triangles; all of one solid material when absent */
export function kernelStructure(
  positions: Float32Array,
  triangles: Uint32Array,
  kinds = Uint8Array.of(KIND_SOLID),
  materials?: ArrayLike<number>,
): KernelStructure {
  const count = triangles.length / 3;
  const plan = {
    positions: { type: 'f32', length: positions.length + 4, stage: 'geometry' },
    bvhNodes: { type: 'f32', length: nodeLimit(count) * NODE_WORDS, stage: 'shadows' },
    bvhPackets: { type: 'f32', length: packetLimit(count) * PACKET_WORDS, stage: 'shadows' },
    bvhOrder: { type: 'u32', length: packetLimit(count) * 4, stage: 'shadows' },
    bvhMaterials: { type: 'u32', length: packetLimit(count) * 4, stage: 'shadows' },
    bvhWork: { type: 'u32', length: count * WORK_WORDS, stage: 'shadows' },
    scratch: { type: 'u8', length: scratchBytes(kinds.length), stage: 'shadows' },
  } as const;
  const memory = createKernelMemory(arenaBytes(plan));
  if (!memory) throw new Error('There is no kernel on this machine.');
  const views = arenaViews(plan, memory.buffer);
  views.positions.set(positions);
  const bvh = bvhOf(views);
  const kernel = new RayKernel(memory, bvh, views.scratch);
  const build = (): number => kernel.build(views.positions, triangles, views.bvhWork);
  const nodes = build();
  if (materials) bvh.bvhOrder.forEach((t, place) => (bvh.bvhMaterials[place] = materials[t] ?? 0));
  kernel.bind(kinds);
  const move = (state: Float64Array): void => kernel.move(views.positions, triangles, views.bvhWork, state);
  return { bvh, kernel, nodes, build, positions: views.positions.subarray(0, positions.length), move };
}
