import { describe, expect, it } from 'vitest';
import * as sequences from '../../../testing/sequences';
import { SEQUENCE_HEIGHT as HEIGHT, SEQUENCE_WIDTH as WIDTH } from '../../../testing/sequences';
import { estimateFlow } from './flow';
import { flowPicture, type FlowPicture } from './flowPicture';
import { StabilityMeter, type StabilityReport } from '../meter';
import type { MeterFrame } from '../window';

const seen = (f: MeterFrame): FlowPicture =>
  flowPicture(
    f.luminance.map((v) => 0.5 + 99.5 * v),
    WIDTH,
    HEIGHT,
  );
function measure(frames: readonly MeterFrame[]): StabilityReport {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT });
  for (const frame of frames) meter.add(frame);
  return meter.report();
}
/** The same frames with our own vectors instead of the true ones. */
function flowed(frames: readonly MeterFrame[]): MeterFrame[] {
  return frames.map((f, t) => {
    const next = frames[t + 1];
    return { ...f, ids: null, motion: next ? estimateFlow(seen(f), seen(next)).motion : f.motion };
  });
}

describe('our own flow', () => {
  it.each([
    [0.3, 0.1],
    [1.6, -0.7],
    [5, 2],
    [11, 0],
  ])('finds a pan by %f and %f within a twentieth of a pixel', (dx, dy) => {
    const [a, b] = sequences.pan(dx, dy);
    const { motion, followed } = estimateFlow(seen(a), seen(b));
    expect(followed).toBeGreaterThan(0.5);
    let [worst, known] = [0, 0];
    for (let y = 20; y < HEIGHT - 20; y++)
      for (let x = 20; x < WIDTH - 20; x++) {
        const i = (y * WIDTH + x) * 2;
        if (Number.isNaN(motion[i])) continue;
        known++;
        worst = Math.max(worst, Math.abs(motion[i] - dx), Math.abs(motion[i + 1] - dy));
      }
    expect(worst).toBeLessThan(0.05);
    expect(known / ((HEIGHT - 40) * (WIDTH - 40))).toBeGreaterThan(0.95);
  });

  it('finds a zoom, and no motion in a still with grain', () => {
    const [a, b] = sequences.zoom(0.02);
    const { motion } = estimateFlow(seen(a), seen(b));
    for (const [x, y] of [
      [40, 30],
      [120, 90],
      [80, 60],
    ])
      // prettier-ignore
      expect(motion[(y * WIDTH + x) * 2]).toBeCloseTo((x - WIDTH / 2) * 0.02, 0.9);
    const [c, d] = sequences.grain(4);
    const still = estimateFlow(seen(c), seen(d)).motion;
    expect(still.filter((v) => v === 0).length / still.length).toBeGreaterThan(0.9);
  });

  it('measures grain on a moving texture as the true vectors do, within 15 %', () => {
    const noisy = (frames: MeterFrame[]): MeterFrame[] =>
      frames.map((f, t) => {
        const noise = sequences.grain(5, 1, 50 + t)[0].luminance;
        const mean = 0.181;
        return { ...f, luminance: f.luminance.map((v, i) => v + (noise[i] - mean) * 1.2) };
      });
    for (const speed of [0, 0.8, 2.4]) {
      const frames = noisy(sequences.pan(speed, speed * 0.4, 9));
      const [own, given] = [measure(flowed(frames)), measure(frames)];
      expect(given.index).toBeGreaterThan(1);
      expect(Math.abs(own.index / given.index - 1)).toBeLessThan(0.15);
      expect(own.coverage).toBeGreaterThan(given.coverage * 0.7);
    }
  });

  it('keeps clean pans clean', () => {
    expect(measure(flowed(sequences.pan(1.3, 0.4))).index).toBeLessThan(0.7);
    expect(measure(flowed(sequences.still())).index).toBe(0);
  });
});
