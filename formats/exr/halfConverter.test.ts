import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { toHalf } from './half';
import { halfConverter } from './halfConverter';
import { cases } from '@daxel/core/testing/cases';

describe('halves by the compiled loop', () => {
  it('are those of the plain one, for all kinds of floats and any count', () => {
    fc.assert(
      fc.property(fc.uint32Array({ minLength: 1, maxLength: 70 }), (bits) => {
        const values = new Float32Array(bits.buffer, 0, bits.length);
        expect([...halfConverter(values.length)(values)]).toEqual([...values].map(toHalf));
      }),
      { numRuns: cases(500) },
    );
  });

  it('round ties to even at every step of size, below the smallest normal half too', () => {
    const values: number[] = [0, -0, NaN, Infinity, -Infinity, 65504, 65519.99, 65520, 1e30];
    for (let e = -26; e < 17; e++)
      for (const m of [1, 1 + 2 ** -11, 1 + 3 * 2 ** -11, 1.5, 2 - 2 ** -11, 2 - 2 ** -12])
        values.push(m * 2 ** e, -m * 2 ** e);
    const floats = Float32Array.from(values);
    expect([...halfConverter(floats.length)(floats)]).toEqual([...floats].map(toHalf));
    expect([...halfConverter(floats.length, false)(floats)]).toEqual([...floats].map(toHalf));
  });
});
