import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cornerOf, FITTED, fittedScale, movedBy, resolvedLook, zoomedTo } from './panZoom';

const picture = { width: 768, height: 432 };
const room = { width: 800, height: 600 };
const place = (look: { zoom: number; x: number; y: number }, x: number, y: number): [number, number] => [
  (x - look.x) * look.zoom,
  (y - look.y) * look.zoom,
];

describe('a picture in its room', () => {
  it('fits, lies in the middle, and is never made larger than it is', () => {
    const look = resolvedLook(FITTED, picture, room, 16);
    expect(look).toEqual({ zoom: 1, x: 384, y: 216 });
    expect(cornerOf(look, room)).toEqual({ left: 16, top: 84 });
    expect(fittedScale({ width: 1920, height: 1080 }, room, 16)).toBeCloseTo(768 / 1920, 9);
    expect(fittedScale({ width: 64, height: 36 }, room, 16)).toBe(1);
  });

  it('keeps the place under the hand when it is zoomed', () => {
    const number = fc.double({ min: 0, max: 700, noNaN: true });
    const scale = fc.double({ min: 0.1, max: 64, noNaN: true });
    fc.assert(
      fc.property(number, number, number, number, scale, scale, (x, y, atX, atY, from, to) => {
        const now = { zoom: from, x, y };
        const next = zoomedTo(now, to, { x: atX, y: atY }) as typeof now;
        place(next, atX, atY).forEach((p, k) => expect(p).toBeCloseTo(place(now, atX, atY)[k], 6));
      }),
    );
  });

  it('moves with the hand, and not out of sight', () => {
    const moved = movedBy({ zoom: 2, x: 100, y: 100 }, 30, -10);
    expect(moved).toEqual({ zoom: 2, x: 85, y: 105 });
    const far = resolvedLook({ zoom: 2, x: 5000, y: -9 }, picture, room, 16);
    expect([far.x, far.y]).toEqual([768, 0]);
  });

  it('begins at whole screen pixels and stays within its range of scales', () => {
    const { left, top } = cornerOf({ zoom: 1, x: 100.3, y: 7.7 }, room);
    expect([left, top].every(Number.isInteger)).toBe(true);
    expect(zoomedTo({ zoom: 1, x: 0, y: 0 }, 1e9).zoom).toBe(64);
    expect(zoomedTo({ zoom: 1, x: 0, y: 0 }, 0).zoom).toBe(0.1);
  });
});
