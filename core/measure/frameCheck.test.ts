import { describe, expect, it } from 'vitest';
import { brightnessJumps, checkFrame } from './frameCheck';

describe('a finished frame', () => {
  it('is told by its mean luminance, and by pixels that are not numbers', () => {
    const rgb = Float32Array.of(1, 1, 1, 3, 3, 3, NaN, 0, 0, Infinity, 1, 1);
    expect(checkFrame(rgb.subarray(0, 6))).toEqual({ mean: 2, faults: [] });
    expect(checkFrame(rgb)).toEqual({ mean: 2, faults: ['2 pixels are not a number'] });
    expect(checkFrame(rgb.subarray(6, 9))).toEqual({
      mean: 0,
      faults: ['1 pixel is not a number', 'black all over'],
    });
    expect(checkFrame(new Float32Array(6)).faults).toEqual(['black all over']);
  });

  it('that stands out of its neighbours is found, a fade, a cut and a lasting change are not', () => {
    const [jump] = brightnessJumps([1, 1, 0.5, 1.02, 1]);
    expect(jump.index).toBe(2);
    expect(jump.stops).toBeCloseTo(Math.log2(0.5 / Math.sqrt(1.02)), 10);
    expect(brightnessJumps([1, 1, 1.4, 1])).toHaveLength(1);
    expect(brightnessJumps([1, 1, 1.15, 1])).toEqual([]);
    expect(brightnessJumps([1, 0.7, 0.5, 0.35, 0.25])).toEqual([]);
    expect(brightnessJumps([1, 1, 4, 4, 4])).toEqual([]);
    expect(brightnessJumps([0, 0, 1, 1, 0])).toEqual([]);
    expect(brightnessJumps([1])).toEqual([]);
  });
});
