import { describe, expect, it } from 'vitest';
import { cos, sin } from '../../math/exact';
import { random01 } from '../../math/random';
import { StabilityMeter, type StabilityReport } from './meter';

const [WIDTH, HEIGHT] = [144, 144];
type Luminance = (x: number, y: number, t: number) => number;

function measure(luminance: Luminance, count = 12): StabilityReport {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT });
  for (let t = 0; t < count; t++) {
    const plane = Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) =>
      luminance(i % WIDTH, Math.floor(i / WIDTH), t),
    );
    meter.add({ number: t, luminance: plane, motion: null, ids: null });
  }
  return meter.report();
}

/** Light beyond an edge that passes: direction in degrees, pixels a frame, and how wide it is. */
const edge =
  (degrees: number, speed: number, width: number): Luminance =>
  (x, y, t) => {
    const turn = (degrees * Math.PI) / 180;
    const at = (x - WIDTH / 2) * cos(turn) + (y - HEIGHT / 2) * sin(turn) - speed * (t - 5);
    return 0.1 + 0.2 * Math.min(1, Math.max(0, at / width + 0.5));
  };

describe('an edge that passes', () => {
  it.each([
    [0, 2, 1],
    [0, 5, 1],
    [30, 3, 1],
    [45, 4, 2],
    [75, 8, 1],
    [120, 10, 3],
    [200, 6, 6],
    [290, 3, 4],
  ])('towards %f° by %f pixels a frame, %f wide, is no flicker', (degrees, speed, width) => {
    const { peak, movingLight } = measure(edge(degrees, speed, width));
    expect(peak).toBeLessThan(1);
    expect(movingLight).toBeGreaterThan(0.01);
  });

  it('does not hide what flickers beside it', () => {
    const passes = edge(20, 4, 1);
    const spot = (x: number, y: number): boolean => Math.abs(x - 112) < 12 && Math.abs(y - 32) < 12;
    const both = measure((x, y, t) => passes(x, y, t) * (spot(x, y) ? (t % 2 === 0 ? 1.08 : 0.92) : 1));
    expect(both.index).toBeGreaterThan(2);
  });
});

describe('what flickers is not taken for something that passes', () => {
  const speckle =
    (share: number): Luminance =>
    (x, y, t) =>
      0.1 + (random01(3, y * WIDTH + x, t, 0) < share ? 0.15 : 0);
  it.each([0.01, 0.1, 0.3, 0.5])('noise of single pixels, a share of %f lit', (share) => {
    const { index, movingLight } = measure(speckle(share), 8);
    expect(movingLight).toBeLessThan(0.01);
    expect(index).toBeGreaterThan(1);
  });

  it.each([2, 4, 8])('noise in squares of %i pixels', (side) => {
    const { index, movingLight } = measure((x, y, t) => {
      const n = Math.floor(y / side) * WIDTH + Math.floor(x / side);
      return 0.1 + 0.04 * random01(4, n, t, 0);
    }, 8);
    expect(movingLight).toBeLessThan(0.05);
    expect(index).toBeGreaterThan(1);
  });

  it.each([
    ['that alternates', (t: number) => t % 2],
    ['at a quarter of the rate', (t: number) => (t >> 1) % 2],
    ['that flashes once', (t: number) => (t === 6 ? 1 : 0)],
    ['that comes and stays', (t: number) => (t >= 6 ? 1 : 0)],
    ['that steps every third frame', (t: number) => Math.floor(t / 3) / 4],
  ])('a patch %s', (_name, light) => {
    const inside = (x: number, y: number): boolean => (x - 72) ** 2 + (y - 70) ** 2 < 30 * 30;
    const { peak, movingLight } = measure((x, y, t) => 0.2 + (inside(x, y) ? 0.05 * light(t) : 0));
    expect(peak).toBeGreaterThan(2);
    expect(movingLight).toBeLessThan(0.01);
  });
});
