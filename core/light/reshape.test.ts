import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newLight, type Rig } from './rig';
import { keepingTotal, turnedWith } from './reshape';

const area = (shape: 'rectangle' | 'square' | 'disc' | 'ellipse') => ({
  ...newLight('area', 'a', 'lamp'),
  shape,
  width: 0.5,
  height: 0.2,
  intensity: 800,
});

describe('a face that keeps its total light', () => {
  it('halves its luminance when it doubles one side, and quarters it where both sides go together', () => {
    expect(keepingTotal(area('rectangle'), { width: 1 })).toEqual({ width: 1, intensity: 400 });
    expect(keepingTotal(area('ellipse'), { height: 0.4 })).toEqual({ height: 0.4, intensity: 400 });
    expect(keepingTotal(area('square'), { width: 1 })).toEqual({ width: 1, intensity: 200 });
    expect(keepingTotal(area('disc'), { width: 0.25 })).toEqual({ width: 0.25, intensity: 3200 });
  });

  it('brightens where its shape covers less', () => {
    expect(keepingTotal(area('square'), { shape: 'disc' }).intensity).toBeCloseTo((800 * 4) / Math.PI, 9);
  });

  it('comes back to where it began, by whatever way', () => {
    const size = fc.double({ min: 0.01, max: 50, noNaN: true });
    fc.assert(
      fc.property(size, size, (width, height) => {
        let light = area('rectangle');
        for (const change of [{ width }, { height }, { width: 0.5 }, { height: 0.2 }])
          light = { ...light, ...keepingTotal(light, change) } as typeof light;
        expect(light.intensity).toBeCloseTo(800, 6);
      }),
    );
  });

  it('leaves other changes, a square’s unused height and other kinds alone', () => {
    expect(keepingTotal(area('square'), { height: 3 })).toEqual({ height: 3 });
    expect(keepingTotal(area('rectangle'), { width: 1, intensity: 5 })).toEqual({ width: 1, intensity: 5 });
    expect(keepingTotal(newLight('point', 'p', 'p'), { radius: 1 })).toEqual({ radius: 1 });
    expect(keepingTotal(newLight('sun', 's', 's'), { angularDiameterDeg: 5 })).toEqual({ angularDiameterDeg: 5 });
  });
});

describe('surroundings that are turned', () => {
  const environment = { rotationDeg: 0 } as Rig['environment'];
  const sun = { ...newLight('sun', 's', 'sun'), direction: [0, -1, -1] as [number, number, number] };
  const rig = (turnsWithPicture: boolean | undefined): Rig => ({
    name: 'r',
    exposureEv: 0,
    lights: [{ ...sun, turnsWithPicture }],
    environment,
  });

  it('take the sun that was split off them along', () => {
    const { lights } = turnedWith(rig(true), { ...environment, rotationDeg: 90 });
    [-1, -1, 0].forEach((c, k) => expect(lights[0].direction[k]).toBeCloseTo(c, 9));
    const back = turnedWith({ ...rig(true), lights, environment: { ...environment, rotationDeg: 90 } }, environment);
    sun.direction.forEach((c, k) => expect(back.lights[0].direction[k]).toBeCloseTo(c, 9));
  });

  it('leave every other light where it is, and this one when it is told so', () => {
    for (const turns of [false, undefined])
      expect(turnedWith(rig(turns), { ...environment, rotationDeg: 90 }).lights[0].direction).toEqual(sun.direction);
    expect(turnedWith(rig(true), { ...environment, strength: 2 }).lights[0].direction).toEqual(sun.direction);
  });
});
