import { describe, expect, it } from 'vitest';
import { LIGHT_POINT, LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { cascadeAt, shadowAt, viewAt, type ShadedPlace, type ShadowReading } from './shadowAt';
import type { ShadowMemory } from './shadowMap';
import type { ShadowView } from '../light/shadowView';

const N = 16;
const READING: ShadowReading = {
  filter: 'hard',
  taps: 1,
  radius: 0,
  automatic: false,
  slopeBias: 0,
  normalOffset: 0,
  leak: 0,
  blend: 0.2,
};
/** A map over x and y from 0 to 16 m, looking down: a metre of depth is a hundredth. */
function mapAt(number: number, end: number): ShadowView {
  return {
    matrix: Float64Array.from([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0.01, 0.5, 0, 0, 0, 1]),
    ...{ resolution: N, texelSize: 1, perspective: false, depthScale: 0.01, span: 100, end },
    ...{ depthCodes: 0, offset: number * N * N, blockOffset: number * 2, tileOffset: number },
  };
}
/** What stands in each map, all over it: 1 nearest to the sun. */
function memoryOf(...depths: number[]): ShadowMemory {
  const shadowTexels = Float32Array.from(depths.flatMap((d) => Array<number>(N * N).fill(d)));
  // one block of 16 × 16 a map
  const shadowBlocks = Float32Array.from(depths.flatMap((d) => [d, d]));
  const none = new Float32Array(0);
  return { shadowTexels, shadowBlocks, glassDepth: none, glassTint: new Uint32Array(0), moments: none };
}
const light = (kind: number, maps: ShadowView[]): FrameLight =>
  ({ kind, maps, sampled: false, discTan: 0, area: 0, radius: 0 }) as unknown as FrameLight;
const place = (viewDistance: number, more: Partial<ShadedPlace> = {}): ShadedPlace => ({
  ...{ x: 8, y: 8, z: 0, fx: 0, fy: 0, fz: 1, viewDistance },
  ...more,
});
const out = new Float64Array(3);
function litAt(memory: ShadowMemory, of: FrameLight, at: ShadedPlace, reading = READING): number {
  shadowAt(memory, reading, of, at, 0, 0, 1, 5, 1, out);
  expect(out[0]).toBe(out[1]);
  return out[0];
}

describe('the maps of a sun', () => {
  const sun = light(LIGHT_SUN, [mapAt(0, 10), mapAt(1, 30), mapAt(2, 90)]);

  it('take over from each other at their ends; the last one also holds what lies beyond', () => {
    expect([0, 9.99, 10, 29.9, 30, 89, 500].map((d) => cascadeAt(sun, d))).toEqual([0, 0, 1, 1, 2, 2, 2]);
    expect(viewAt(sun, 15, 0, 0, 1)).toBe(sun.maps[1]);
  });

  it('fade into the next over the share that is asked for, in a straight line', () => {
    // the first map is all shadow, the others hold nothing
    const memory = memoryOf(1, 0, 0);
    expect(litAt(memory, sun, place(7.9))).toBe(0);
    for (const share of [0.25, 0.5, 0.75]) expect(litAt(memory, sun, place(8 + 2 * share))).toBeCloseTo(share, 9);
    expect(litAt(memory, sun, place(10))).toBe(1);
    // without a blend there is an edge
    const sharp = { ...READING, blend: 0 };
    expect([9.999, 10].map((d) => litAt(memory, sun, place(d), sharp))).toEqual([0, 1]);
  });

  it('fade out at the end of the last: the sun shines on what no map holds', () => {
    const memory = memoryOf(1, 1, 1);
    expect(litAt(memory, sun, place(50))).toBe(0);
    // over a tenth of the last range, which goes from 30 to 90
    expect(litAt(memory, sun, place(87))).toBeCloseTo(0.5, 9);
    expect(litAt(memory, sun, place(95))).toBe(1);
  });

  it('shadow nothing beside them', () => {
    const memory = memoryOf(1, 1, 1);
    expect(litAt(memory, sun, place(5, { x: -3 }))).toBe(1);
    expect(litAt(memory, sun, place(5, { y: N + 0.5 }))).toBe(1);
    expect(litAt(memory, sun, place(5))).toBe(0);
  });
});

describe('a place on a surface', () => {
  const sun = light(LIGHT_SUN, [mapAt(0, Infinity)]);
  const shadowOf = (metres: number, reading: ShadowReading, at: ShadedPlace, faceCos: number): number => {
    shadowAt(memoryOf(0.5 + metres * 0.01), reading, sun, at, 0, 0, 1, 5, faceCos, out);
    return out[0];
  };

  it('is lit by its own depth once the bias clears the step of the map, and shadowed by what stands before it', () => {
    const automatic = { ...READING, automatic: true };
    for (const faceCos of [1, 0.7, 0.2]) {
      const sine = Math.sqrt(1 - faceCos * faceCos);
      const slanted = place(5, { fx: sine, fz: faceCos });
      expect(shadowOf(0, automatic, slanted, faceCos)).toBe(1);
      expect(shadowOf(4, automatic, slanted, faceCos)).toBe(0);
    }
  });

  it('moves along its normal by the offset that is set, the more the flatter the light', () => {
    // 0.3 m before it; an offset of half a texel lifts it by half a metre times sine and cosine
    const offset = { ...READING, normalOffset: 1 };
    const flat = place(5, { fx: 0.6, fz: 0.8 });
    expect(shadowOf(0.3, READING, flat, 0.8)).toBe(0);
    expect(shadowOf(0.3, offset, flat, 0.8)).toBe(1);
    expect(shadowOf(0.3, offset, place(5), 1)).toBe(0);
  });
});

describe('the map of a lamp', () => {
  it('is the one of a spot, and of a point the face that its ray goes through', () => {
    const spot = light(LIGHT_SPOT, [mapAt(0, Infinity)]);
    expect(viewAt(spot, 3, 1, 0, 0)).toBe(spot.maps[0]);
    const faces = Array.from({ length: 6 }, (_, i) => mapAt(i, Infinity));
    const point = light(LIGHT_POINT, faces);
    const directions = [
      [1, 0.2, 0.1],
      [-1, 0.2, 0.1],
      [0.2, 1, 0.1],
      [0.2, -1, 0.1],
      [0.2, 0.1, 1],
      [0.2, 0.1, -1],
    ];
    // what is asked with leads from the place to the lamp, against the ray
    const found = directions.map(([x, y, z]) => faces.indexOf(viewAt(point, 3, -x, -y, -z)));
    expect(found).toEqual([0, 1, 2, 3, 4, 5]);
  });
});
