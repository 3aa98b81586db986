import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { linearToSrgb, SRGB8_TO_LINEAR, srgbToLinear } from './color';
import { hash32, random01 } from './random';
import { irradianceAt, projectIrradiance } from './sh';
import { sobol2 } from './sobol';
import { octahedralDecode, octahedralEncode, squareToSphere } from './octahedron';

describe('counter-based random numbers', () => {
  it('are uniform: mean, variance and no visible pattern between neighbours', () => {
    const n = 40_000;
    const x = Array.from({ length: n }, (_, i) => random01(7, i, 0, 0));
    const mean = x.reduce((a, b) => a + b, 0) / n;
    const variance = x.reduce((a, b) => a + (b - mean) ** 2, 0) / n;
    const pairs = x.slice(1).reduce((a, b, i) => a + (b - mean) * (x[i] - mean), 0) / n / variance;
    expect(Math.abs(mean - 0.5)).toBeLessThan(0.01);
    expect(Math.abs(variance - 1 / 12)).toBeLessThan(0.003);
    expect(Math.abs(pairs)).toBeLessThan(0.02);
  });

  it('depend on every counter', () => {
    const base = random01(1, 2, 3, 4);
    for (const other of [random01(2, 2, 3, 4), random01(1, 3, 3, 4), random01(1, 2, 4, 4), random01(1, 2, 3, 5)])
      expect(other).not.toBe(base);
  });

  it('hash without collisions: it is a permutation', () => {
    expect(new Set(Array.from({ length: 100_000 }, (_, i) => hash32(i))).size).toBe(100_000);
  });
});

describe('Sobol points', () => {
  it('put one of the first 2^k points into each elementary interval', () => {
    const out = new Float64Array(2);
    for (const seed of [0, 1, 99]) {
      for (const [across, down] of [
        [16, 1],
        [8, 2],
        [4, 4],
        [2, 8],
        [1, 16],
      ]) {
        const hit = new Set<number>();
        for (let i = 0; i < 16; i++) {
          sobol2(i, seed, out);
          hit.add(Math.floor(out[0] * across) + across * Math.floor(out[1] * down));
        }
        expect(hit.size).toBe(16);
      }
    }
  });
});

describe('colour codes', () => {
  it('go there and back', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1, noNaN: true }),
        (c) => void expect(srgbToLinear(linearToSrgb(c))).toBeCloseTo(c, 9),
      ),
    );
    for (let code = 0; code < 256; code++) expect(Math.round(linearToSrgb(SRGB8_TO_LINEAR[code]) * 255)).toBe(code);
  });
});

describe('directions', () => {
  const unit = fc
    .tuple(
      fc.double({ min: -1, max: 1, noNaN: true }),
      fc.double({ min: -1, max: 1, noNaN: true }),
      fc.double({ min: -1, max: 1, noNaN: true }),
    )
    .filter(([x, y, z]) => Math.hypot(x, y, z) > 1e-3)
    .map(([x, y, z]) => [x, y, z].map((c) => c / Math.hypot(x, y, z)));

  it('survive the octahedral map', () => {
    const uv = new Float64Array(2);
    const d = new Float64Array(3);
    fc.assert(
      fc.property(unit, ([x, y, z]) => {
        octahedralEncode(x, y, z, uv);
        octahedralDecode(uv[0], uv[1], d);
        expect(d[0] * x + d[1] * y + d[2] * z).toBeGreaterThan(1 - 1e-9);
      }),
    );
  });

  it('of the equal-area map are uniform: the mean of y² is a third', () => {
    const d = new Float64Array(3);
    let sum = 0;
    const n = 64;
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) {
        squareToSphere((i + 0.5) / n, (j + 0.5) / n, d);
        expect(Math.hypot(d[0], d[1], d[2])).toBeCloseTo(1, 9);
        sum += d[1] * d[1];
      }
    expect(sum / (n * n)).toBeCloseTo(1 / 3, 3);
  });
});

describe('irradiance by spherical harmonics', () => {
  it('of an even surround is π times its radiance, in every direction', () => {
    const sh = projectIrradiance((_x, _y, _z, out) => void out.fill(2), 64, squareToSphere);
    const out = new Float64Array(3);
    for (const n of [
      [0, 1, 0],
      [1, 0, 0],
      [0.6, 0, -0.8],
    ]) {
      irradianceAt(sh, n[0], n[1], n[2], out);
      expect(out[0] / (2 * Math.PI)).toBeCloseTo(1, 3);
    }
  });

  it('of radiance y + 1 is π + 2π/3 upwards, by integration', () => {
    const sh = projectIrradiance((_x, y, _z, out) => void out.fill(1 + y), 96, squareToSphere);
    const out = new Float64Array(3);
    irradianceAt(sh, 0, 1, 0, out);
    expect(out[1] / (Math.PI + (2 * Math.PI) / 3)).toBeCloseTo(1, 2);
    irradianceAt(sh, 0, -1, 0, out);
    expect(out[1] / (Math.PI - (2 * Math.PI) / 3)).toBeCloseTo(1, 2);
  });
});
