/** The compiled loops on a ray structure, for one thread: each has its own part of the memory to work in. */
import { bindKernel, type KernelExports, type KernelUse } from '@daxel/kernel/load';
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
    use: KernelUse = 'frame',
  ) {
    this.loops = bindKernel(memory, use);
    const { buffer, byteOffset: at } = scratch;
    this.listed = new Int32Array(buffer, at + LIST, LISTED);
    this.kinds = scratch.subarray(KINDS);
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
