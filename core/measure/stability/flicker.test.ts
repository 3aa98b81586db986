import { describe, expect, it } from 'vitest';
import { adaptation, flickerFilters, flickerMap, percentile, type Answers } from './flicker';
import { cubicAt, cubicWeights } from './sample';

const [WIDTH, HEIGHT] = [200, 160];
const PIXELS = WIDTH * HEIGHT;
const filters = flickerFilters(WIDTH, HEIGHT, 60);
const even = (value: number): Float32Array => new Float32Array(PIXELS).fill(value);
const answers = (fast: Float32Array, slow: Float32Array, mean = even(20), valid = even(1)): Answers => ({
  fast,
  slow,
  mean,
  valid,
});
const middle = (map: Float32Array): number => map[(HEIGHT / 2) * WIDTH + WIDTH / 2];

describe('visibility', () => {
  it('of an even alternation is its weighed contrast times the sensitivity', () => {
    const mean = even(20);
    const map = flickerMap(answers(even(0.3), even(0), mean), adaptation(mean, filters), filters);
    // contrast 0.3 / 20, dimmed by the root of 20 / 25
    expect(middle(map)).toBeCloseTo(132 * (0.3 / 20) * Math.sqrt(20 / 25), 2);
  });

  it('of the slow answer counts only as far as the fast one bears it out', () => {
    const mean = even(20);
    const adapted = adaptation(mean, filters);
    expect(middle(flickerMap(answers(even(0), even(2), mean), adapted, filters))).toBe(0);
    const slow = 280 * (0.06 / 20) * Math.sqrt(20 / 25) * (1 - 0.4);
    const fast = 132 * (0.02 / 20) * Math.sqrt(20 / 25);
    const both = middle(flickerMap(answers(even(0.02), even(0.06), mean), adapted, filters));
    expect(both).toBeCloseTo(Math.sqrt(fast * fast + slow * slow), 2);
  });

  it('is the same contrast in light and shade but for the darkest', () => {
    const of = (level: number): number => {
      const mean = even(level);
      return middle(flickerMap(answers(even(level * 0.01), even(0), mean), adaptation(mean, filters), filters));
    };
    expect(of(80) / of(40)).toBeCloseTo(1, 1);
    expect(of(1) / of(40)).toBeLessThan(0.5);
  });

  it('is not drawn down by what was not measured next to it', () => {
    const mean = even(20);
    const valid = Float32Array.from({ length: PIXELS }, (_, i) => (i % WIDTH < WIDTH / 2 ? 1 : 0));
    const fast = valid.map((v) => v * 0.3);
    const map = flickerMap(answers(fast, even(0), mean, valid), adaptation(mean, filters), filters);
    const whole = 132 * (0.3 / 20) * Math.sqrt(20 / 25);
    for (const x of [40, WIDTH / 2 - 3]) expect(map[80 * WIDTH + x] / whole).toBeCloseTo(1, 1);
    expect(map[80 * WIDTH + WIDTH / 2 + 3]).toBe(0);
  });
});

describe('the blurs', () => {
  /** Variance of what a single bright pixel becomes, along x. */
  function spread(blur: (p: Float32Array) => Float32Array): { sum: number; variance: number } {
    const point = new Float32Array(PIXELS);
    point[(HEIGHT / 2) * WIDTH + WIDTH / 2] = 1;
    const out = blur(point);
    let [sum, square] = [0, 0];
    out.forEach((v, i) => {
      sum += v;
      square += v * ((i % WIDTH) - WIDTH / 2) ** 2;
    });
    return { sum, variance: square / sum };
  }
  it.each([
    ['fast', 2.16],
    ['slow', 1.98],
    ['surround', 8.1],
    ['pool', 9],
  ] as const)('%s keeps light and has its width', (name, sigma) => {
    const { sum, variance } = spread(filters[name]);
    expect(sum).toBeCloseTo(1, 2);
    expect(Math.sqrt(variance) / sigma).toBeCloseTo(1, 1);
  });

  it('grow with the pixels a degree', () => {
    const near = flickerFilters(WIDTH, HEIGHT, 120);
    expect(Math.sqrt(spread(near.pool).variance)).toBeCloseTo(18, 0);
  });
});

describe('reading between pixels', () => {
  it('goes through the values and follows a parabola', () => {
    const plane = Float32Array.from({ length: 256 }, (_, i) => ((i % 16) - 7) ** 2 + 3 * Math.floor(i / 16));
    expect(cubicAt(plane, 16, 6, 5)).toBe(plane[5 * 16 + 6]);
    expect(cubicAt(plane, 16, 6.5, 5)).toBeCloseTo(0.25 + 15, 5);
    expect(cubicAt(plane, 16, 9.25, 7.5)).toBeCloseTo(2.25 ** 2 + 22.5, 5);
  });

  it('weighs to one', () => {
    const w = new Float64Array(4);
    for (const f of [0, 0.1, 0.5, 0.9]) {
      cubicWeights(f, w, 0);
      expect(w.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12);
    }
  });
});

describe('the percentile', () => {
  it('is of what was measured', () => {
    const map = Float32Array.from({ length: 200 }, (_, i) => i);
    const valid = map.map((_, i) => (i < 100 ? 1 : 0));
    expect(percentile(map, valid, 0.99)).toBe(99);
    expect(percentile(map, valid, 0.5)).toBe(50);
    expect(percentile(map, new Float32Array(200), 0.99)).toBe(0);
  });
});
