import { describe, expect, it } from 'vitest';
import * as sequences from '../../testing/sequences';
import { SEQUENCE_HEIGHT as HEIGHT, SEQUENCE_WIDTH as WIDTH } from '../../testing/sequences';
import type { Kind } from './kinds';
import { StabilityMeter, type StabilityReport } from './meter';
import { REGION } from './regions';
import type { MeterFrame } from './window';

function measure(frames: readonly MeterFrame[], pixelsPerDegree?: number): StabilityReport {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT, pixelsPerDegree });
  for (const frame of frames) meter.add(frame);
  return meter.report();
}

describe('sequences without flicker', () => {
  it.each([
    ['a still one', () => sequences.still()],
    ...[0.3, 0.7, 1.6, 3.3, 7].map((v) => [`a pan by ${v} pixels a frame`, () => sequences.pan(v, v * 0.3)] as const),
    ['a zoom', () => sequences.zoom(0.01)],
    ['a slow fade', () => sequences.fade(1)],
    ['a fast fade', () => sequences.fade(4)],
    ['a soft highlight', () => sequences.softHighlight(1)],
    ['a faster one', () => sequences.softHighlight(4)],
    ['a square passing before a ground', () => sequences.passing(2.6)],
    ['a fast square', () => sequences.passing(6)],
  ] as const)('score under the threshold: %s', (_name, frames) => {
    const { index, peak, coverage } = measure(frames());
    expect(index).toBeLessThan(0.7);
    expect(peak).toBeLessThan(1);
    expect(coverage).toBeGreaterThan(0.5);
  });
});

describe('flicker', () => {
  const families: [string, (amplitude: number) => MeterFrame[], number[]][] = [
    ['alternating patches', sequences.alternating, [0.5, 1, 2, 4, 8, 16]],
    ['grain', sequences.grain, [0.5, 1, 2, 4, 8]],
    ['blotches', sequences.blotches, [0.5, 1, 2, 4, 8]],
    ['sines of 6 Hz', (a) => sequences.sine(a, 6), [1, 2, 4, 8]],
  ];
  it.each(families)('of %s is measured in proportion to its strength, within a tenth', (_name, family, amplitudes) => {
    const indices = amplitudes.map((a) => measure(family(a)).index);
    const perUnit = indices.map((index, i) => index / amplitudes[i]);
    for (const p of perUnit) expect(Math.abs(p / perUnit[1] - 1)).toBeLessThan(0.1);
  });

  it('of lonely sparkles grows with their strength', () => {
    const [weak, middle, strong] = [16, 60, 150].map((codes) => measure(sequences.sparkles(codes)).index);
    expect(weak).toBeLessThan(1);
    expect(middle).toBeGreaterThan(weak * 2);
    expect(strong).toBeGreaterThan(middle * 2);
  });

  // a flickering field of mid grey is just seen at a contrast of 0.3 to 1.2 % at 8 to 15 Hz (de Lange 1958; Kelly 1979):
  // about ±0.25 to ±1.1 codes there
  it('of a large patch is just seen where the published thresholds lie', () => {
    const perCode = measure(sequences.alternating(2)).index / 2;
    expect(1 / perCode).toBeGreaterThan(0.25);
    expect(1 / perCode).toBeLessThan(1.1);
  });

  it('is seen best near 6 to 12 Hz, and slow change not at all', () => {
    const [one, three, six, twelve] = [1, 3, 6, 12].map((hz) => measure(sequences.sine(4, hz)).index);
    expect(one).toBeLessThan(0.5);
    expect(three).toBeLessThan(six / 4);
    expect(six).toBeGreaterThan(4);
    expect(twelve).toBeGreaterThan(4);
  });

  it('that comes once shows in the peak, not in the median', () => {
    const { index, peak } = measure(sequences.step(12));
    expect(index).toBeLessThan(0.1);
    expect(peak).toBeGreaterThan(5);
  });

  it('is less visible the more samples smooth it', () => {
    const indices = [1, 4, 16, 64].map((samples) => measure(sequences.lines(samples)).index);
    for (let i = 1; i < indices.length; i++) expect(indices[i]).toBeLessThan(indices[i - 1] * 0.8);
    expect(indices[0]).toBeGreaterThan(1);
  });

  it('ranks ten sequences from calm to bad', () => {
    const indices = [
      sequences.still(),
      sequences.pan(0.7, 0.2),
      sequences.grain(0.5),
      sequences.sparkles(16),
      sequences.alternating(0.5),
      sequences.grain(2),
      sequences.blotches(0.5),
      sequences.sparkles(60),
      sequences.alternating(4),
      sequences.blotches(8),
    ].map((frames) => measure(frames).index);
    expect([...indices].sort((a, b) => a - b)).toEqual(indices);
  });

  it('far away is smaller: the same frames at more pixels a degree flicker less in grain', () => {
    expect(measure(sequences.grain(4), 90).index).toBeLessThan(measure(sequences.grain(4)).index * 0.8);
  });
});

