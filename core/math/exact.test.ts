import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as exact from './exact';

const close = (a: number, b: number, relative = 1e-11): boolean =>
  Math.abs(a - b) <= relative * Math.max(1, Math.abs(b));

describe('functions that are the same on every engine', () => {
  it('agree with the built-in ones in the range scenes use', () => {
    fc.assert(
      fc.property(fc.double({ min: -200, max: 200, noNaN: true }), (x) => {
        expect(close(exact.sin(x), Math.sin(x), 1e-10)).toBe(true);
        expect(close(exact.cos(x), Math.cos(x), 1e-10)).toBe(true);
        expect(close(exact.atan(x), Math.atan(x))).toBe(true);
        expect(close(exact.exp(x / 10), Math.exp(x / 10))).toBe(true);
        expect(close(exact.exp2(x / 10), 2 ** (x / 10))).toBe(true);
      }),
    );
    fc.assert(
      fc.property(
        fc.double({ min: 1e-6, max: 1e6, noNaN: true }),
        fc.double({ min: -4, max: 4, noNaN: true }),
        (x, y) => {
          expect(close(exact.log(x), Math.log(x))).toBe(true);
          expect(close(exact.log2(x), Math.log2(x))).toBe(true);
          expect(Math.abs(exact.cbrt(x) / Math.cbrt(x) - 1)).toBeLessThan(2e-15);
          expect(close(exact.pow(x, y), x ** y, 1e-9)).toBe(true);
        },
      ),
    );
  });

  it('cover all quadrants', () => {
    fc.assert(
      fc.property(fc.double({ min: -9, max: 9, noNaN: true }), fc.double({ min: -9, max: 9, noNaN: true }), (y, x) => {
        fc.pre(Math.abs(x) > 1e-9 || Math.abs(y) > 1e-9);
        fc.pre(!Object.is(x, -0) && !Object.is(y, -0));
        expect(close(exact.atan2(y, x), Math.atan2(y, x))).toBe(true);
      }),
    );
    fc.assert(
      fc.property(fc.double({ min: -1, max: 1, noNaN: true }), (c) => {
        expect(Math.abs(exact.acos(c) - Math.acos(c))).toBeLessThan(1e-7);
      }),
    );
  });
});
