import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nthSmallest } from './select';

describe('the nth smallest', () => {
  it('is what sorting puts there', () => {
    const value = fc.oneof(fc.integer({ min: -3, max: 3 }), fc.float({ noNaN: true }));
    fc.assert(
      fc.property(fc.array(value, { minLength: 1, maxLength: 200 }), fc.nat(), (list, at) => {
        const values = Float32Array.from(list);
        const place = at % values.length;
        expect(nthSmallest(values.slice(), values.length, place) + 0).toBe(values.slice().sort()[place] + 0);
      }),
    );
  });

  it('looks at the first values only', () => {
    expect(nthSmallest(Float32Array.of(5, 3, 4, 0, 1), 3, 0)).toBe(3);
  });
});
