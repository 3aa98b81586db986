import { describe, expect, it } from 'vitest';
import { srgbToLinear } from '../math/color';
import { mixPictures } from './mix';

describe('a mix of two pictures', () => {
  it('adds them as light, not as codes', () => {
    const codes = new Uint8ClampedArray(4);
    const black = new Float32Array(3);
    const white = Float32Array.of(1, 1, 1);
    mixPictures(black, white, 0.5, 'none', codes);
    expect(srgbToLinear(codes[0] / 255)).toBeCloseTo(0.5, 2);
    mixPictures(black, white, 0, 'none', codes);
    expect([...codes]).toEqual([0, 0, 0, 255]);
    mixPictures(black, white, 1, 'none', codes);
    expect([...codes]).toEqual([255, 255, 255, 255]);
  });
});
