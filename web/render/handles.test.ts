import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newLight, type RigLight } from '@daxel/core/light/rig';
import { cameraAt, mapCamera } from '@daxel/core/testing/scenes';
import { dragHandle, lightHandles, PictureSpace, type Handle } from './handles';

const spaces = [
  ['a perspective camera', new PictureSpace(cameraAt([1, 2, 5], [0, 0.5, 0]), 800, 450)],
  ['a parallel one', new PictureSpace(mapCamera(6, 3), 800, 450)],
] as const;
const place = { position: [0.2, 0.6, -0.4], direction: [0.3, -0.9, 0.2] } as const satisfies Partial<RigLight>;
const light = (kind: RigLight['kind']): RigLight => ({
  ...newLight(kind, 'x', 'x'),
  ...place,
  position: [...place.position],
  direction: [...place.direction],
});
const handleOf = (l: RigLight, part: Handle['part'], space: PictureSpace): Handle =>
  lightHandles(l, space).handles.find((h) => h.part === part)!;
const anywhere = fc.record({
  x: fc.double({ min: 50, max: 750, noNaN: true }),
  y: fc.double({ min: 50, max: 400, noNaN: true }),
});

describe.each(spaces)('under %s', (_name, space) => {
  it('a point and its place in the picture belong to each other', () => {
    fc.assert(
      fc.property(anywhere, fc.double({ min: 0.5, max: 9, noNaN: true }), (at, depth) => {
        const back = space.project(space.unproject(at, depth))!;
        expect(back.at.x).toBeCloseTo(at.x, 4);
        expect(back.at.y).toBeCloseTo(at.y, 4);
        expect(back.depth).toBeCloseTo(depth, 6);
      }),
    );
  });

  it.each(['point', 'spot', 'area'] as const)('the position of a %s follows the hand and keeps its depth', (kind) => {
    fc.assert(
      fc.property(anywhere, (to) => {
        const handle = handleOf(light(kind), 'position', space);
        const moved = { ...light(kind), ...dragHandle(light(kind), handle, to, space) };
        const after = handleOf(moved, 'position', space);
        expect(Math.abs(after.at.x - to.x)).toBeLessThan(0.3);
        expect(Math.abs(after.at.y - to.y)).toBeLessThan(0.3);
        expect(after.depth).toBeCloseTo(handle.depth, 2);
        expect(moved.follows).toBeNull();
      }),
    );
  });

  it('a light that is aimed shines towards the hand', () => {
    const l = light('spot');
    const handle = handleOf(l, 'aim', space);
    const to = { x: handle.at.x + 40, y: handle.at.y + 25 };
    const aimed = { ...l, ...dragHandle(l, handle, to, space) };
    const target = space.unproject(to, handle.depth);
    const away = target.map((c, k) => c - l.position[k]);
    const cosine =
      away.reduce((s, c, k) => s + c * aimed.direction[k], 0) / Math.hypot(...away) / Math.hypot(...aimed.direction);
    expect(cosine).toBeCloseTo(1, 6);
  });

  it('sizes stay inside what a rig takes, wherever the hand goes', () => {
    fc.assert(
      fc.property(fc.constantFrom('point', 'spot', 'area'), anywhere, (kind, to) => {
        const l = light(kind as RigLight['kind']);
        const change = dragHandle(l, handleOf(l, 'size', space), to, space);
        if (change.width !== undefined) expect(change.width).toBeGreaterThanOrEqual(0.001);
        if (change.outerConeDeg !== undefined) expect(change.outerConeDeg).toBeLessThanOrEqual(89.5);
        if (change.radius !== undefined) expect(change.radius).toBeGreaterThanOrEqual(0);
        for (const v of Object.values(change)) expect(Number.isFinite(v)).toBe(true);
      }),
    );
  });
});

describe('a light behind the camera', () => {
  it('has no handles', () => {
    const space = spaces[0][1];
    expect(lightHandles({ ...light('point'), position: [1, 2, 30] }, space).handles).toEqual([]);
    expect(lightHandles(light('sun'), space).handles).toEqual([]);
  });
});
