import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { spreadGlow } from './bloom';
import { samplePosition, type FilterName } from './pixelFilter';
import { displayCode, ditherNoise, fineCode, neutralTone, NO_NOISE, roundedCode } from './tone';

describe('the tone curve', () => {
  it('keeps dark and middle colours as they are but for the fixed offset', () => {
    const rgb = Float64Array.of(0.18, 0.3, 0.5);
    neutralTone(rgb);
    expect([...rgb]).toEqual([0.18 - 0.04, 0.3 - 0.04, 0.5 - 0.04].map((v) => expect.closeTo(v, 12) as number));
  });

  it('rises without end and stays below one', () => {
    let last = -1;
    for (let v = 0; v < 60; v += 0.05) {
      const rgb = Float64Array.of(v, v, v);
      neutralTone(rgb);
      expect(rgb[0]).toBeGreaterThanOrEqual(last);
      expect(rgb[0]).toBeLessThan(1);
      last = rgb[0];
    }
  });

  it('never turns the order of the channels round', () => {
    const light = fc.double({ min: 0, max: 1000, noNaN: true });
    fc.assert(
      fc.property(light, light, light, (r, g, b) => {
        const rgb = Float64Array.of(r, g, b);
        neutralTone(rgb);
        if (r > g) expect(rgb[0]).toBeGreaterThanOrEqual(rgb[1] - 1e-9);
        if (g > b) expect(rgb[1]).toBeGreaterThanOrEqual(rgb[2] - 1e-9);
      }),
    );
  });
});

describe('display codes', () => {
  it('follow the sRGB curve within a three-hundredth of a code, and never fall', () => {
    let before = 0;
    for (let i = 0; i <= 4000; i++) {
      const linear = (i / 4000) ** 2;
      const expected = linear <= 0.0031308 ? 12.92 * linear : 1.055 * linear ** (1 / 2.4) - 0.055;
      const code = displayCode(linear);
      expect(Math.abs(code - expected * 255)).toBeLessThan(1 / 300);
      expect(code).toBeGreaterThanOrEqual(before);
      before = code;
    }
  });

  it('clamp what a display cannot show', () => {
    expect(displayCode(-1)).toBe(0);
    expect(displayCode(NaN)).toBe(0);
    expect(displayCode(7)).toBe(255);
  });

  it('of sixteen bits follow it within a tenth of one', () => {
    for (let i = 0; i <= 5000; i++) {
      const linear = (i / 5000) ** 2.3;
      const expected = linear <= 0.0031308 ? 12.92 * linear : 1.055 * linear ** (1 / 2.4) - 0.055;
      expect(Math.abs(fineCode(linear) - expected * 65535)).toBeLessThan(0.1);
    }
    expect([-1, NaN, 0, 1, 7].map(fineCode)).toEqual([0, 0, 0, 65535, 65535]);
  });

  it('are dithered without changing the mean', () => {
    for (const channel of [0, 1, 2]) {
      for (const code of [0.02, 100.3, 250.75]) {
        let sum = 0;
        for (let i = 0; i < 20_000; i++) sum += roundedCode(code, ditherNoise(i, channel));
        expect(sum / 20_000).toBeCloseTo(code, 1);
      }
      // black stays black, white does not overflow
      for (let i = 0; i < 5000; i++)
        for (const code of [0, 255]) expect(roundedCode(code, ditherNoise(i, channel))).toBe(code);
    }
  });

  it('are rounded to the nearest without noise', () => {
    for (const code of [0, 0.49, 0.51, 17.2, 254.6, 255]) expect(roundedCode(code, NO_NOISE)).toBe(Math.round(code));
  });

  it('are dithered in each colour by its own noise', () => {
    const n = 20_000;
    for (const [p, q] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ]) {
      let product = 0;
      for (let i = 0; i < n; i++) product += (ditherNoise(i, p) / 255 - 0.5) * (ditherNoise(i, q) / 255 - 0.5);
      // of independent numbers this is 0 give or take 1 / (12 √n)
      expect(Math.abs(product / n)).toBeLessThan(4 / (12 * Math.sqrt(n)));
    }
  });
});

describe('pixel filters', () => {
  const moments = (filter: FilterName, radius: number): { mean: number; variance: number; most: number } => {
    const out = new Float64Array(2);
    const n = 4096;
    let sum = 0;
    let squares = 0;
    let most = 0;
    for (let s = 0; s < n; s++) {
      samplePosition(s, n, filter, radius, 5, out);
      const d = out[0] - 0.5;
      sum += d;
      squares += d * d;
      most = Math.max(most, Math.abs(d), Math.abs(out[1] - 0.5));
    }
    return { mean: sum / n, variance: squares / n - (sum / n) ** 2, most };
  };

  it('spread samples as their shapes say', () => {
    // variance of a box of half width r is r²/3, of a tent r²/6
    const box = moments('box', 0.5);
    expect(box.variance).toBeCloseTo(0.25 / 3, 3);
    const tent = moments('tent', 1);
    expect(tent.variance).toBeCloseTo(1 / 6, 3);
    const gaussian = moments('gaussian', 2);
    expect(gaussian.variance).toBeLessThan(moments('tent', 2).variance * 1.2);
    for (const m of [box, tent, gaussian]) expect(m.mean).toBeCloseTo(0, 2);
    expect(gaussian.most).toBeLessThanOrEqual(2);
  });

  it('put a single sample into the middle', () => {
    const out = new Float64Array(2);
    samplePosition(0, 1, 'gaussian', 3, 9, out);
    expect([...out]).toEqual([0.5, 0.5]);
  });
});

describe('bloom', () => {
  it('moves light about without making any', () => {
    const width = 96;
    const height = 64;
    const beauty = new Float32Array(width * height * 3);
    beauty[(32 * width + 48) * 3] = 1000;
    const { rgb } = spreadGlow(beauty, width, height);
    // the glow is half the size a side: a quarter of the pixels stands for the same light
    const sum = rgb.reduce((a, b) => a + b, 0) * 4;
    expect(sum / 1000).toBeGreaterThan(0.85);
    expect(sum / 1000).toBeLessThan(1.05);
  });
});
