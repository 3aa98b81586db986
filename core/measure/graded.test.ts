import { describe, expect, it } from 'vitest';
import type { Lut } from '../film/lut';
import { srgbToLinear } from '../math/color';
import { gradedLuminance } from './graded';
import { displayLuminance, type MeasuredImage } from './imageError';
import { SequenceMeter } from './stability/sequence';

/** A table of codes by a curve. */
const table = (curve: (code: number) => number, size = 65): Lut => ({
  name: 't',
  kind: '1D',
  size,
  domain: { min: [0, 0, 0], max: [1, 1, 1] },
  table: Float32Array.from({ length: size * 3 }, (_, i) => curve(Math.floor(i / 3) / (size - 1))),
});
const SAME = table((c) => c);
/** Five times the contrast about a dark grey. */
const STEEP = table((c) => Math.min(1, Math.max(0, 0.3 + (c - 0.3) * 5)));
const N = 64;
/** Even grey whose right half alternates by a few codes of 255. */
function image(frame: number, codes: number): MeasuredImage {
  const rgb = Float32Array.from({ length: N * N * 3 }, (_, i) => {
    const flickers = Math.floor(i / 3) % N >= N / 2 && frame % 2 === 1;
    return srgbToLinear(0.3 + (flickers ? codes / 255 : 0));
  });
  return { name: `f${frame}`, width: N, height: N, rgb, tone: 'none', motion: new Float32Array(N * N * 2) };
}

describe('a graded picture', () => {
  it('has the light of the picture itself under a table that changes nothing', () => {
    const one = image(1, 4);
    const [graded, own] = [gradedLuminance(one, SAME), displayLuminance(one)];
    graded.forEach((v, i) => expect(v).toBeCloseTo(own[i], 5));
  });

  it('flickers as much more as the grade adds contrast, and not at all under one that takes it away', () => {
    const index = (lut: Lut | null): number => {
      const meter = new SequenceMeter();
      for (let f = 0; f < 9; f++) {
        const one = image(f, 1);
        meter.add(lut ? { ...one, shown: gradedLuminance(one, lut) } : one, f);
      }
      return meter.report().index;
    };
    const own = index(null);
    expect(own).toBeGreaterThan(0.5);
    expect(index(SAME) / own).toBeCloseTo(1, 2);
    expect(index(STEEP) / own).toBeGreaterThan(4);
    expect(index(table(() => 0.3))).toBeLessThan(0.01);
  });
});