describe('the kind of flicker', () => {
  it.each<[Kind, () => MeterFrame[]]>([
    ['grain', () => sequences.grain(4, 12)],
    ['grain', () => sequences.grain(3, 12, 9)],
    ['boil', () => sequences.blotches(2)],
    ['boil', () => sequences.alternating(4, 12)],
    ['sparkle', () => sequences.sparkles(100)],
    ['pop', () => sequences.step(8)],
    ['crawl', () => sequences.lines(1)],
  ])('is told: %s', (kind, frames) => {
    const { kinds } = measure(frames());
    expect(kinds[kind]).toBeGreaterThan(0.8);
    expect(Object.values(kinds).reduce((a, b) => a + b, 0)).toBeCloseTo(1, 6);
  });

  it('is none where nothing is visible', () => {
    expect(Object.values(measure(sequences.still()).kinds).every((share) => share === 0)).toBe(true);
  });
});

describe('light that moves over surfaces', () => {
  it.each([
    ['a fast highlight', () => sequences.fastHighlight(4, 8)],
    ['a faster one', () => sequences.fastHighlight(7, 10)],
    ['the edge of a shadow', () => sequences.shadowEdge(3, 7)],
    ['a fast one', () => sequences.shadowEdge(6, 9)],
  ])('is told from flicker and not counted as it: %s', (_name, frames) => {
    const { kinds, movingLight, index, visible } = measure(frames());
    expect(kinds.light).toBeGreaterThan(0.8);
    expect(movingLight).toBeGreaterThan(0.01);
    expect(visible).toBeLessThan(movingLight / 2);
    expect(index).toBeLessThan(2);
  });

  it.each([
    ['grain', () => sequences.grain(6)],
    ['blotches', () => sequences.blotches(4)],
    ['an alternating patch', () => sequences.alternating(6)],
    ['sparkles', () => sequences.sparkles(150)],
    ['crawling lines', () => sequences.lines(1)],
  ])('is not seen in %s', (_name, frames) => {
    expect(measure(frames()).movingLight).toBeLessThan(0.02);
  });
});

describe('the report', () => {
  it('shows where it is worst, every trouble once, and how much was measured', () => {
    const { worst, frames, coverage } = measure(sequences.alternating(8));
    expect(frames.map((f) => f.frame)).toEqual([2, 3, 4, 5]);
    expect(coverage).toBeCloseTo(((WIDTH - 8) * (HEIGHT - 8)) / (WIDTH * HEIGHT), 6);
    const { x, y, width, height } = worst[0];
    expect(x < 110 && x + width > 50 && y < 90 && y + height > 30).toBe(true);
    // no two of them touch: that would be one trouble twice
    const many = measure(sequences.sparkles(150)).worst;
    expect(many.length).toBeGreaterThan(1);
    for (const [i, a] of many.entries())
      for (const b of many.slice(0, i))
        expect(Math.max(Math.abs(a.x - b.x), Math.abs(a.y - b.y))).toBeGreaterThan(REGION);
  });

  it('does not count what cannot be followed as clean', () => {
    const frames = sequences.pan(2, 0).map((f) => ({ ...f, motion: f.motion!.map((v, i) => (i < 9000 ? NaN : v)) }));
    const whole = measure(sequences.pan(2, 0)).coverage;
    expect(measure(frames).coverage).toBeLessThan(whole - 0.15);
  });

  it('holds flicker that wrong vectors could feign apart from what is certain', () => {
    // vectors half a pixel wrong make hard texture seem to flicker
    const wrong = sequences.pan(1, 0).map((f, t) => ({
      ...f,
      motion: f.motion!.map((v, i) => (i % 2 === 0 ? v + (t % 2 === 0 ? 0.45 : -0.45) : v)),
    }));
    const { visible, certain } = measure(wrong);
    expect(visible).toBeGreaterThan(0.1);
    expect(certain).toBeLessThan(visible / 4);
  });

  it('refuses less than five frames, and frames that are too small', () => {
    expect(() => measure(sequences.still(1))).toThrow('there is one');
    expect(() => measure(sequences.still(4))).toThrow('there are 4');
    expect(() => new StabilityMeter({ width: 20, height: 100 })).toThrow('20×100');
  });
});
