import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileScene } from '../scene/compileScene';
import type { MaterialSource, PrimitiveSource } from '../scene/source';
import { MATTE, quad, sceneOf } from '../testing/scenes';
import { glowingTriangles, glowsBothWays, pickTriangle, type GlowingTriangles } from './glowingTriangles';
import { cases } from '../testing/cases';

const glowing = (nit: number, more: Partial<MaterialSource> = {}): MaterialSource => ({
  ...MATTE,
  emissive: [nit, nit, nit],
  ...more,
});

/** A square of a side, facing up, with its middle somewhere. */
function square(side: number, [x, y, z]: readonly number[], material: number): PrimitiveSource {
  const one = quad(side / 2, y, material);
  const positions = one.positions.map((v, i) => v + (i % 3 === 0 ? x : i % 3 === 2 ? z : 0));
  return { ...one, positions };
}

function lightsOf(primitives: PrimitiveSource[], materials: MaterialSource[]): GlowingTriangles | null {
  const scene = compileScene(sceneOf(primitives, materials));
  return glowingTriangles(scene, scene.positions);
}

describe('glowing triangles', () => {
  it('are none where nothing glows', () => {
    expect(lightsOf([quad(1)], [MATTE])).toBeNull();
    expect(lightsOf([quad(1)], [glowing(0)])).toBeNull();
  });

  it('are the triangles of glowing materials alone', () => {
    const lights = lightsOf([quad(1, 0, 0), quad(1, 1, 1), quad(2, 2, 0)], [MATTE, glowing(3)])!;
    expect([...lights.triangles]).toEqual([2, 3]);
    expect(lights.density[0]).toBe(0);
  });

  it('together shine by what they give off straight ahead: luminance times area', () => {
    // a square metre of 100 cd/m² is 100 candela, and four of 25 as much again
    const lights = lightsOf([square(1, [0, 0, 0], 0), square(2, [5, 0, 0], 1)], [glowing(100), glowing(25)])!;
    expect(lights.candela).toBeCloseTo(200, 3);
    // both weigh the same, so their middle is half way
    expect(lights.centre[0]).toBeCloseTo(2.5, 5);
    expect(lights.centre[1]).toBeCloseTo(0, 6);
    // half the diagonal of the box around both: 6.5 × 2
    expect(lights.spread).toBeCloseTo(Math.hypot(6.5, 2) / 2, 5);
  });

  it('count twice where both faces glow', () => {
    for (const more of [{ doubleSided: true }, { alphaMode: 'blend' }, { transmission: 0.5 }] as const) {
      const scene = compileScene(sceneOf([quad(0.5)], [glowing(10, more)]));
      expect(glowsBothWays(scene, 0)).toBe(true);
      expect(glowingTriangles(scene, scene.positions)!.candela).toBeCloseTo(20, 4);
    }
    const scene = compileScene(sceneOf([quad(0.5)], [glowing(10)]));
    expect(glowsBothWays(scene, 0)).toBe(false);
  });

  it('are drawn in proportion to their power', () => {
    const side = fc.double({ min: 0.1, max: 4, noNaN: true });
    const nit = fc.double({ min: 0.5, max: 5000, noNaN: true });
    fc.assert(
      fc.property(fc.array(fc.tuple(side, nit), { minLength: 1, maxLength: 6 }), (squares) => {
        const lights = lightsOf(
          squares.map(([s], i) => square(s, [i * 5, 0, 0], i)),
          squares.map(([, n]) => glowing(n)),
        )!;
        const total = squares.reduce((sum, [s, n]) => sum + s * s * n, 0);
        squares.forEach(([s, n], i) => {
          // two halves of a square
          for (const t of [2 * i, 2 * i + 1])
            expect(lights.sums[t + 1] - lights.sums[t]).toBeCloseTo((s * s * n) / 2 / total, 5);
          // a point of it is as likely as its triangle, spread over its area
          expect(lights.density[i] * s * s).toBeCloseTo((s * s * n) / total, 5);
        });
        expect(lights.sums.at(-1)).toBeCloseTo(1, 12);
      }),
      { numRuns: cases(60) },
    );
  });

  it('are all drawn, each for its own part of what is drawn from', () => {
    const lights = lightsOf(
      [square(1, [0, 0, 0], 0), square(1, [3, 0, 0], 1), square(1, [6, 0, 0], 2)],
      [glowing(1), glowing(6), glowing(3)],
    )!;
    const n = 20_000;
    const counts = new Map<number, number>();
    for (let i = 0; i < n; i++) {
      const t = pickTriangle(lights, (i + 0.5) / n);
      counts.set(t, (counts.get(t) ?? 0) + 1);
    }
    expect(counts.size).toBe(6);
    [0.1, 0.6, 0.3].forEach((share, i) => {
      for (const t of [2 * i, 2 * i + 1]) expect(counts.get(t)! / n).toBeCloseTo(share / 2, 3);
    });
    // the ends belong to somebody
    expect(pickTriangle(lights, 0)).toBe(0);
    expect(pickTriangle(lights, 1 - 2 ** -24)).toBe(5);
  });

  it('are weighed by the mean of a picture, dark corners included', () => {
    const source = sceneOf(
      [quad(0.5)],
      [glowing(100, { emissiveTexture: { image: 0, wrapS: 'clamp', wrapT: 'clamp' } })],
    );
    source.images = [{ name: 'half', width: 2, height: 1, pixels: Uint8Array.of(255, 255, 255, 255, 0, 0, 0, 255) }];
    const scene = compileScene(source);
    const lights = glowingTriangles(scene, scene.positions)!;
    // half of it white, and a hundredth more everywhere
    expect(lights.candela).toBeGreaterThan(48);
    expect(lights.candela).toBeLessThan(54);
  });

  it('move with the pose', () => {
    const scene = compileScene(sceneOf([quad(0.5)], [glowing(8)]));
    const moved = scene.positions.map((v, i) => (i % 3 === 1 ? v + 7 : v));
    expect(glowingTriangles(scene, moved)!.centre[1]).toBeCloseTo(7, 5);
  });
});
