import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { axisShares, resampleRows } from './resample';

const size = fc.integer({ min: 1, max: 40 });
describe('a picture of another size', () => {
  it('keeps an even picture even, whatever the sizes', () => {
    fc.assert(
      fc.property(size, size, (source, target) => {
        const { first, starts, shares } = axisShares(source, target);
        for (let i = 0; i < target; i++) {
          const own = shares.subarray(starts[i], starts[i + 1]);
          expect(own.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 9);
          for (const s of own) expect(s).toBeGreaterThanOrEqual(0);
          expect(first[i]).toBeGreaterThanOrEqual(0);
          expect(first[i] + own.length).toBeLessThanOrEqual(source);
        }
      }),
    );
  });

  it('made smaller keeps its mean: every source pixel counts alike', () => {
    fc.assert(
      fc.property(size, size, (a, b) => {
        const [source, target] = [Math.max(a, b), Math.min(a, b)];
        const { first, starts, shares } = axisShares(source, target);
        const counts = new Float64Array(source);
        for (let i = 0; i < target; i++)
          for (let k = starts[i]; k < starts[i + 1]; k++) counts[first[i] + k - starts[i]] += shares[k];
        for (const c of counts) expect(c).toBeCloseTo(target / source, 9);
      }),
    );
  });

  it('made larger goes in straight lines between the pixels', () => {
    const ramp = Float32Array.from({ length: 8 }, (_, i) => i);
    const out = new Float32Array(16);
    resampleRows(ramp, 8, out, 1, axisShares(8, 16), axisShares(1, 1), 0, 1);
    for (let i = 1; i < 15; i++) expect(out[i]).toBeCloseTo((i + 0.5) / 2 - 0.5, 6);
    expect([out[0], out[15]]).toEqual([0, 7]);
  });

  it('treats each channel for itself', () => {
    const two = Float32Array.of(1, 10, 3, 30, 5, 50, 7, 70);
    const out = new Float32Array(4);
    resampleRows(two, 4, out, 2, axisShares(4, 2), axisShares(1, 1), 0, 1);
    expect([...out]).toEqual([2, 20, 6, 60]);
  });
});
