import { describe, expect, it } from 'vitest';
import * as sequences from '../../testing/sequences';
import { SEQUENCE_HEIGHT as height, SEQUENCE_WIDTH as width } from '../../testing/sequences';
import type { MeasuredImage } from '../imageError';
import type { MeterFrame } from './window';
import { SequenceMeter, type SequenceReport } from './sequence';

/** Frames as pictures that were read from files. */
const images = (frames: readonly MeterFrame[], vectors: boolean): MeasuredImage[] =>
  frames.map((f) => ({
    name: `f.${f.number}.exr`,
    width,
    height,
    tone: 'none',
    rgb: Float32Array.from({ length: width * height * 3 }, (_, i) => f.luminance[Math.floor(i / 3)]),
    motion: vectors ? (f.motion ?? new Float32Array(width * height * 2)) : undefined,
  }));
function measure(frames: readonly MeasuredImage[]): SequenceReport {
  const meter = new SequenceMeter();
  frames.forEach((image, n) => meter.add(image, n + 1));
  return meter.report();
}

describe('a sequence of pictures', () => {
  it('is measured by its motion layer, frame by frame', () => {
    const seen: number[] = [];
    const meter = new SequenceMeter({ onFrame: (f) => seen.push(f.frame) });
    images(sequences.pan(1.2, 0, 9), true).forEach((image, n) => meter.add(image, n + 1001));
    const { motionSource, index, notes } = meter.report();
    expect(motionSource).toBe('layer');
    expect(index).toBeLessThan(0.7);
    expect(seen).toEqual([1003, 1004, 1005, 1006, 1007]);
    expect(notes.some((n) => n.includes('explain'))).toBe(false);
  });

  it('is measured without one by our own flow, and says so', () => {
    const { motionSource, index, notes } = measure(images(sequences.pan(1.2, 0, 8), false));
    expect(motionSource).toBe('flow');
    expect(index).toBeLessThan(0.7);
    expect(notes.some((n) => n.startsWith('There is no motion layer'))).toBe(true);
  });

  it('whose frames say their shutter is looked at for stepping, one by one', () => {
    // four copies of an edge, 8 pixels apart, over half of a motion of 64 pixels a frame
    const copies = (x: number): number => [0, 8, 16, 24].filter((k) => x > 60 + k).length / 4;
    const frames = images(sequences.still(6), true).map((image, n) => ({
      ...image,
      rgb: Float32Array.from({ length: width * height * 3 }, (_, i) => 0.3 + 0.2 * copies(Math.floor(i / 3) % width)),
      motion: Float32Array.from({ length: width * height * 2 }, (_, i) => (i % 2 === 0 ? 64 : 0)),
      shutter: n === 0 ? undefined : { instants: 4, open: 0.5 },
    }));
    const { stepping } = measure(frames);
    expect(stepping?.frame).toBe(2);
    expect(stepping?.spacing).toBeCloseTo(8, 5);
    expect(stepping?.contrast).toBeGreaterThan(0.02);
    expect(measure(frames.map((f) => ({ ...f, shutter: undefined }))).stepping).toBeNull();
  });

  it('of a still shot does not move', () => {
    expect(measure(images(sequences.still(), false)).index).toBe(0);
    expect(measure(images(sequences.alternating(4), false)).index).toBeGreaterThan(5);
  });

  it('says when much of it is too bright for the display to show flicker', () => {
    const dim = images(sequences.alternating(4), false);
    const brighter = (factor: number): SequenceReport =>
      measure(dim.map((f) => ({ ...f, tone: 'neutral', rgb: f.rgb.map((v) => v * factor) })));
    const said = ({ notes }: SequenceReport): string[] => notes.filter((n) => n.includes('as bright as'));
    expect(said(brighter(1))).toEqual([]);
    const burnt = brighter(2 ** 10);
    expect(burnt.index).toBeLessThan(brighter(1).index / 3);
    expect(said(burnt)).toHaveLength(1);
    expect(said(burnt)[0]).toMatch(/^100 % of the picture/);
  });

  it('says when vectors are of another scale or way', () => {
    const wrong = (factor: number): SequenceReport =>
      measure(
        images(sequences.pan(2.2, 0.5, 8), true).map((i) => ({ ...i, motion: i.motion!.map((v) => v * factor) })),
      );
    for (const factor of [-1, 3]) expect(wrong(factor).notes.some((n) => n.includes('worse than none'))).toBe(true);
    expect(wrong(1).notes.some((n) => n.includes('worse than none'))).toBe(false);
  });

  it('says when vectors are no numbers, and does not measure those places', () => {
    const broken = images(sequences.pan(1, 0, 8), true).map((i) => ({
      ...i,
      motion: i.motion!.map((v, k) => (k < 8000 ? NaN : v)),
    }));
    const { notes, coverage } = measure(broken);
    expect(notes.some((n) => n.includes('are not numbers'))).toBe(true);
    expect(coverage).toBeLessThan(0.8);
  });

  it('refuses what cannot be compared', () => {
    const [a, b, ...rest] = images(sequences.still(8), true);
    expect(() => measure([a, { ...b, width: 80, height: 240 }])).toThrow('all must be of one size');
    expect(() => measure([a, { ...b, motion: undefined }, ...rest])).toThrow('f.1.exr has no motion layer');
    expect(() => measure([a])).toThrow('there is one');
    expect(() => measure([])).toThrow('There are no frames');
  });
});
