import { describe, expect, it } from 'vitest';
import { luminance } from '../math/color';
import { randomStream } from '../math/random';
import { buildEnvironmentSampler, environmentDensity, place, sampleEnvironment } from './environmentSampler';

/** A dim sky with a lamp of 10° about a direction, three thousand times as bright. */
const LAMP = [0.6, 0.64, 0.48];
const COSINE = Math.cos((10 * Math.PI) / 180);
const sky = (x: number, y: number, z: number, out: Float64Array): void => {
  const inside = x * LAMP[0] + y * LAMP[1] + z * LAMP[2] > COSINE;
  out[0] = out[1] = out[2] = inside ? 3000 : 1;
};
const sampler = buildEnvironmentSampler(sky, 64, 32)!;
const out = new Float64Array(4);
const rgb = new Float64Array(3);
/** Calls back with many drawn directions and their density. */
function drawn(count: number, each: (d: Float64Array) => void): void {
  const random = randomStream(2);
  for (let n = 0; n < count; n++) {
    sampleEnvironment(sampler, random(), random(), out);
    each(out);
  }
}

describe('directions drawn from an environment', () => {
  it('are unit vectors, as dense as is said of them', () => {
    let [length, apart] = [0, 0];
    drawn(20_000, ([x, y, z, density]) => {
      length = Math.max(length, Math.abs(Math.hypot(x, y, z) - 1));
      apart = Math.max(apart, Math.abs(environmentDensity(sampler, x, y, z) / density - 1));
    });
    expect(length).toBeLessThan(1e-12);
    // but for those on the border of two cells, of which there is none here
    expect(apart).toBeLessThan(1e-9);
  });

  it('have a density that adds up to one over the sphere, and is never nothing', () => {
    let [sum, least] = [0, Infinity];
    const side = 256;
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        const y = 1 - (2 * (j + 0.5)) / side;
        const phi = (2 * Math.PI * (i + 0.5)) / side;
        const s = Math.sqrt(1 - y * y);
        const density = environmentDensity(sampler, s * Math.cos(phi), y, s * Math.sin(phi));
        sum += density;
        least = Math.min(least, density);
      }
    expect((sum * 4 * Math.PI) / (side * side)).toBeCloseTo(1, 9);
    // a twentieth is drawn evenly
    expect(least).toBeGreaterThan((0.05 / (4 * Math.PI)) * 0.999);
  });

  it('go mostly to the lamp, and give the light there is', () => {
    const solid = 2 * Math.PI * (1 - COSINE);
    const light = solid * 3000 + (4 * Math.PI - solid);
    expect(Math.abs(sampler.total / light - 1)).toBeLessThan(0.03);
    let [inside, mean] = [0, 0];
    const count = 40_000;
    drawn(count, ([x, y, z, density]) => {
      sky(x, y, z, rgb);
      if (rgb[0] > 1) inside++;
      mean += luminance(rgb[0], rgb[1], rgb[2]) / density / count;
    });
    // cells that it fills in part are drawn from evenly
    expect(inside / count).toBeGreaterThan(0.7);
    expect(Math.abs(mean / light - 1)).toBeLessThan(0.02);
  });

  it('are none where there is no light', () => {
    expect(buildEnvironmentSampler((_x, _y, _z, o) => void o.fill(0), 8, 4)).toBeNull();
  });
});

describe('the place in a running sum', () => {
  it('is the piece that holds the value; an empty piece holds none', () => {
    const sums = Float64Array.from([9, 0, 2, 2, 5]);
    const at = (v: number): number => place(sums, 1, 3, v);
    expect([0, 1.9, 2, 4.9].map(at)).toEqual([0, 0, 2, 2]);
    // what rounding lifts over the end belongs to the last
    expect(at(6)).toBe(2);
  });
});
