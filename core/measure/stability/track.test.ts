import { describe, expect, it } from 'vitest';
import { BORDER, follow, mixMask, WINDOW, type TrackedFrame } from './track';

const [WIDTH, HEIGHT] = [64, 48];
const PIXELS = WIDTH * HEIGHT;
const field = (of: (x: number, y: number) => [number, number]): Float32Array => {
  const out = new Float32Array(PIXELS * 2);
  for (let i = 0; i < PIXELS; i++) out.set(of(i % WIDTH, Math.floor(i / WIDTH)), i * 2);
  return out;
};
const frames = (motion: Float32Array | null, more: Partial<TrackedFrame> = {}): TrackedFrame[] =>
  Array.from({ length: WINDOW }, () => ({ motion, ids: null, mixed: null, ...more }));
const at = new Float64Array(WINDOW * 2);

describe('following a point', () => {
  it('goes along an even motion, forwards and backwards', () => {
    expect(follow(frames(field(() => [1.5, -0.5])), WIDTH, HEIGHT, 30, 24, at)).toBe(true);
    expect([...at]).toEqual([27, 25, 28.5, 24.5, 30, 24, 31.5, 23.5, 33, 23]);
  });

  it('solves for where it came from when the motion changes from place to place', () => {
    // everything moves away from the middle by a twentieth of its distance
    const motion = field((x, y) => [(x - 32) * 0.05, (y - 24) * 0.05]);
    expect(follow(frames(motion), WIDTH, HEIGHT, 42, 24, at)).toBe(true);
    expect(at[2]).toBeCloseTo(32 + 10 / 1.05, 2);
    expect(at[0]).toBeCloseTo(32 + 10 / 1.05 ** 2, 2);
    expect(at[6]).toBeCloseTo(32 + 10 * 1.05, 3);
    expect(at[8]).toBeCloseTo(32 + 10 * 1.05 ** 2, 2);
  });

  it('stays where nothing moves', () => {
    expect(follow(frames(null), WIDTH, HEIGHT, 20, 20, at)).toBe(true);
    expect([...at]).toEqual(Array.from({ length: WINDOW * 2 }, () => 20));
  });

  it('loses points that leave the picture, or begin too near its border', () => {
    const motion = field(() => [4, 0]);
    expect(follow(frames(motion), WIDTH, HEIGHT, WIDTH - 1 - BORDER - 8, 24, at)).toBe(true);
    expect(follow(frames(motion), WIDTH, HEIGHT, WIDTH - 1 - BORDER - 7, 24, at)).toBe(false);
    expect(follow(frames(null), WIDTH, HEIGHT, BORDER - 1, 24, at)).toBe(false);
  });

  it('loses points that another thing hides, that are mixed with one, or whose vectors are no numbers', () => {
    const ids = new Uint32Array(PIXELS).fill(1);
    const hidden = frames(null, { ids });
    hidden[3] = { ...hidden[3], ids: new Uint32Array(PIXELS).fill(2), motion: field(() => [3, 0]) };
    expect(follow(frames(null, { ids }), WIDTH, HEIGHT, 20, 20, at)).toBe(true);
    expect(follow(hidden, WIDTH, HEIGHT, 20, 20, at)).toBe(false);
    const mixed = frames(null);
    mixed[0] = { ...mixed[0], mixed: new Uint8Array(PIXELS).fill(1) };
    expect(follow(mixed, WIDTH, HEIGHT, 20, 20, at)).toBe(false);
    expect(follow(frames(field(() => [NaN, 0])), WIDTH, HEIGHT, 20, 20, at)).toBe(false);
  });

  it('keeps points where another thing shows that moves alike: a wire thinner than a pixel comes and goes', () => {
    const motion = field(() => [0.4, 0.1]);
    const broken = frames(motion, { ids: new Uint32Array(PIXELS).fill(1) });
    broken[3] = { ...broken[3], ids: new Uint32Array(PIXELS).fill(2) };
    expect(follow(broken, WIDTH, HEIGHT, 20, 20, at)).toBe(true);
    const still = frames(null, { ids: new Uint32Array(PIXELS).fill(1) });
    still[0] = { ...still[0], ids: new Uint32Array(PIXELS).fill(2) };
    expect(follow(still, WIDTH, HEIGHT, 20, 20, at)).toBe(true);
  });

  it('loses a point whose way back does not lead to it', () => {
    // a tear: no place in the frame before moves to the middle
    const torn = field((x) => [x < 32 ? -6 : 6, 0]);
    const window = frames(null);
    window[1] = { ...window[1], motion: torn };
    expect(follow(window, WIDTH, HEIGHT, 31, 24, at)).toBe(false);
  });
});

describe('where motions are mixed', () => {
  const split = (speed: number): Float32Array => field((x) => [x < 32 ? speed : 0, 0]);
  const count = (mask: Uint8Array | null): number => (mask ? mask.reduce((a, b) => a + b, 0) / HEIGHT : 0);

  it('lies on both sides of a border, the wider the faster it moves', () => {
    const slow = mixMask(split(1), null, WIDTH, HEIGHT);
    const fast = mixMask(split(12), null, WIDTH, HEIGHT);
    // two pixels, and a quarter of the way, to each side of the two at the border
    expect(count(slow)).toBe(2 + 2 * 3);
    expect(count(fast)).toBe(2 + 2 * 5);
    expect(slow![10 * WIDTH + 31]).toBe(1);
    expect(slow![10 * WIDTH + 20]).toBe(0);
  });

  it('is not where all move alike, or nothing does', () => {
    expect(mixMask(null, null, WIDTH, HEIGHT)).toBeNull();
    expect(mixMask(field((x) => [x * 0.05, 0]), null, WIDTH, HEIGHT)).toBeNull(); // prettier-ignore
    const ids = Float32Array.from({ length: PIXELS }, (_, i) => (i % WIDTH < 32 ? 1 : 2));
    expect(mixMask(field(() => [3, 1]), ids, WIDTH, HEIGHT)).toBeNull(); // prettier-ignore
  });

  it('is found for smaller differences where two things meet', () => {
    const ids = Float32Array.from({ length: PIXELS }, (_, i) => (i % WIDTH < 32 ? 1 : 2));
    expect(mixMask(split(0.15), null, WIDTH, HEIGHT)).toBeNull();
    expect(count(mixMask(split(0.15), ids, WIDTH, HEIGHT))).toBeGreaterThan(5);
  });
});
