import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { lookAtPortals, placePortals, portalsCrossed, throughPortal } from './portals';

/** Standing in x and y at a place; the second is turned about y by 90°. */
const at = (x: number, y: number, z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
const turned = (x: number, y: number, z: number): number[] => [0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, 0, x, y, z, 1];
const world = [at(0, 0, -2), turned(3, 0.5, 0.2)].map((m) => Float64Array.from(m));
const two = placePortals(
  [
    { node: 0, width: 1.2, height: 0.8 },
    { node: 1, width: 0.5, height: 2 },
  ],
  world,
)!;

describe('portals', () => {
  it('seen from straight before them span the solid angle of a rectangle', () => {
    const one = placePortals([{ node: 0, width: 1.2, height: 0.8 }], world)!;
    for (const d of [0.05, 0.5, 2, 50]) {
      const [a, b] = [1.2 / (2 * d), 0.8 / (2 * d)];
      const closed = 4 * Math.asin((a * b) / Math.sqrt((1 + a * a) * (1 + b * b)));
      for (const side of [-1, 1]) expect(lookAtPortals(one, 0, 0, -2 + side * d) / closed).toBeCloseTo(1, 8);
    }
  });

  it('are drawn evenly over what they span, both together', () => {
    const random = randomStream(3);
    const all = lookAtPortals(two, 0.3, 0.2, 0.4);
    const drawn = [0, 0, 0];
    const met = [0, 0, 0];
    let through = 0;
    const n = 200_000;
    const out = new Float64Array(4);
    for (let k = 0; k < n; k++) {
      throughPortal(two, all, 0.3, 0.2, 0.4, random(), random(), out);
      expect(portalsCrossed(two, 0.3, 0.2, 0.4, out[0] * (1 - 1e-12), out[1], out[2])).toBeLessThanOrEqual(1);
      for (let c = 0; c < 3; c++) drawn[c] += out[c] / n;
      const y = 1 - 2 * random();
      const r = Math.sqrt(1 - y * y);
      const phi = 2 * Math.PI * random();
      const [dx, dz] = [r * Math.cos(phi), r * Math.sin(phi)];
      if (portalsCrossed(two, 0.3, 0.2, 0.4, dx, y, dz) === 0) continue;
      through++;
      [dx, y, dz].forEach((v, c) => (met[c] += v));
    }
    expect((through / n) * 4 * Math.PI).toBeCloseTo(all, 1);
    for (let c = 0; c < 3; c++) expect(Math.abs(drawn[c] - met[c] / through)).toBeLessThan(0.02);
  });

  it('are not seen edge-on, and none means nothing to draw', () => {
    const one = placePortals([{ node: 0, width: 1, height: 1 }], world)!;
    expect(lookAtPortals(one, 3, 0, -2)).toBe(0);
    expect(placePortals([], world)).toBeNull();
  });
});
