import { describe, expect, it } from 'vitest';
import { randomStream } from '../../math/random';
import { BLOCK } from './flicker';
import { movingLight, type SoftAnswer } from './movingLight';
import { FIELDS, REGION, regionsOf, type RegionSums } from './regions';

const [WIDTH, HEIGHT] = [REGION * 3, REGION * 3];
const [ACROSS, DOWN] = [WIDTH / BLOCK, HEIGHT / BLOCK];

/** An answer of a frame from what each block shows; all of it soft and visible unless told otherwise. */
function answer(
  at: (x: number, y: number) => number,
  { soft = 1, outlines = 0, surest = 2 }: { soft?: number; outlines?: number; surest?: number } = {},
): SoftAnswer {
  const blocks = Float32Array.from({ length: ACROSS * DOWN }, (_, i) => at(i % ACROSS, Math.floor(i / ACROSS)));
  const { across, regions } = regionsOf(WIDTH, HEIGHT);
  const sums = { across, regions } as RegionSums;
  for (const field of FIELDS) sums[field] = new Float64Array(regions);
  const cells = REGION / BLOCK;
  blocks.forEach((v, i) => {
    const n = Math.floor(Math.floor(i / ACROSS) / cells) * across + Math.floor((i % ACROSS) / cells);
    sums.square[n] += v * v;
    sums.blurred[n] += v * v * soft;
    sums.onOutlines[n] += v * v * outlines;
    if (Math.abs(v) > 0.01) sums.surest[n] = surest;
  });
  return { width: ACROSS, height: DOWN, blocks, sums };
}

/** A soft spot of light, blocks. */
const spot =
  (cx: number, cy: number, wide = 1.5) =>
  (x: number, y: number): number =>
    Math.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * wide * wide));
/** The region that a block lies in. */
const regionOf = (x: number, y: number): number =>
  Math.floor((y * BLOCK) / REGION) * 3 + Math.floor((x * BLOCK) / REGION);
const middle = ACROSS / 2 - 0.5;

describe('light that moves', () => {
  it('is known by its answer, which goes on as a whole', () => {
    for (const [dx, dy] of [
      [2, 0],
      [0, -2],
      [1.5, 1.5],
      [-2.5, 1],
    ]) {
      const marked = movingLight(answer(spot(middle, middle)), answer(spot(middle + dx, middle + dy)));
      expect(marked[regionOf(middle, middle)]).toBe(1);
    }
  });

  it('is none where the answer stays, or comes anew', () => {
    const still = answer(spot(middle, middle));
    expect(movingLight(still, still).every((m) => m === 0)).toBe(true);
    const random = randomStream(3);
    const grain = (): SoftAnswer => answer(() => random() - 0.5);
    expect(movingLight(grain(), grain()).every((m) => m === 0)).toBe(true);
    // what turns over where it stands is no motion either
    const turned = answer((x, y) => -spot(middle, middle)(x, y));
    expect(movingLight(still, turned).every((m) => m === 0)).toBe(true);
  });

  it('is none that is narrow, on outlines, or not surely visible', () => {
    const pair = (options: Parameters<typeof answer>[1]): Uint8Array =>
      movingLight(answer(spot(middle, middle), options), answer(spot(middle + 2, middle), options));
    expect(pair({})[regionOf(middle, middle)]).toBe(1);
    for (const options of [{ soft: 0.05 }, { outlines: 0.8 }, { surest: 0.9 }])
      expect(pair(options).every((m) => m === 0)).toBe(true);
  });

  it('is none that goes farther between two frames than is looked for', () => {
    const marked = movingLight(answer(spot(middle - 4, middle, 0.7)), answer(spot(middle + 4, middle, 0.7)));
    expect(marked.every((m) => m === 0)).toBe(true);
  });

  it('is found in each region by itself', () => {
    const [left, right] = [2.5, ACROSS - 3.5];
    const both =
      (shift: number) =>
      (x: number, y: number): number =>
        spot(left + shift, middle)(x, y) + spot(right, middle)(x, y);
    const marked = movingLight(answer(both(0)), answer(both(2)));
    expect(marked[regionOf(left, middle)]).toBe(1);
    expect(marked[regionOf(right, middle)]).toBe(0);
  });
});
