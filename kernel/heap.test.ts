import fc from 'fast-check';
import { describe, expect, it, vi } from 'vitest';
import { KernelHeap, NO_REGION, type Region } from './heap';

const bytes = (region: Region): Uint8Array => new Uint8Array(region.buffer, region.base, region.bytes);

describe('a heap for threads and loops', () => {
  it('deals out zeroed regions of one memory, at places that any array may start at', () => {
    const heap = new KernelHeap(true);
    const regions = [1, 5000, 100_000, 3_000_000].map((n) => heap.allocate(n));
    for (const [i, r] of regions.entries()) {
      expect(r.inKernel).toBe(true);
      expect(r.base % 64).toBe(0);
      expect(r.base).toBeGreaterThan(0);
      expect(bytes(r).every((b) => b === 0)).toBe(true);
      bytes(r).fill(i + 1);
    }
    // nobody writes into another's
    regions.forEach((r, i) => expect(bytes(r).every((b) => b === i + 1)).toBe(true));
  });

  it('clears what it deals out again', () => {
    const heap = new KernelHeap(true);
    const first = heap.allocate(4096);
    bytes(first).fill(7);
    heap.release(first);
    const again = heap.allocate(2000);
    expect(again.base).toBe(first.base);
    expect(bytes(again).every((b) => b === 0)).toBe(true);
  });

  it('joins returned neighbours, so that a larger one fits in their place', () => {
    const heap = new KernelHeap(true);
    const [a, b, c] = [heap.allocate(4096), heap.allocate(4096), heap.allocate(4096)];
    const end = heap.allocate(1024);
    heap.release(a);
    heap.release(c);
    heap.release(b);
    const large = heap.allocate(3 * 4096);
    expect(large.base).toBe(a.base);
    expect(end.base).toBeGreaterThanOrEqual(large.base + large.bytes);
  });

  it('keeps regions apart whatever is taken and returned', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.boolean(), fc.integer({ min: 1, max: 60_000 })), { maxLength: 60 }), (steps) => {
        const heap = new KernelHeap(true);
        const held: Region[] = [];
        for (const [take, n] of steps) {
          if (take || held.length === 0) held.push(heap.allocate(n));
          else heap.release(held.splice(n % held.length, 1)[0]);
        }
        const sorted = [...held].sort((a, b) => a.base - b.base);
        for (let i = 1; i < sorted.length; i++)
          expect(sorted[i].base).toBeGreaterThanOrEqual(sorted[i - 1].base + sorted[i - 1].bytes);
      }),
      { numRuns: 60 },
    );
  });

  it('gives memory of its own where the loops are not wanted, or none is left for them', () => {
    const plain = new KernelHeap(false).allocate(500);
    expect(plain).toMatchObject({ inKernel: false, base: 0 });
    expect(plain.buffer.byteLength).toBe(500);
    const heap = new KernelHeap(true);
    const full = vi.spyOn(heap.memory!, 'grow').mockImplementation(() => {
      throw new RangeError('no more');
    });
    const aside = heap.allocate(10_000_000);
    expect(aside.inKernel).toBe(false);
    expect(aside.buffer.byteLength).toBe(10_000_000);
    full.mockRestore();
    expect(heap.allocate(10_000_000).inKernel).toBe(true);
    // returning what was never of the memory changes nothing
    heap.release(aside);
    heap.release(NO_REGION);
  });
});
