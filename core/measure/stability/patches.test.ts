import { describe, expect, it } from 'vitest';
import { pixelRect } from '../rect';
import { flickerOfParts } from './patches';
import { REGION, regionsOf } from './regions';

const [WIDTH, HEIGHT] = [3 * REGION, 2 * REGION];
const { regions } = regionsOf(WIDTH, HEIGHT);
const none = new Uint8Array(regions);
/** Each region flickers by its number. */
const map = Float32Array.from(
  { length: WIDTH * HEIGHT },
  (_, i) => Math.floor((i % WIDTH) / REGION) + 3 * Math.floor(i / WIDTH / REGION),
);
const valid = new Float32Array(WIDTH * HEIGHT).fill(1);
const region = (n: number) => ({ x: (n % 3) * REGION, y: Math.floor(n / 3) * REGION, width: REGION, height: REGION });

describe('flicker of parts', () => {
  it('is that of their own pixels alone', () => {
    expect(flickerOfParts(map, valid, none, WIDTH, [0, 2, 4].map(region))).toEqual([0, 2, 4]);
    expect(flickerOfParts(map, valid, none, WIDTH, [])).toEqual([]);
  });

  it('leaves out where light moves, and what was not measured', () => {
    const moving = none.slice();
    moving[5] = 1;
    const lower = { x: 0, y: REGION, width: WIDTH, height: REGION };
    expect(flickerOfParts(map, valid, moving, WIDTH, [lower, region(5)])).toEqual([4, null]);
    const left = valid.map((_, i) => (i % WIDTH < REGION ? 1 : 0));
    expect(flickerOfParts(map, left, none, WIDTH, [lower, region(1)])).toEqual([3, null]);
    // what is handed in stays as it is
    expect(valid.every((v) => v === 1)).toBe(true);
  });

  it('may reach beyond the picture', () => {
    expect(flickerOfParts(map, valid, none, WIDTH, [{ ...region(2), width: 4 * REGION }])).toEqual([2]);
  });
});

describe('a part in shares of the picture', () => {
  it('is whole pixels, and never none', () => {
    expect(pixelRect({ x: 0.25, y: 0.5, width: 0.5, height: 0.1 }, 200, 100)).toEqual({
      ...{ x: 50, y: 50, width: 100, height: 10 },
    });
    expect(pixelRect({ x: 0, y: 0, width: 0.001, height: 0.001 }, 64, 64)).toMatchObject({ width: 1, height: 1 });
  });
});
