/**
 * One growing memory that both threads and the compiled loops work on, dealt out in regions. What has no room in it
 * (a module of 32-bit addresses ends at 4 GiB), or all where the loops cannot be had, gets memory of its own.
 */
import { createGrowingMemory, sharedBytes } from './load';

/** A stretch of bytes for one purpose. */
export interface Region {
  buffer: ArrayBufferLike;
  /** Where it starts in `buffer`. */
  base: number;
  bytes: number;
  /** It lies where the compiled loops can work on it. */
  inKernel: boolean;
}

const PAGE = 65536;
/** Regions start at multiples of this, bytes; the first ones stay unused, so that no region starts at 0. */
const STEP = 1024;

/** Nothing: it hinders no loops. */
export const NO_REGION: Region = { buffer: new ArrayBuffer(0), base: 0, bytes: 0, inKernel: true };

export class KernelHeap {
  readonly memory: WebAssembly.Memory | null;
  /** Where the never used part starts, bytes. */
  private top = STEP;
  /** Returned stretches by address; neighbours are one. */
  private free: { base: number; bytes: number }[] = [];

  /** @param wanted whether the compiled loops may be used */
  constructor(wanted: boolean) {
    this.memory = wanted ? createGrowingMemory() : null;
  }

  /** @returns a region of at least so many bytes, all zero */
  allocate(bytes: number): Region {
    const size = Math.max(STEP, Math.ceil(bytes / STEP) * STEP);
    const at = this.reuse(size) ?? this.extend(size);
    if (at === null || !this.memory) return { buffer: sharedBytes(bytes), base: 0, bytes, inKernel: false };
    return { buffer: this.memory.buffer, base: at, bytes: size, inKernel: true };
  }

  /** Takes a region back. Nobody may look at it afterwards. */
  release(region: Region): void {
    if (!region.inKernel || region.bytes === 0) return;
    this.free.push({ base: region.base, bytes: region.bytes });
    this.free.sort((a, b) => a.base - b.base);
    const joined: typeof this.free = [];
    for (const part of this.free) {
      const last = joined.at(-1);
      if (last && last.base + last.bytes === part.base) last.bytes += part.bytes;
      else joined.push(part);
    }
    this.free = joined;
  }

  /** The smallest returned stretch that is large enough. */
  private reuse(size: number): number | null {
    let best = -1;
    this.free.forEach((part, i) => {
      if (part.bytes >= size && (best < 0 || part.bytes < this.free[best].bytes)) best = i;
    });
    if (best < 0 || !this.memory) return null;
    const part = this.free[best];
    const at = part.base;
    if (part.bytes === size) this.free.splice(best, 1);
    else this.free[best] = { base: at + size, bytes: part.bytes - size };
    new Uint8Array(this.memory.buffer, at, size).fill(0);
    return at;
  }

  private extend(size: number): number | null {
    if (!this.memory) return null;
    const missing = this.top + size - this.memory.buffer.byteLength;
    try {
      if (missing > 0) this.memory.grow(Math.ceil(missing / PAGE));
    } catch {
      return null;
    }
    const at = this.top;
    this.top += size;
    return at;
  }
}
