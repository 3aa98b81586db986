import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { blurMomentsTile, momentDepth, readMoments, shadowBound } from './moments';
import { SHADOW_TILE_SHIFT, type ShadowMemory } from './shadowMap';
import type { ShadowView } from '../light/shadowView';
import { cases } from '../testing/cases';

const depth = fc.double({ min: 0.02, max: 0.98, noNaN: true });

/** Means of the first four powers. */
function momentsOf(depths: readonly number[], weights: readonly number[]): [number, number, number, number] {
  const mean = (power: number): number => depths.reduce((sum, z, i) => sum + weights[i] * z ** power, 0);
  // as the maps are kept solvable
  const biased = (m: number): number => m + (0.5 - m) * 1e-6;
  return [biased(mean(1)), biased(mean(2)), biased(mean(3)), biased(mean(4))];
}

describe('the bound of four moments', () => {
  it('never says more shadow than there is, whatever the depths', () => {
    fc.assert(
      fc.property(fc.array(depth, { minLength: 1, maxLength: 6 }), depth, (depths, z) => {
        const weights = depths.map(() => 1 / depths.length);
        const before = depths.filter((d) => d < z - 0.01).length / depths.length;
        const share = shadowBound(...momentsOf(depths, weights), z);
        expect(share).toBeGreaterThanOrEqual(0);
        // within a hundredth of the place the bias moves what lies there
        if (!depths.some((d) => Math.abs(d - z) <= 0.01)) expect(share).toBeLessThan(before + 0.01);
      }),
      { numRuns: cases(500) },
    );
  });

  it('is the true share where two surfaces lie behind each other, as at an edge', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.1, max: 0.4, noNaN: true }),
        fc.double({ min: 0.6, max: 0.9, noNaN: true }),
        fc.double({ min: 0.1, max: 0.9, noNaN: true }),
        (near, far, share) => {
          // the receiver is the far surface itself
          const found = shadowBound(...momentsOf([near, far], [share, 1 - share]), far - 0.002);
          expect(Math.abs(found - share)).toBeLessThan(0.03);
        },
      ),
    );
  });

  it('is nothing before the first depth and all behind the last', () => {
    const moments = momentsOf([0.4, 0.5, 0.6], [0.3, 0.4, 0.3]);
    expect(shadowBound(...moments, 0.1)).toBeLessThan(0.02);
    expect(shadowBound(...moments, 0.95)).toBeGreaterThan(0.98);
    // one depth alone has no spread
    expect([0.3, 0.5].map((z) => shadowBound(0.4, 0.16, 0.064, 0.0256, z))).toEqual([0, 1]);
  });
});

const SIDE = 1 << SHADOW_TILE_SHIFT;
/** A map that goes over a tile's border in both directions. */
const N = SIDE + 20;
function viewOf(perspective: boolean): ShadowView {
  return { resolution: N, offset: 0, perspective, depthScale: 0.1, span: 10 } as ShadowView;
}
function memoryOf(texel: (x: number, y: number) => number): ShadowMemory {
  const shadowTexels = Float32Array.from({ length: N * N }, (_, i) => texel(i % N, Math.floor(i / N)));
  return { shadowTexels, moments: new Float32Array(N * N * 4) } as ShadowMemory;
}
function blurAll(memory: ShadowMemory, view: ShadowView, radius: number): void {
  for (let tile = 0; tile < 4; tile++) blurMomentsTile(memory, view, tile, radius);
}

describe('moments of a map', () => {
  it('grow away from the light: the whole span of a sun, metres of a lamp', () => {
    expect([1, 0.75, 0].map((d) => momentDepth(viewOf(false), d))).toEqual([0, 0.25, 1]);
    // a lamp keeps near distance over distance
    expect(momentDepth(viewOf(true), 0.1 / 5)).toBeCloseTo(0.5, 9);
    expect([0, 0.1 / 50].map((d) => momentDepth(viewOf(true), d))).toEqual([1, 1]);
  });

  it.each([0, 1, 3])('are means over squares of radius %s, over tiles and up to the border', (radius) => {
    const random = randomStream(radius + 1);
    const view = viewOf(false);
    const memory = memoryOf(() => random());
    blurAll(memory, view, radius);
    const clamp = (i: number): number => Math.min(N - 1, Math.max(0, i));
    for (const [x, y] of [
      [0, 0],
      [SIDE - 1, 5],
      [SIDE, SIDE],
      [SIDE + 1, SIDE - 2],
      [N - 1, N - 1],
    ]) {
      const sums = [0, 0, 0, 0];
      for (let j = -radius; j <= radius; j++)
        for (let i = -radius; i <= radius; i++) {
          const z = 1 - memory.shadowTexels[clamp(y + j) * N + clamp(x + i)];
          for (let c = 0; c < 4; c++) sums[c] += z ** (c + 1);
        }
      const wanted = sums.map((s) => s / (2 * radius + 1) ** 2);
      wanted.forEach((w, c) => expect(memory.moments[(y * N + x) * 4 + c]).toBeCloseTo(w, 5));
    }
  });

  it('read across a straight edge go from light to shadow without a jump, over the width of the blur', () => {
    const view = viewOf(false);
    // on the left something near the light, on the right the floor
    const memory = memoryOf((x) => (x < 60 ? 0.8 : 0.2));
    blurAll(memory, view, 4);
    const light = Array.from({ length: 400 }, (_, i) => readMoments(memory, view, 50 + i * 0.05, 40, 0.8 - 0.004, 0));
    expect(light[0]).toBeLessThan(0.02);
    expect(light.at(-1)).toBeGreaterThan(0.98);
    for (let i = 1; i < light.length; i++) {
      expect(light[i]).toBeGreaterThan(light[i - 1] - 0.02);
      expect(light[i] - light[i - 1]).toBeLessThan(0.05);
    }
    // half of the light on the edge itself
    expect(Math.abs(light[200] - 0.5)).toBeLessThan(0.08);
  });

  it('cut light that leaks: below the share none is left, above it all of it is spread over the rest', () => {
    const view = viewOf(false);
    const memory = memoryOf((x) => (x < 60 ? 0.8 : 0.2));
    blurAll(memory, view, 4);
    const at = (leak: number): number => readMoments(memory, view, 60, 40, 0.8 - 0.004, leak);
    const plain = at(0);
    expect(at(0.2)).toBeCloseTo((plain - 0.2) / 0.8, 9);
    expect(at(0.9)).toBe(0);
  });
});
