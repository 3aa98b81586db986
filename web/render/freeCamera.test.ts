import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cameraAt } from '@daxel/core/testing/scenes';
import { dolly, freeFrom, orbit, pan, viewOf } from './freeCamera';

const start = freeFrom(cameraAt([1, 2, 5], [0, 1, 0]), 4);
const distance = (c: typeof start): number => Math.hypot(...c.eye.map((e, i) => e - c.pivot[i]));
const small = fc.double({ min: -2, max: 2, noNaN: true });

describe('the free camera', () => {
  it('begins exactly where the shot’s camera stands', () => {
    const own = cameraAt([1, 2, 5], [0, 1, 0]).world;
    viewOf(start).world.forEach((v, i) => expect(v).toBeCloseTo(own[i], 9));
  });

  it('keeps its distance while it orbits and never turns over', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(small, small), { maxLength: 20 }), (turns) => {
        const c = turns.reduce((camera, [yaw, pitch]) => orbit(camera, yaw, pitch), start);
        expect(distance(c)).toBeCloseTo(4, 6);
        // up stays up
        expect(viewOf(c).world[5]).toBeGreaterThan(0);
      }),
    );
  });

  it('comes back from an orbit by the opposite one', () => {
    const c = orbit(orbit(start, 0.4, 0), -0.4, 0);
    c.eye.forEach((v, i) => expect(v).toBeCloseTo(start.eye[i], 9));
  });

  it('pans by shares of what it sees, without turning', () => {
    const c = pan(start, 0.25, 0);
    const seen = 2 * 4 * Math.tan(start.lens.yfovRad / 2);
    expect(Math.hypot(...c.eye.map((e, i) => e - start.eye[i]))).toBeCloseTo(0.25 * seen, 9);
    const turned = viewOf(c).world;
    for (let i = 0; i < 12; i++) expect(turned[i]).toBeCloseTo(viewOf(start).world[i], 9);
  });

  it('dollies towards the pivot and stops before it', () => {
    expect(distance(dolly(start, 0.5))).toBeCloseTo(2, 9);
    expect(distance(dolly(start, 1e-9))).toBeCloseTo(0.05, 9);
  });

  it('zooms instead where the lens is parallel', () => {
    const flat = { ...start, lens: { ...start.lens, kind: 'orthographic' as const, ymag: 2 } };
    expect(dolly(flat, 0.5).lens.ymag).toBe(1);
    expect(dolly(flat, 0.5).eye).toEqual(flat.eye);
  });
});
