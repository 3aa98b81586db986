import { describe, expect, it } from 'vitest';
import { randomStream } from '../../math/random';
import { Exceeded } from './exceeded';
import { percentile } from './flicker';
import { FIELDS, regionRect, regionsOf, type RegionSums } from './regions';

const [WIDTH, HEIGHT] = [130, 101];
const PIXELS = WIDTH * HEIGHT;
const random = randomStream(8);

/** Counts and largest values of a map's regions; the rest is not asked for. */
function sumsOf(map: Float32Array, valid: Float32Array): RegionSums {
  const { across, regions } = regionsOf(WIDTH, HEIGHT);
  const sums = { across, regions } as RegionSums;
  for (const field of FIELDS) sums[field] = new Float64Array(regions);
  for (let n = 0; n < regions; n++) {
    const { x, y, width, height } = regionRect(n, WIDTH, HEIGHT);
    for (let i = 0; i < PIXELS; i++) {
      const [px, py] = [i % WIDTH, Math.floor(i / WIDTH)];
      if (px < x || py < y || px >= x + width || py >= y + height) continue;
      sums.count[n] += valid[i];
      sums.largest[n] = Math.max(sums.largest[n], map[i] * valid[i]);
    }
  }
  return sums;
}
/** Measured but for a border and some pixels; where it is not, the map is 0. */
function frame(value: (i: number) => number): [Float32Array, Float32Array] {
  const valid = Float32Array.from({ length: PIXELS }, (_, i) => (i % WIDTH > 3 && random() > 0.1 ? 1 : 0));
  return [Float32Array.from(valid, (v, i) => v * value(i)), valid];
}

describe('what a hundredth exceeds', () => {
  const { regions } = regionsOf(WIDTH, HEIGHT);
  const none = new Uint8Array(regions);

  it('is the percentile of what was measured, frame after frame, whatever the last one came to', () => {
    const exceeded = new Exceeded(WIDTH, HEIGHT, 0.99);
    for (const strength of [1, 1.02, 0.5, 30, 0, 0.001, 2]) {
      const [map, valid] = frame(() => strength * random() ** 3);
      expect(exceeded.of(map, sumsOf(map, valid), none)).toBe(percentile(map, valid, 0.99));
    }
  });

  it('is 0 where less than a hundredth flickers, and where nothing was measured', () => {
    const exceeded = new Exceeded(WIDTH, HEIGHT, 0.99);
    const [map, valid] = frame((i) => (i % 331 === 0 ? 9 : 0));
    expect(exceeded.of(map, sumsOf(map, valid), none)).toBe(0);
    const empty = new Float32Array(PIXELS);
    expect(exceeded.of(empty, sumsOf(empty, empty), none)).toBe(0);
  });

  it('leaves regions out', () => {
    const exceeded = new Exceeded(WIDTH, HEIGHT, 0.99);
    const left = none.slice();
    left[2] = 1;
    const { x, y, width, height } = regionRect(2, WIDTH, HEIGHT);
    const inside = (i: number): boolean => {
      const [px, py] = [i % WIDTH, Math.floor(i / WIDTH)];
      return px >= x && py >= y && px < x + width && py < y + height;
    };
    const [map, valid] = frame((i) => (inside(i) ? 50 : random()));
    const rest = valid.map((v, i) => (inside(i) ? 0 : v));
    const found = exceeded.of(map, sumsOf(map, valid), left);
    expect(found).toBe(percentile(map, rest, 0.99));
    expect(found).toBeLessThan(1);
  });
});
