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
import { alone, BVH_STATE, BvhBuilder, PARTS_WORDS, RECORD_WORDS } from '../trace/bvhBuilder';
import { KIND_SOLID, RayKernel, scratchBytes } from '../trace/rayKernel';

export interface KernelStructure {
  bvh: BvhArrays;
  kernel: RayKernel;
  builder: BvhBuilder;
  nodes: number;
  /** Vertices that are the structure's own, to be moved. */
  positions: Float32Array;
  /** See `BVH_STATE`. */
  state: Float64Array;
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
    bvhWork: { type: 'u32', length: count * RECORD_WORDS, stage: 'shadows' },
    bvhParts: { type: 'u32', length: PARTS_WORDS, stage: 'shadows' },
    bvhState: { type: 'f64', length: BVH_STATE, stage: 'shadows' },
    triangles: { type: 'u32', length: triangles.length, stage: 'geometry' },
    triangleMaterial: { type: 'u16', length: count, stage: 'geometry' },
    scratch: { type: 'u8', length: scratchBytes(kinds.length), stage: 'shadows' },
  } as const;
  const memory = createKernelMemory(arenaBytes(plan));
  if (!memory) throw new Error('There is no kernel on this machine.');
  const views = arenaViews(plan, memory.buffer);
  views.positions.set(positions);
  const bvh = bvhOf(views);
  const kernel = new RayKernel(memory, bvh, views.scratch);
  views.triangles.set(triangles);
  if (materials) views.triangleMaterial.set(materials);
  const builder = new BvhBuilder(memory, bvh, views, views.scratch);
  builder.build(alone);
  kernel.bind(kinds);
  return {
    bvh,
    kernel,
    builder,
    nodes: builder.nodes(),
    positions: views.positions.subarray(0, positions.length),
    state: views.bvhState,
  };
}
