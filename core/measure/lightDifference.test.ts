import { describe, expect, it } from 'vitest';
import type { ErrorFigures } from './imageError';
import type { LightComponent } from '../light/components';
import { differenceInWords, placeLight, type PlaceLight } from './lightDifference';

const place = (parts: Partial<Record<LightComponent, number>> | null, all?: number): PlaceLight => {
  const whole = { direct: 0, bounce: 0, reflection: 0, emission: 0, ...parts };
  const sum = Object.values(whole).reduce((a, b) => a + b, 0);
  return { pixels: 10_000, all: all ?? sum, parts: parts && whole };
};
const figures = (more: Partial<ErrorFigures> = {}): ErrorFigures => ({
  ...{ rmse: 0.1, relMse: 0.1, psnr: 30, ssim: 0.9, flip: 0.1, meanStops: 0, floor: 0 },
  ...more,
});
const says = (mine: PlaceLight, reference: PlaceLight, more: Partial<ErrorFigures> = {}): string =>
  differenceInWords(mine, reference, figures(more));

describe('a difference of brightness', () => {
  it('is told in stops, with the part that is missing', () => {
    expect(says(place({ direct: 0.84 }), place({ direct: 0.84, bounce: 0.16 }))).toBe(
      '0.25 stop darker than the reference: bounced light is missing.',
    );
  });

  it('names what is weaker or stronger, and by how much', () => {
    expect(says(place({ direct: 0.5, reflection: 0.1 }), place({ direct: 0.5, reflection: 0.3 }))).toContain(
      'mirrored light is 33 % of the reference’s',
    );
    expect(says(place({ direct: 0.2, bounce: 0.6 }), place({ direct: 0.2, bounce: 0.2 }))).toContain(
      'brighter than the reference: bounced light is 3.0 × the reference’s',
    );
    expect(says(place({ direct: 0.2, emission: 0.2 }), place({ direct: 0.2 }))).toContain(
      'glow and background are not in the reference at all',
    );
  });

  it('names no part that explains little of it, and none that goes the other way', () => {
    const text = says(
      place({ direct: 0.5, bounce: 0.3, reflection: 0.19 }),
      place({ direct: 1, bounce: 0.25, reflection: 0.2 }),
    );
    expect(text).toContain('direct light is 50 %');
    expect(text).not.toContain('bounced');
    expect(text).not.toContain('mirrored');
  });

  it('is none inside the noise of the reference', () => {
    const [a, b] = [place({ direct: 0.9 }), place({ direct: 1 })];
    expect(says(a, b, { rmse: 0.1, floor: 0.09 })).toContain('No difference');
    // four hundredths of noise a pixel: over ten thousand pixels a tenth is sure, over four it is not
    expect(says(a, b, { rmse: 0.2, floor: 0.1 })).toContain('darker');
    expect(says({ ...a, pixels: 4 }, { ...b, pixels: 4 }, { rmse: 0.2, floor: 0.1 })).not.toContain('darker');
  });

  it('is none where both are alike, but parts that make up for each other are named', () => {
    expect(says(place({ direct: 0.99 }), place({ direct: 1 }))).toBe('As bright as the reference.');
    const text = says(place({ direct: 1, bounce: 0 }), place({ direct: 0.6, bounce: 0.4 }));
    expect(text).toContain('As bright as the reference, but not by the same light');
    expect(text).toContain('bounced light is missing');
    expect(text).toContain('direct light is 1.7 ×');
  });

  it('gives no cause where a picture does not say what it is made of', () => {
    expect(says(place(null, 0.5), place({ direct: 1 }))).toBe('1.00 stop darker than the reference.');
    expect(says(place({ direct: 0.5 }), place({ direct: 1 }))).toContain('direct light');
  });
});

describe('the light of a place', () => {
  it('is the mean over its pixels, whole and by part', () => {
    const layer = (value: number) => new Float32Array(16).fill(value);
    const light = {
      layers: { direct: layer(0.5), bounce: layer(0.25), reflection: layer(0), emission: layer(0) },
      lit: layer(1),
    };
    const rgb = new Float32Array(48).fill(0.75);
    const found = placeLight(
      { name: 'a', width: 4, height: 4, rgb, tone: 'none', light },
      { x: 2, y: 2, width: 9, height: 1 },
    );
    expect(found.pixels).toBe(2);
    expect(found.all).toBeCloseTo(0.75, 5);
    expect(found.parts).toEqual({ direct: 0.5, bounce: 0.25, reflection: 0, emission: 0 });
  });
});
