/** Loads the compiled loops onto a memory: the same way in Node, in web workers and in tests. */
import { KERNEL_WASM } from './generated/kernelWasm';

/** Addresses are bytes from the start of the memory. See kernel/assembly for what each does. */
export interface KernelExports {
  build(
    count: number,
    positions: number,
    triangles: number,
    work: number,
    scratch: number,
    nodes: number,
    packets: number,
    order: number,
  ): number;
  packetCount(): number;
  flipOpponents(rgb: number, count: number, light: number, red: number, blue: number): void;
  flipColors(a: number, b: number, stride: number, count: number, largest: number, out: number): void;
  flipTogether(color: number, edgeA: number, edgeB: number, pointA: number, pointB: number, count: number): void;
  scalePlane(plane: number, count: number, factor: number, term: number, out: number): void;
  mixPlanes(a: number, b: number, count: number, ofA: number, ofB: number): void;
  lengths(a: number, b: number, count: number): void;
  filterRows(
    source: number,
    out: number,
    width: number,
    height: number,
    weights: number,
    radius: number,
    line: number,
  ): void;
  filterColumns(source: number, out: number, width: number, height: number, weights: number, radius: number): void;
  bindRays(nodes: number, packets: number, materials: number, kinds: number, stack: number): void;
  closest(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tMin: number,
    tMax: number,
    frontOnly: number,
  ): number;
  closestMany(rays: number, count: number, out: number): void;
  reached(): number;
  shadow(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tMin: number,
    tMax: number,
    list: number,
    most: number,
  ): number;
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
let compiled: WebAssembly.Module | null | undefined;

function kernelModule(): WebAssembly.Module | null {
  if (compiled !== undefined) return compiled;
  try {
    const text = atob(KERNEL_WASM);
    compiled = new WebAssembly.Module(Uint8Array.from(text, (c) => c.charCodeAt(0)));
  } catch {
    // no vector instructions, or compiling is forbidden: the plain loops do the work
    compiled = null;
  }
  return compiled;
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

const bound = new WeakMap<WebAssembly.Memory, KernelExports>();

/** The loops on a memory that `createKernelMemory` made, here or on another thread. */
export function bindKernel(memory: WebAssembly.Memory): KernelExports {
  let exports = bound.get(memory);
  if (!exports) {
    const module = kernelModule();
    if (!module) throw new Error('The kernel cannot be loaded on this thread.');
    exports = new WebAssembly.Instance(module, { env: { memory } }).exports as unknown as KernelExports;
    bound.set(memory, exports);
  }
  return exports;
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
