import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cameraAt, mapCamera } from '@daxel/core/testing/scenes';
import { boxHandles, dragBox, type PlacedBox } from './boxHandles';
import { PictureSpace, type Handle } from './handles';

const spaces = [
  ['a perspective camera', new PictureSpace(cameraAt([1, 2, 5], [0, 0.5, 0]), 800, 450)],
  ['a parallel one', new PictureSpace(mapCamera(6, 3), 800, 450)],
] as const;
const box: PlacedBox = { middle: [0.2, 0.6, -0.4], size: [1, 0.5, 2] };
const anywhere = fc.record({
  x: fc.double({ min: 50, max: 750, noNaN: true }),
  y: fc.double({ min: 50, max: 400, noNaN: true }),
});

describe.each(spaces)('a box under %s', (_name, space) => {
  const handleOf = (part: Handle['part']): Handle => boxHandles(box, space).handles.find((h) => h.part === part)!;

  it('has twelve edges, and two handles', () => {
    const { outline, handles } = boxHandles(box, space);
    expect(outline).toHaveLength(12);
    expect(handles.map((h) => h.part)).toEqual(['position', 'size']);
  });

  it('follows the hand by its middle, and keeps its depth and size', () => {
    fc.assert(
      fc.property(anywhere, (to) => {
        const moved = dragBox(box, handleOf('position'), to, space);
        const seen = space.project(moved.middle)!;
        expect(Math.hypot(seen.at.x - to.x, seen.at.y - to.y)).toBeLessThan(1);
        expect(seen.depth).toBeCloseTo(handleOf('position').depth, 2);
        expect(moved.size).toEqual(box.size);
      }),
    );
  });

  it('grows by its corner in proportion, and never to nothing', () => {
    fc.assert(
      fc.property(anywhere, (to) => {
        const grown = dragBox(box, handleOf('size'), to, space);
        expect(grown.middle).toEqual(box.middle);
        for (const side of grown.size) expect(side).toBeGreaterThanOrEqual(0.1);
        if (grown.size[1] > 0.11) expect(grown.size[2] / grown.size[0]).toBeCloseTo(2, 1);
      }),
    );
    const { at } = handleOf('size');
    expect(dragBox(box, handleOf('size'), at, space).size).toEqual(box.size);
  });

  it('goes away from the eye when the hand goes up with Shift', () => {
    const middle = handleOf('position');
    const away = dragBox(box, middle, { x: middle.at.x, y: middle.at.y - 10 }, space, true);
    expect(space.project(away.middle)!.depth).toBeCloseTo(middle.depth * 1.1, 2);
  });
});

it('a box that lies outside the picture or behind the eye can be taken by the hand, and comes to it', () => {
  const space = new PictureSpace(cameraAt([0, 0, 0], [0, 0, -1]), 800, 450);
  for (const middle of [
    [0, 0, 9],
    [30, 0, -5],
    [0, -40, -5],
  ] as const) {
    const away: PlacedBox = { middle, size: [1, 1, 1] };
    const [handle] = boxHandles(away, space).handles;
    expect(handle.at.x).toBeGreaterThan(0);
    expect(handle.at.x).toBeLessThan(800);
    expect(handle.at.y).toBeGreaterThan(0);
    expect(handle.at.y).toBeLessThan(450);
    const seen = space.project(dragBox(away, handle, { x: 400, y: 200 }, space).middle)!;
    expect(seen.at.x).toBeCloseTo(400, 0);
    expect(seen.at.y).toBeCloseTo(200, 0);
  }
});
