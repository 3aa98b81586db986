import { describe, expect, it } from 'vitest';
import { randomStream } from '../../math/random';
import { FAST_SENSITIVITY } from './flicker';
import { FIELDS } from './regions';
import { plainWindow, type FlickerWindow, type MeterFrame, type WindowFlicker } from './window';
import { compiledWindow } from './windowKernel';

// neither side a multiple of four
const [WIDTH, HEIGHT] = [101, 74];
const PIXELS = WIDTH * HEIGHT;
const FRAMES = 8;
const random = randomStream(5);

interface Family {
  luminance: (x: number, y: number, n: number) => number;
  motion?: (x: number, y: number, n: number) => [number, number];
  id?: (x: number, y: number, n: number) => number;
}

const waves = (x: number, y: number): number => 0.4 + 0.2 * Math.sin(x * 0.7 + y * 0.3) + 0.1 * Math.cos(y * 0.9);
const inSquare = (x: number, y: number, n: number): boolean => Math.abs(x - 30 - 3 * n) < 12 && Math.abs(y - 37) < 12;
/** Light that cannot be, or is brighter than white, at a few places. */
const oddAt = (place: number, n: number): number | null =>
  place === n ? NaN : place < 14 ? 40 : place < 20 ? -1 : null;
/** A pan that goes wrong in places: it leads out of the picture, is no number, or has no end. */
const broken = (x: number): number => (x < 50 ? 0.4 : x < 60 ? NaN : x < 70 ? Infinity : x < 80 ? -1e30 : 90);

const families: [string, Family][] = [
  ['grain on what stands still', { luminance: () => 0.2 + 0.1 * random() }],
  [
    'waves that pan by parts of a pixel',
    { luminance: (x, y, n) => waves(x - 1.3 * n, y - 0.4 * n), motion: () => [1.3, 0.4] },
  ],
  [
    'a zoom with grain',
    { luminance: (x, y) => waves(x, y) + 0.02 * random(), motion: (x, y) => [(x - 50) * 0.03, (y - 37) * 0.03] },
  ],
  [
    'a square before waves, each with its motion',
    {
      luminance: (x, y, n) => (inSquare(x, y, n) ? 0.7 + 0.2 * Math.sin(x - 3 * n) : waves(x + 0.6 * n, y)),
      motion: (x, y, n) => (inSquare(x, y, n) ? [3, 0] : [-0.6, 0]),
      id: (x, y, n) => (inSquare(x, y, n) ? 7 : 4_000_000_000),
    },
  ],
  ['vectors that are no numbers or far too long', { luminance: waves, motion: (x) => [broken(x), 0.1] }],
  [
    'light that is no number, or brighter than white',
    {
      // uneven in between: of slopes that are all alike it is rounding that says which belong to edges
      luminance: (x, y, n) => oddAt((x * 31 + y * 17) % 101, n) ?? 0.5 * waves(x, y),
      motion: () => [0.25, 0],
    },
  ],
];

function frameOf({ luminance, motion, id }: Family, number: number): MeterFrame {
  const each = <T>(of: (x: number, y: number, n: number) => T): T[] =>
    Array.from({ length: PIXELS }, (_, i) => of(i % WIDTH, Math.floor(i / WIDTH), number));
  return {
    number,
    luminance: Float32Array.from(each(luminance)),
    motion: motion ? Float32Array.from(each(motion).flat()) : null,
    ids: id ? Uint32Array.from(each(id)) : null,
  };
}
const through = (window: FlickerWindow, frames: readonly MeterFrame[]): WindowFlicker[] =>
  frames.map((f) => window.add(f)).filter((found) => found !== null);

/** Compares the largest difference; numbers alone would take far longer to be looked at one by one. */
function close(name: string, a: ArrayLike<number>, b: ArrayLike<number>, absolute: number, relative: number): void {
  let [most, apart, where] = [0, 0, 0];
  for (let i = 0; i < b.length; i++) {
    most = Math.max(most, Math.abs(b[i]));
    // what is no number is as far apart as can be
    const here = Math.abs(a[i] - b[i]);
    if (!(here <= apart)) [apart, where] = [Number.isNaN(here) ? Infinity : here, i];
  }
  expect(apart, `${name} ${where}: ${a[where]}, ${b[where]}`).toBeLessThan(absolute + relative * most);
}

describe('the compiled window', () => {
  it.each(families)('agrees with its plain twin: %s', (_name, family) => {
    const frames = Array.from({ length: FRAMES }, (_, n) => frameOf(family, n));
    const twins = through(plainWindow(WIDTH, HEIGHT, 60), frames);
    const ours = through(compiledWindow(WIDTH, HEIGHT, 60)!, frames);
    expect(ours.map((o) => o.number)).toEqual(twins.map((t) => t.number));
    ours.forEach((own, n) => {
      const twin = twins[n];
      expect([...own.valid]).toEqual([...twin.valid]);
      // a hundredth of what is noticed
      close('map', own.map, twin.map, 0.01, 1e-3);
      close('blocks', own.soft.blocks, twin.soft.blocks, 0.01 / FAST_SENSITIVITY, 1e-4);
      for (const field of FIELDS) {
        const [a, b] = [own.soft.sums[field], twin.soft.sums[field]];
        // pixels on one side of a threshold by one, on the other by the other
        const counts = field === 'visible' || field === 'certain' || field === 'onEdges' || field === 'onOutlines';
        // places settle within a thousandth of a pixel, each twin in its own way, and powers multiply that
        close(field, a, b, field === 'largest' || field === 'surest' ? 0.01 : 1e-7, counts ? 0.01 : 3e-3);
      }
    });
  });

  it('agrees on small pictures too, narrower than the loops are wide', () => {
    const [width, height] = [33, 32];
    const frames = Array.from({ length: 6 }, (_, number) => ({
      number,
      luminance: Float32Array.from(
        { length: width * height },
        (_, i) => 0.3 + 0.01 * (number % 2) + (i % width) * 0.01,
      ),
      motion: new Float32Array(width * height * 2),
      ids: null,
    }));
    const [twins, ours] = [plainWindow, compiledWindow].map((make) => through(make(width, height, 60)!, frames));
    ours.forEach((own, n) => close('map', own.map, twins[n].map, 0.01, 1e-3));
    expect(Math.max(...ours[0].map)).toBeGreaterThan(1);
  });

  it('holds frames of its own: two at once do not mix, and one after another shares memory', () => {
    const [a, b] = [families[1][1], families[3][1]].map((f) => Array.from({ length: 6 }, (_, n) => frameOf(f, n)));
    const alone = through(compiledWindow(WIDTH, HEIGHT, 60)!, a);
    const [one, two] = [compiledWindow(WIDTH, HEIGHT, 60)!, compiledWindow(WIDTH, HEIGHT, 60)!];
    const found = a.map((frame, n) => {
      two.add(b[n]);
      return one.add(frame);
    });
    expect(found.filter((f) => f !== null)).toEqual(alone);
    two.close();
    expect(through(compiledWindow(WIDTH, HEIGHT, 60)!, a)).toEqual(alone);
  });
});
