import { describe, expect, it } from 'vitest';
import type { HistoryMap } from '../frame/keptHistory';
import { randomStream } from '../math/random';
import { findGhosts } from './ghosts';

const [width, height] = [66, 48];
const [across, down] = [17, 12];
const map = (share: (x: number, y: number) => number): HistoryMap => ({
  width: across,
  height: down,
  shares: Uint8Array.from({ length: across * down }, (_, o) => share(o % across, Math.floor(o / across))),
});
/** Grey with a bright square of 8 × 8 pixels. */
const square = (x0: number, level: number): Float32Array =>
  Float32Array.from({ length: width * height * 3 }, (_, i) => {
    const [x, y] = [Math.floor(i / 3) % width, Math.floor(i / 3 / width)];
    return x >= x0 && x < x0 + 8 && y >= 16 && y < 24 ? level : 0.2;
  });

describe('ghosts', () => {
  it('are where earlier frames were taken over and the picture is another one', () => {
    const { share, strengths } = findGhosts(
      square(16, 0.45),
      square(40, 0.2),
      width,
      height,
      map(() => 200),
    );
    // four blocks hold the square; what the eye spreads over may add their neighbours
    expect(share * across * down).toBeGreaterThanOrEqual(4);
    expect(share * across * down).toBeLessThanOrEqual(16);
    expect(strengths[4 * across + 4]).toBeGreaterThan(1);
    expect(strengths[4 * across + 12]).toBeLessThan(0.2);
  });

  it('are none where nothing was taken over, nor in an equal picture', () => {
    const left = map((x) => (x < 8 ? 0 : 255));
    const { share, strengths } = findGhosts(square(16, 0.45), square(16, 0.2), width, height, left);
    expect(share).toBe(0);
    expect(strengths[4 * across + 4]).toBeNaN();
    expect(
      findGhosts(
        square(16, 0.5),
        square(16, 0.5),
        width,
        height,
        map(() => 255),
      ).share,
    ).toBe(0);
  });

  it('are not grain', () => {
    const random = randomStream(5);
    const grainy = square(16, 0.4).map((v) => v * (1 + 0.08 * (random() - 0.5)));
    expect(
      findGhosts(
        grainy,
        square(16, 0.4),
        width,
        height,
        map(() => 255),
      ).share,
    ).toBe(0);
  });
});
