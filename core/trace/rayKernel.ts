/** The compiled loops on a ray structure, for one thread: each has its own part of the memory to work in. */
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import type { BvhArrays } from './bvhLayout';

/** Triangles on a shadow ray that can be listed. */
export const LISTED = 32;
/** What `shadow` gives when something solid is in the way, and when its list is too short. */
export const BLOCKED = -1;
export const TOO_MANY = -2;

/** How a material takes rays: bits as in kernel/assembly/rays. */
export const KIND_SOLID = 1;
export const KIND_LOOK = 2;
export const KIND_FRONT_ONLY = 4;

/** Words a triangle that building needs beside the structure: a record, and its three vertex numbers. */
export const WORK_WORDS = 8 + 3;

/** What is known of a structure: its nodes, what a ray may expect to visit of it as it was built, 1 if it was fitted since. */
export const BVH_STATE = 3;
export const BVH_FITTED = 2;
/** A fitted structure is built anew when rays may expect to visit so many times what they did. */
const WORTH_BUILDING = 1.2;

/** Parts of a thread's memory, bytes from its start. Building takes all before the kinds. */
const STACK = 0;
const LIST = 2048;
const KINDS = 12288;

/** Bytes that each thread needs for itself. */
export function scratchBytes(materials: number): number {
  return Math.ceil((KINDS + materials) / 64) * 64;
}

export class RayKernel {
  /** Places that `shadow` listed. */
  readonly listed: Int32Array;
  private readonly loops: KernelExports;
  private readonly kinds: Uint8Array;

  /** @param scratch this thread's, `scratchBytes` long; all arrays are views of the memory */
  constructor(
    memory: WebAssembly.Memory,
    private readonly bvh: BvhArrays,
    private readonly scratch: Uint8Array,
  ) {
    this.loops = bindKernel(memory);
    const { buffer, byteOffset: at } = scratch;
    this.listed = new Int32Array(buffer, at + LIST, LISTED);
    this.kinds = scratch.subarray(KINDS);
  }

  /** Builds the structure. @param work `WORK_WORDS` a triangle @returns number of nodes */
  build(positions: Float32Array, triangles: Uint32Array, work: Uint32Array): number {
    const count = triangles.length / 3;
    const numbers = work.subarray(count * 8);
    numbers.set(triangles);
    const { bvhNodes, bvhPackets, bvhOrder } = this.bvh;
    return this.loops.build(
      count,
      positions.byteOffset,
      numbers.byteOffset,
      work.byteOffset,
      this.scratch.byteOffset,
      bvhNodes.byteOffset,
      bvhPackets.byteOffset,
      bvhOrder.byteOffset,
    );
  }

  /**
   * Makes the structure right for vertices that moved since it was built: fitted as long as rays find little more in
   * their way than in one that is built anew.
   * @param work as it was left by `build` @param state of the structure, `BVH_STATE` long; zeros where none stands
   */
  move(positions: Float32Array, triangles: Uint32Array, work: Uint32Array, state: Float64Array): void {
    const [nodes, builtCost] = state;
    if (nodes > 0) {
      const { bvhNodes, bvhPackets, bvhOrder } = this.bvh;
      const numbers = work.subarray((triangles.length / 3) * 8);
      this.loops.refit(
        nodes,
        positions.byteOffset,
        numbers.byteOffset,
        bvhNodes.byteOffset,
        bvhPackets.byteOffset,
        bvhOrder.byteOffset,
      );
      state[BVH_FITTED] = 1;
      if (this.loops.costOf(nodes, bvhNodes.byteOffset) <= builtCost * WORTH_BUILDING) return;
    }
    state[BVH_FITTED] = 0;
    state[0] = this.build(positions, triangles, work);
    state[1] = this.loops.costOf(state[0], this.bvh.bvhNodes.byteOffset);
  }

  /** Makes this thread's rays take materials by these kinds. @param kinds KIND_* bits per material */
  bind(kinds: Uint8Array): void {
    const { bvhNodes, bvhPackets, bvhMaterials } = this.bvh;
    this.kinds.set(kinds);
    this.loops.bindRays(
      bvhNodes.byteOffset,
      bvhPackets.byteOffset,
      bvhMaterials.byteOffset,
      this.kinds.byteOffset,
      this.scratch.byteOffset + STACK,
    );
  }

  /** Nearest hit behind a distance; `reached` gives its own. @returns its place or −1 */
  closest(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    behind: number,
    frontOnly: number,
  ): number {
    return this.loops.closest(ox, oy, oz, dx, dy, dz, behind, Infinity, frontOnly);
  }

  reached(): number {
    return this.loops.reached();
  }

  /** What lies on a ray before `reach`. @returns how many are `listed`, or BLOCKED or TOO_MANY */
  shadow(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, reach: number): number {
    return this.loops.shadow(ox, oy, oz, dx, dy, dz, 0, reach, this.listed.byteOffset, LISTED);
  }
}
