/** Loads the compiled loops onto a memory: the same way in Node, in web workers and in tests. */
import type { KernelExports } from './generated/kernelExports';
import { KERNEL_WASM } from './generated/kernelWasm';

export type { KernelExports };

/** Memory that threads can share; where the page may not share any, memory of one thread alone. */
export function sharedBytes(bytes: number): ArrayBufferLike {
  return typeof SharedArrayBuffer === 'undefined' ? new ArrayBuffer(bytes) : new SharedArrayBuffer(bytes);
}

let wanted = true;

/** Whether the compiled loops are used where nobody asks for one kind: off is for comparing. */
export function useKernels(on: boolean): void {
  wanted = on;
}
export function kernelsInUse(): boolean {
  return wanted;
}

const PAGE = 65536;
const MOST_PAGES = 65536;
let compiled: WebAssembly.Module | null | undefined;

/** The compiled loops, to be handed to another thread; null where they cannot be had. */
export function kernelModule(): WebAssembly.Module | null {
  if (compiled !== undefined) return compiled;
  try {
    const text = atob(KERNEL_WASM);
    const bytes = new Uint8Array(text.length);
    for (let i = 0; i < bytes.length; i++) bytes[i] = text.charCodeAt(i);
    compiled = new WebAssembly.Module(bytes);
  } catch {
    // no vector instructions, or compiling is forbidden: the plain loops do the work
    compiled = null;
  }
  return compiled;
}

/** Takes them up from another thread instead of compiling them anew. */
export function adoptKernel(module: WebAssembly.Module): void {
  compiled ??= module;
}

/** Shared memory that the loops can work on, or null where they cannot be had. @param bytes at least so many */
export function createKernelMemory(bytes: number): WebAssembly.Memory | null {
  if (!kernelModule()) return null;
  const pages = Math.max(1, Math.ceil(bytes / PAGE));
  try {
    return new WebAssembly.Memory({ initial: pages, maximum: pages, shared: true });
  } catch {
    return null;
  }
}

/** Shared memory that grows on demand up to what 32-bit addresses reach, or null where the loops cannot be had. */
export function createGrowingMemory(): WebAssembly.Memory | null {
  if (!kernelModule()) return null;
  // the maximum is address space, not memory; where there is little of it, less must do
  for (const maximum of [MOST_PAGES, MOST_PAGES / 4]) {
    try {
      return new WebAssembly.Memory({ initial: 1, maximum, shared: true });
    } catch {
      // try the next
    }
  }
  return null;
}

/** What the loops ask the thread they run on for; whoever starts loops that ask sets these first. */
export interface KernelCalls {
  /** How much of a light arrives at the record's place: answered by `setLit`. */
  arrive: (light: number, whole: number, lx: number, ly: number, lz: number, distance: number, faceCos: number) => void;
  /** The environment in a direction: answered by `setColor`. */
  mirror: (x: number, y: number, z: number) => void;
  /** Lets methods of light from around fill the columns of a row whose first pixel is seen at a place of the picture. */
  around: (px: number, py: number, seeThrough: number) => void;
  /** The background at a place of the picture: answered by `setColor`. */
  backdrop: (px: number, py: number) => void;
  /** Draws a direction of the surroundings from a place: answered as an arrival (core/trace/emitters). */
  drawSky: (x: number, y: number, z: number, u: number, v: number) => void;
  /** The surroundings in a direction and, if asked, the density of drawing it from a place: answered in an arrival. */
  meetSky: (x: number, y: number, z: number, dx: number, dy: number, dz: number, asked: number) => void;
  /** The glowing triangle at a place of their sums, 0 … 1. */
  pickTriangle: (u: number) => number;
  /** A place of the lens: answered by `setLens`. */
  drawLens: (sample: number, seed: number) => void;
  /** Factor for what facets of solid glass pass on among themselves. */
  solidBoost: (ior: number, entering: number, roughness: number, cosine: number) => number;
  /** Traces the shadow ray at an address, on which more lies than can be listed: answered by the light that comes through. */
  passLong: (address: number) => void;
}

/**
 * What loops are used for on a thread: what they are told stays with the use, so that light from around can be traced while
 * a row of the frame is being shaded.
 */
export type KernelUse = 'frame' | 'around' | 'mirrors';

interface Bound {
  loops: KernelExports;
  calls: KernelCalls;
}

const bound: Record<KernelUse, WeakMap<WebAssembly.Memory, Bound>> = {
  frame: new WeakMap(),
  around: new WeakMap(),
  mirrors: new WeakMap(),
};

function bind(memory: WebAssembly.Memory, use: KernelUse): Bound {
  let held = bound[use].get(memory);
  if (!held) {
    const module = kernelModule();
    if (!module) throw new Error('The kernel cannot be loaded on this thread.');
    const unset = (): never => {
      throw new Error('The kernel asked for what was not set.');
    };
    const calls: KernelCalls = {
      arrive: unset,
      mirror: unset,
      around: unset,
      backdrop: unset,
      drawSky: unset,
      meetSky: unset,
      pickTriangle: unset,
      drawLens: unset,
      solidBoost: unset,
      passLong: unset,
    };
    // through functions that stay, since what answers is set anew for each frame
    const env = {
      memory,
      arrive: (...a) => calls.arrive(...a),
      mirror: (x, y, z) => calls.mirror(x, y, z),
      around: (px, py, seeThrough) => calls.around(px, py, seeThrough),
      backdrop: (px, py) => calls.backdrop(px, py),
      drawSky: (x, y, z, u, v) => calls.drawSky(x, y, z, u, v),
      meetSky: (x, y, z, dx, dy, dz, asked) => calls.meetSky(x, y, z, dx, dy, dz, asked),
      pickTriangle: (u) => calls.pickTriangle(u),
      drawLens: (sample, seed) => calls.drawLens(sample, seed),
      solidBoost: (ior, entering, roughness, cosine) => calls.solidBoost(ior, entering, roughness, cosine),
      passLong: (address) => calls.passLong(address),
    } satisfies KernelCalls & { memory: WebAssembly.Memory };
    held = { loops: new WebAssembly.Instance(module, { env }).exports as unknown as KernelExports, calls };
    bound[use].set(memory, held);
  }
  return held;
}

/** The loops on a memory that this module made, here or on another thread. */
export function bindKernel(memory: WebAssembly.Memory, use: KernelUse = 'frame'): KernelExports {
  return bind(memory, use).loops;
}

/** Where the loops on a memory find what they ask for. */
export function kernelCalls(memory: WebAssembly.Memory, use: KernelUse = 'frame'): KernelCalls {
  return bind(memory, use).calls;
}

/** A memory with the loops bound to it. */
export interface BoundKernel {
  memory: WebAssembly.Memory;
  loops: KernelExports;
}

/**
 * Keeps one memory for work that comes again.
 * @param mostKept bytes; larger ones are made anew each time
 * @returns what gives memory of at least so many bytes, or null where the loops cannot be had
 */
export function createKernelKeeper(mostKept = Infinity): (bytes: number) => BoundKernel | null {
  let held: BoundKernel | null = null;
  return (bytes) => {
    if (held && held.memory.buffer.byteLength >= bytes) return held;
    const memory = createKernelMemory(bytes);
    if (!memory) return null;
    const own = { memory, loops: bindKernel(memory) };
    held = bytes <= mostKept ? own : null;
    return own;
  };
}
