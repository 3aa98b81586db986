import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { flipMap } from './flip';
import { measureError, type MeasuredImage } from './imageError';
import { ssimMap } from './ssim';
import { cases } from '../testing/cases';

const [W, H] = [48, 32];
function image(value: (x: number, y: number, c: number) => number, more: Partial<MeasuredImage> = {}): MeasuredImage {
  const rgb = new Float32Array(W * H * 3);
  for (let i = 0; i < rgb.length; i++) {
    const p = Math.floor(i / 3);
    rgb[i] = value(p % W, Math.floor(p / W), i % 3);
  }
  return { name: 'picture', width: W, height: H, rgb, tone: 'none', ...more };
}
const noisy = (amount: number, seed = 1): MeasuredImage => {
  const random = randomStream(seed);
  return image((x) => 0.2 + 0.3 * (x / W) + (random() - 0.5) * amount);
};
const ramp = image((x) => 0.2 + 0.3 * (x / W));

describe('error against a reference', () => {
  it('is nothing for the same picture', () => {
    expect(measureError(ramp, ramp)).toEqual({
      rmse: 0,
      relMse: 0,
      psnr: Infinity,
      ssim: 1,
      flip: 0,
      meanStops: 0,
      floor: 0,
    });
  });

  it('is what hand calculation gives for flat pictures', () => {
    const [a, b] = [image(() => 0.25), image(() => 0.5)];
    const figures = measureError(a, b);
    expect(figures.rmse).toBeCloseTo(0.25, 6);
    expect(figures.relMse).toBeCloseTo(0.0625 / 0.26, 6);
    expect(figures.meanStops).toBeCloseTo(-1, 6);
    // sRGB codes of 0.25 and 0.5: 0.5371 and 0.7354
    expect(figures.psnr).toBeCloseTo(-20 * Math.log10(0.7354 - 0.5371), 1);
    // structure is the same, luminance differs
    const [x, y] = [0.5371, 0.7354];
    expect(figures.ssim).toBeCloseTo((2 * x * y + 1e-4) / (x * x + y * y + 1e-4), 3);
    // FLIP of flat greys: lightness alone, 57.1 and 76.1; cmax from green and blue after Hunt's adjustment
    const lab = (g: number): number => 116 * Math.cbrt(g) - 16;
    const cmax = hyabOfGreenAndBlue() ** 0.7;
    expect(figures.flip).toBeCloseTo(((lab(0.5) - lab(0.25)) ** 0.7 * 0.95) / (0.4 * cmax), 3);
  });

  it('grows with the noise, in every measure', () => {
    const steps = [0.01, 0.04, 0.16].map((a) => measureError(noisy(a), ramp));
    for (let i = 1; i < steps.length; i++) {
      expect(steps[i].rmse).toBeGreaterThan(steps[i - 1].rmse);
      expect(steps[i].flip).toBeGreaterThan(steps[i - 1].flip);
      expect(steps[i].psnr).toBeLessThan(steps[i - 1].psnr);
      expect(steps[i].ssim).toBeLessThan(steps[i - 1].ssim);
    }
  });

  it('states the noise that the reference has itself', () => {
    const reference = { ...ramp, error: new Float32Array(W * H).fill(0.03) };
    expect(measureError(noisy(0.1), reference).floor).toBeCloseTo(0.03, 6);
  });

  it.each<[string, MeasuredImage, RegExp]>([
    ['another size', { ...ramp, width: W / 2, height: H * 2, name: 'b.png' }, /b\.png is 24×64 and picture is 48×32/],
    [
      'a pixel that is not a number',
      { ...image((x, y) => (x === 5 && y === 7 ? NaN : 0.5)), name: 'b.exr' },
      /b\.exr: the pixel at 5, 7 is not a number/,
    ],
  ])('refuses %s', (_what, picture, message) => {
    expect(() => measureError(picture, ramp)).toThrow(message);
  });
});

describe('FLIP', () => {
  it('does not care which picture comes first, and stays between 0 and 1', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer(), (s, t) => {
        const [a, b] = [noisy(0.9, s).rgb, noisy(0.9, t).rgb];
        const [there, back] = [flipMap(a, b, W, H), flipMap(b, a, W, H)];
        there.forEach((v, i) => {
          expect(v).toBeCloseTo(back[i], 6);
          expect(v >= 0 && v <= 1).toBe(true);
        });
      }),
      { numRuns: cases(5) },
    );
  });

  it('sees fine noise less from farther away', () => {
    const near = flipMap(noisy(0.3).rgb, ramp.rgb, W, H, 20);
    const far = flipMap(noisy(0.3).rgb, ramp.rgb, W, H, 120);
    const mean = (m: Float32Array): number => m.reduce((a, b) => a + b, 0) / m.length;
    expect(mean(far)).toBeLessThan(mean(near) * 0.8);
  });

  it('finds a moved edge worse than the same light spread out', () => {
    const edge = (at: number): Float32Array => image((x) => (x < at ? 0.1 : 0.5)).rgb;
    const moved = flipMap(edge(26), edge(24), W, H);
    const spread = flipMap(image((x) => (x < 24 ? 0.1 : 0.5) - 0.4 / 24).rgb, edge(24), W, H);
    expect(Math.max(...moved)).toBeGreaterThan(Math.max(...spread) * 2);
  });
});

describe('structural similarity', () => {
  it('is lost where structure is, and not where light is only brighter', () => {
    const stripes = image((x) => (x % 4 < 2 ? 0.3 : 0.6)).rgb.filter((_, i) => i % 3 === 0);
    const brighter = stripes.map((v) => v + 0.03);
    const shifted = image((x) => (x % 4 < 2 ? 0.6 : 0.3)).rgb.filter((_, i) => i % 3 === 0);
    const mean = (m: Float32Array): number => m.reduce((a, b) => a + b, 0) / m.length;
    expect(mean(ssimMap(brighter, stripes, W, H))).toBeGreaterThan(0.98);
    expect(mean(ssimMap(shifted, stripes, W, H))).toBeLessThan(0);
  });
});

/** Worked out apart from the code under test, from the CIE formulas. */
function hyabOfGreenAndBlue(): number {
  const f = (t: number): number => Math.cbrt(t);
  const lab = (x: number, y: number, z: number): number[] => {
    const L = 116 * f(y) - 16;
    return [L, (L / 100) * 500 * (f(x) - f(y)), (L / 100) * 200 * (f(y) - f(z))];
  };
  const green = lab(0.3576 / 0.9505, 0.7152, 0.1192 / 1.089);
  const blue = lab(0.1805 / 0.9505, 0.0722, 0.9505 / 1.089);
  return Math.abs(green[0] - blue[0]) + Math.hypot(green[1] - blue[1], green[2] - blue[2]);
}
