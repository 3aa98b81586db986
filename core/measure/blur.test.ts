import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { compiledFilter, gaussianKernel, plainFilter, planeFilter } from './blur';
import { cases } from '../testing/cases';

describe('filters of planes', () => {
  it('compiled and plain agree, whatever the sizes', () => {
    const side = fc.integer({ min: 1, max: 70 });
    fc.assert(
      fc.property(side, side, fc.integer({ min: 0, max: 12 }), fc.integer(), (width, height, radius, seed) => {
        const random = randomStream(seed);
        const plane = Float32Array.from({ length: width * height }, () => random() * 100 - 50);
        const weights = Array.from({ length: 2 * radius + 1 }, () => (random() - 0.3) / (2 * radius + 1));
        const [a, b] = [compiledFilter(width, height)!, plainFilter(width, height)];
        for (const way of ['rows', 'columns'] as const) {
          const [ours, twin] = [a[way](plane, weights), b[way](plane, weights)];
          expect(ours.length).toBe(plane.length);
          expect(ours.reduce((most, v, i) => Math.max(most, Math.abs(v - twin[i])), 0)).toBeLessThan(50 * 1e-5);
        }
        // rows and columns have weights of their own, and as many as they like
        const down = weights.slice(0, weights.length > 2 ? -2 : undefined);
        const [ours, twin] = [a.both(plane, weights, down), b.both(plane, weights, down)];
        expect(ours.reduce((most, v, i) => Math.max(most, Math.abs(v - twin[i])), 0)).toBeLessThan(50 * 1e-5);
      }),
      { numRuns: cases(200) },
    );
  });

  it('keep an even plane even, and the sum of one bright pixel', () => {
    const filter = planeFilter(33, 21);
    const kernel = gaussianKernel(1.5, 5);
    const even = filter.both(new Float32Array(33 * 21).fill(3), kernel, kernel);
    for (const v of even) expect(v).toBeCloseTo(3, 5);
    const dot = new Float32Array(33 * 21);
    dot[10 * 33 + 16] = 1;
    const spread = filter.both(dot, kernel, kernel);
    expect(spread.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
    expect(spread[10 * 33 + 16]).toBeCloseTo(kernel[5] ** 2, 6);
    expect(spread[8 * 33 + 13]).toBeCloseTo(kernel[3] * kernel[2], 6);
  });
});
