import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { flipMap, largestDifference, PIXELS_PER_DEGREE, plainFlip } from './flip';
import { compiledFlip } from './flipKernel';

const [W, H] = [75, 41];
type Value = (x: number, y: number, c: number) => number;
const image = (value: Value): Float32Array =>
  Float32Array.from({ length: W * H * 3 }, (_, i) => value(Math.floor(i / 3) % W, Math.floor(i / 3 / W), i % 3));
const random = randomStream(8);
const pictures: [string, Float32Array, Float32Array][] = [
  ['noise against noise', image(() => random()), image(() => random())],
  ['a ramp against a darker one', image((x) => x / W), image((x) => (x / W) * 0.8)],
  ['an edge against a moved one', image((x) => (x < 30 ? 0.02 : 0.9)), image((x) => (x < 33 ? 0.02 : 0.9))],
  ['colours of one luminance', image((_x, _y, c) => [0.5, 0.2, 0.1][c]), image((_x, _y, c) => [0.1, 0.32, 0.1][c])],
  ['dark against nearly as dark', image(() => 0.001), image((x, y) => 0.001 + 1e-5 * ((x + y) % 2))],
];

describe('compiled FLIP', () => {
  it.each(pictures)('agrees with its plain twin: %s', (_name, a, b) => {
    for (const ppd of [20, PIXELS_PER_DEGREE]) {
      const ours = compiledFlip(a, b, W, H, ppd, largestDifference())!;
      const twin = plainFlip(a, b, W, H, ppd);
      let sum = 0;
      ours.forEach((v, i) => {
        expect(Math.abs(v - twin[i])).toBeLessThan(2e-3);
        sum += v - twin[i];
      });
      expect(Math.abs(sum / ours.length)).toBeLessThan(1e-4);
    }
  });

  it.each([
    [3, 9],
    [7, 30],
    [8, 3],
    [17, 40],
  ])('agrees with it on small pictures too: %s × %s', (width, height) => {
    const [a, b] = [0, 1].map(() => Float32Array.from({ length: width * height * 3 }, () => random()));
    const ours = compiledFlip(a, b, width, height, PIXELS_PER_DEGREE, largestDifference())!;
    const twin = plainFlip(a, b, width, height);
    expect(ours.length).toBe(width * height);
    ours.forEach((v, i) => expect(Math.abs(v - twin[i])).toBeLessThan(2e-3));
  });

  it('is nothing for the same picture, and takes what is no number for dark', () => {
    const a = pictures[0][1];
    expect(Math.max(...flipMap(a, a, W, H))).toBe(0);
    const broken = Float32Array.from(a);
    broken[300] = NaN;
    const dark = Float32Array.from(a);
    dark[300] = 0;
    expect([...flipMap(broken, a, W, H)]).toEqual([...flipMap(dark, a, W, H)]);
  });
});
