import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DaxelError } from '@daxel/core/errors';
import { applyLut } from '@daxel/core/film/lut';
import { readCube } from './readCube';
import { cases } from '@daxel/core/testing/cases';

type Rgb = [number, number, number];
/** Text of a cube whose entries are a function of the colour. */
function textOf(size: number, of: (r: number, g: number, b: number) => Rgb, head = ''): string {
  const rows: string[] = [];
  const step = (i: number): number => i / (size - 1);
  for (let b = 0; b < size; b++)
    for (let g = 0; g < size; g++) for (let r = 0; r < size; r++) rows.push(of(step(r), step(g), step(b)).join(' '));
  return `# made up\n${head}LUT_3D_SIZE ${size}\n\n${rows.join('\n')}\n`;
}
const codes = Uint8ClampedArray.from({ length: 4 * 64 }, (_, i) => (i % 4 === 3 ? 200 : (i * 53) % 256));

describe('a table of colours', () => {
  it('that changes nothing changes nothing, and one that is linear is exact at any size', () => {
    expect(
      applyLut(
        codes,
        readCube(
          textOf(2, (r, g, b) => [r, g, b]),
          'same.cube',
        ),
      ),
    ).toEqual(codes);
    for (const size of [2, 5, 17]) {
      // green and blue change places, red is halved and lifted
      const lut = readCube(
        textOf(size, (r, g, b) => [r / 2 + 0.1, b, g]),
        'swap.cube',
      );
      const out = applyLut(codes, lut);
      for (let i = 0; i < codes.length; i += 4) {
        expect(Math.abs(out[i] - (codes[i] / 2 + 25.5))).toBeLessThanOrEqual(0.51);
        expect([out[i + 1], out[i + 2], out[i + 3]]).toEqual([codes[i + 2], codes[i + 1], 200]);
      }
    }
  });

  it('has red fastest, a title, a domain and ends that hold', () => {
    const lut = readCube(
      textOf(3, (r) => [r, 0, 0], 'TITLE "Warm evening"\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 0.5 0.5 0.5\n'),
      'f',
    );
    expect(lut.name).toBe('Warm evening');
    const out = applyLut(Uint8ClampedArray.of(64, 255, 255, 255, 255, 0, 0, 255), lut);
    // half of the domain is reached at code 127.5
    expect(out[0]).toBeCloseTo(128, -0.5);
    expect([out[1], out[4]]).toEqual([0, 255]);
  });

  it('of one dimension works colour by colour', () => {
    const lut = readCube('LUT_1D_SIZE 3\n0 1 0\n0.5 0.5 0.25\n1 0 1\r\n', 'curve.cube');
    const out = applyLut(Uint8ClampedArray.of(128, 0, 255, 9), lut);
    expect([...out]).toEqual([128, 255, 255, 9]);
  });

  it.each([
    ['', /no table/],
    ['LUT_3D_SIZE 1\n', /line 1: the size must be a whole number from 2 to 129/],
    ['LUT_3D_SIZE 2000\n', /line 1/],
    ['0 0 0\n', /line 1: numbers come before/],
    ['LUT_1D_SIZE 2\n0 0 0\n1 1\n', /line 3: three numbers/],
    ['LUT_1D_SIZE 2\n0 0 0\n', /ends after 1 of 2/],
    ['LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n', /line 4: there are more/],
    ['LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n', /line 2: a second size/],
    ['LUT_1D_SIZE 2\nGAMMA 2\n', /line 2: GAMMA is not known/],
    ['LUT_1D_SIZE 2\n0 0 0\nTITLE "x"\n', /line 3: TITLE comes after/],
    ['LUT_1D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n1 1 1\n', /domain is empty/],
    ['LUT_1D_SIZE 2\n0 0 NaN\n1 1 1\n', /line 2: three numbers/],
  ])('that is wrong is refused with its place: %j', (text, message) => {
    expect(() => readCube(text, 'bad.cube')).toThrow(message);
    expect(() => readCube(text, 'bad.cube')).toThrow(/^bad\.cube: /);
  });

  it('never fails otherwise, whatever happens to its text', () => {
    const text = textOf(2, (r, g, b) => [r, g, b], 'TITLE "t"\n');
    fc.assert(
      fc.property(fc.nat(text.length - 1), fc.string({ maxLength: 6 }), fc.nat(8), (at, insert, cut) => {
        try {
          const lut = readCube(text.slice(0, at) + insert + text.slice(at + cut), 'f');
          expect(applyLut(codes, lut).length).toBe(codes.length);
        } catch (error) {
          expect(error).toBeInstanceOf(DaxelError);
        }
      }),
      { numRuns: cases(500), seed: 4 },
    );
  });
});
