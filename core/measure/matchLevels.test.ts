import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { blockMeans, matchLevels } from './matchLevels';
import { cases } from '../testing/cases';

const PIXELS = 60;
function layer(seed: number): Float32Array {
  const random = randomStream(seed);
  return Float32Array.from({ length: PIXELS * 3 }, () => random() ** 3);
}
const sum = (parts: [Float32Array, number][]): Float32Array =>
  Float32Array.from({ length: PIXELS * 3 }, (_, i) => parts.reduce((s, [l, k]) => s + l[i] * k, 0));

describe('matching levels', () => {
  it('finds the strengths that a reference was made with', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 8, noNaN: true }), { minLength: 1, maxLength: 6 }), (strengths) => {
        fc.pre(strengths.some((s) => s > 0.1));
        const layers = strengths.map((_, i) => layer(i + 1));
        const fixed = layer(99);
        const reference = sum([[fixed, 1], ...strengths.map((s, i): [Float32Array, number] => [layers[i], s])]);
        const { factors, after, before } = matchLevels(layers, fixed, reference);
        factors.forEach((f, i) => expect(f).toBeCloseTo(strengths[i], 3));
        expect(after).toBeLessThan(1e-3);
        expect(after).toBeLessThanOrEqual(before + 1e-9);
      }),
      { numRuns: cases(60) },
    );
  });

  it('never makes a light negative, and does not worsen the picture', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const layers = [layer(seed), layer(seed + 1), layer(seed + 2)];
        const reference = sum([
          [layers[0], 1.5],
          [layers[1], -0.7],
          [layer(seed + 5), 0.3],
        ]);
        const { factors, before, after } = matchLevels(layers, new Float32Array(PIXELS * 3), reference);
        for (const f of factors) expect(f).toBeGreaterThanOrEqual(0);
        expect(after).toBeLessThanOrEqual(before + 1e-9);
      }),
      { numRuns: cases(60) },
    );
  });

  it('is not led astray by a few places where something else is seen', () => {
    const layers = [layer(1), layer(2)];
    const reference = sum([
      [layers[0], 2],
      [layers[1], 0.5],
    ]);
    for (let p = 0; p < 4; p++) reference.fill(900, p * 45, p * 45 + 3);
    const { factors } = matchLevels(layers, new Float32Array(PIXELS * 3), reference);
    expect(factors[0]).toBeCloseTo(2, 1);
    expect(factors[1]).toBeCloseTo(0.5, 1);
  });

  it('block means keep the mean of the picture, also where the last blocks are smaller', () => {
    const rgb = Float32Array.from({ length: 4 * 3 * 3 }, (_, i) => i % 7);
    expect([...blockMeans(rgb, 4, 3, 4)]).toEqual([...rgb]);
    const halves = blockMeans(rgb, 4, 3, 2);
    expect(halves.length).toBe(2 * 2 * 3);
    expect(halves[0]).toBeCloseTo((rgb[0] + rgb[3] + rgb[12] + rgb[15]) / 4, 6);
    // the lower row of blocks is one pixel tall
    expect(halves[6]).toBeCloseTo((rgb[24] + rgb[27]) / 2, 6);
  });

  it('leaves a light alone that reaches nothing', () => {
    const [a, dark] = [layer(1), new Float32Array(PIXELS * 3)];
    expect(matchLevels([a, dark], dark, sum([[a, 2]])).factors[1]).toBe(1);
  });
});
