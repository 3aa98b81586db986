/**
 * The compiled building of the ray structure: what is on top by one thread, the parts below it by all, each in its own
 * place, so that the structure is the same for any number of threads.
 */
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import type { BvhArrays } from './bvhLayout';

/** Words a triangle that building needs beside the structure: its record. */
export const RECORD_WORDS = 8;
/** Words of the table of parts: see kernel/assembly/build. */
export const PARTS_WORDS = 4 + 64 * 8;

/** What is known of a structure: what a ray may expect to visit of it as it was built, 1 if it was fitted since. */
export const BVH_STATE = 2;
const BUILT_COST = 0;
export const BVH_FITTED = 1;
/** A fitted structure is built anew when rays may expect to visit so many times what they did. */
const WORTH_BUILDING = 1.2;

/** Triangles that a thread measures at a time. */
const BLOCK = 8192;

/** Runs items by any threads and waits for all of them. @returns false when cancelled: every thread gets the same answer */
export type Share = (count: number, run: (item: number) => void) => boolean;

/** Shares work with nobody. */
export const alone: Share = (count, run) => {
  for (let item = 0; item < count; item++) run(item);
  return true;
};

/** All of them views of one memory of the kernel. */
export interface BvhRoom {
  positions: Float32Array;
  triangles: Uint32Array;
  triangleMaterial: Uint16Array;
  /** RECORD_WORDS a triangle. */
  bvhWork: Uint32Array;
  /** PARTS_WORDS. */
  bvhParts: Uint32Array;
  /** BVH_STATE. */
  bvhState: Float64Array;
}

export class BvhBuilder {
  private readonly loops: KernelExports;

  /** @param scratch of this thread, as `RayKernel` has it: nothing may be traced while it builds */
  constructor(
    memory: WebAssembly.Memory,
    bvh: BvhArrays,
    private readonly room: BvhRoom,
    scratch: Uint8Array,
  ) {
    this.loops = bindKernel(memory);
    this.loops.bindStructure(
      room.positions.byteOffset,
      room.triangles.byteOffset,
      room.triangleMaterial.byteOffset,
      room.bvhWork.byteOffset,
      scratch.byteOffset,
      bvh.bvhNodes.byteOffset,
      bvh.bvhPackets.byteOffset,
      bvh.bvhOrder.byteOffset,
      bvh.bvhMaterials.byteOffset,
      room.bvhParts.byteOffset,
    );
  }

  /** Builds the structure. @returns false when cancelled */
  build(share: Share): boolean {
    const { loops } = this;
    const { triangleMaterial, bvhParts, bvhState } = this.room;
    const count = triangleMaterial.length;
    const measure = (b: number): void => loops.measureTriangles(b * BLOCK, Math.min(count, (b + 1) * BLOCK));
    return (
      share(Math.ceil(count / BLOCK), measure) &&
      share(1, () => loops.growTop(count)) &&
      share(bvhParts[0], (k) => loops.growPart(k)) &&
      share(1, () => {
        bvhState[BUILT_COST] = loops.structureCost();
        bvhState[BVH_FITTED] = 0;
      })
    );
  }

  /**
   * Makes the structure right for vertices that moved: fitted as long as rays find little more in their way than in one
   * that is built anew.
   * @param stands whether one of the same triangles was built before @returns false when cancelled
   */
  move(share: Share, stands: boolean): boolean {
    const { loops } = this;
    const { bvhParts, bvhState } = this.room;
    if (!stands) return this.build(share);
    const judge = (): void => {
      loops.fitTop();
      bvhState[BVH_FITTED] = loops.structureCost() <= bvhState[BUILT_COST] * WORTH_BUILDING ? 1 : 0;
    };
    if (!share(bvhParts[0], (k) => loops.fitPart(k)) || !share(1, judge)) return false;
    return bvhState[BVH_FITTED] === 1 || this.build(share);
  }

  /** Nodes of the structure. */
  nodes(): number {
    return this.loops.nodeCount();
  }
}
