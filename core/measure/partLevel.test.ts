import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { byComponent } from '../light/components';
import type { MeasuredImage } from './imageError';
import { levelInStops, levelInWords, partLevel, placePart, type PlacePart } from './partLevel';

const SIDE = 32;
const all = 1;
/** @param f light of a pixel */
const place = (f: (x: number, y: number) => number, error: number | null = null): PlacePart => ({
  ...{ width: SIDE, height: SIDE, all },
  light: Float32Array.from({ length: SIDE * SIDE }, (_, i) => f(i % SIDE, Math.floor(i / SIDE))),
  error: error === null ? null : new Float32Array(SIDE * SIDE).fill(error),
});
/** As a path tracer shows an even place: each pixel off by noise of so much. */
const noisy = (level: number, sigma: number, seed: number): PlacePart => {
  const random = randomStream(seed);
  const spread = sigma * Math.sqrt(3);
  return place(() => level + (2 * random() - 1) * spread, sigma);
};
const says = (mine: PlacePart, reference: PlacePart): string =>
  levelInWords(partLevel(mine, reference), 'bounced light');

describe('how much too bright a part of the light is', () => {
  it('is said in stops, of what is darker and of what is brighter', () => {
    const half = partLevel(
      place(() => 0.15),
      place(() => 0.3),
    )!;
    expect(half.stops).toBeCloseTo(-1, 6);
    expect(half.sure).toBe(true);
    expect(half.off).toBeCloseTo(0.5, 6);
    expect(
      says(
        place(() => 0.15),
        place(() => 0.3),
      ),
    ).toBe('1.00 stop too dark in bounced light.');
    expect(
      says(
        place(() => 0.6),
        place(() => 0.1),
      ),
    ).toBe('2.58 stops too bright in bounced light.');
    expect(
      says(
        place(() => 0),
        place(() => 0.3),
      ),
    ).toBe('No bounced light at all, where the reference has some.');
    expect(
      says(
        place(() => 0.3),
        place(() => 0),
      ),
    ).toBe('There is bounced light where the reference has none.');
  });

  it('is not said of what is alike, or where there is none to speak of', () => {
    expect(
      says(
        place(() => 0.301),
        place(() => 0.3),
      ),
    ).toMatch(/^As bright/);
    expect(
      partLevel(
        place(() => 0.01),
        place(() => 0.002),
      ),
    ).toBeNull();
    expect(
      says(
        place(() => 0.01),
        place(() => 0.002),
      ),
    ).toMatch(/^Neither/);
    // one that has some is enough
    expect(
      partLevel(
        place(() => 0.05),
        place(() => 0.002),
      ),
    ).not.toBeNull();
  });

  it('is never said of what noise makes alone, and of what it does not', () => {
    const truth = place(() => 0.3);
    for (let seed = 1; seed <= 200; seed++) {
      // a mean of 1024 pixels whose noise is as large as their light
      expect(partLevel(truth, noisy(0.3, 0.3, seed))!.sure).toBe(false);
      const darker = partLevel(
        place(() => 0.22),
        noisy(0.3, 0.3, seed),
      )!;
      expect(darker.sure && darker.stops < 0).toBe(true);
    }
  });

  it('tells places that make up for one another, and takes noise out of what they differ by', () => {
    const halves = partLevel(
      place((x) => (x < SIDE / 2 ? 0.45 : 0.15)),
      place(() => 0.3),
    )!;
    expect(halves.sure).toBe(false);
    expect(halves.off).toBeCloseTo(0.5, 3);
    const offs = Array.from(
      { length: 50 },
      (_, i) =>
        partLevel(
          place(() => 0.3),
          noisy(0.3, 0.3, i + 1),
        )!.off,
    );
    // noise that is taken for a tenth less than it is claims nothing either
    const said = { ...noisy(0.3, 0.3, 7), error: new Float32Array(SIDE * SIDE).fill(0.27) };
    expect(
      partLevel(
        place(() => 0.3),
        said,
      )!.off,
    ).toBe(0);
    // without that it would be an eighth
    expect(offs.reduce((a, b) => a + b) / offs.length).toBeLessThan(0.03);
  });

  it('refuses places that differ in size', () => {
    const small = { ...place(() => 0.3), width: 20, light: new Float32Array(20 * SIDE) };
    expect(() =>
      partLevel(
        small,
        place(() => 0.3),
      ),
    ).toThrow(RangeError);
  });
});

describe('the place of a picture', () => {
  const image: MeasuredImage = {
    ...{ name: 'p', width: 4, height: 3, tone: 'none' },
    rgb: Float32Array.from({ length: 36 }, (_, i) => Math.floor(i / 3)),
    light: {
      layers: byComponent((c) => Float32Array.from({ length: 12 }, (_, i) => (c === 'bounce' ? i : 0))),
      lit: new Float32Array(12),
    },
    error: Float32Array.from({ length: 12 }, (_, i) => i / 10),
  };

  it('is cut out, as far as it lies within', () => {
    const part = placePart(image, { x: 2, y: 1, width: 5, height: 1 }, 'bounce')!;
    expect([part.width, part.height]).toEqual([2, 1]);
    expect([...part.light]).toEqual([6, 7]);
    expect(part.all).toBeCloseTo(6.5, 5);
    expect([...part.error!]).toEqual([Math.fround(0.6), Math.fround(0.7)]);
  });

  it('is none outside of it, and of what does not say what its light is made of', () => {
    expect(placePart(image, { x: 9, y: 0, width: 2, height: 2 }, 'bounce')).toBeNull();
    expect(placePart({ ...image, light: undefined }, { x: 0, y: 0, width: 2, height: 2 }, 'bounce')).toBeNull();
  });
});

describe('a level in stops', () => {
  it.each([
    [0.731, true, '+0.73'],
    [-1.5, true, '−1.50'],
    [-Infinity, true, 'none'],
    [Infinity, true, 'too much'],
    [0.3, false, '≈'],
  ])('of %d, sure %s, is %s', (stops, sure, text) => {
    expect(levelInStops({ stops, sure, off: 0 })).toBe(text);
  });
});
