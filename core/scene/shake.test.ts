import { describe, expect, it } from 'vitest';
import { momentAt } from '../frame/moment';
import { identity } from '../math/mat4';
import { addNode, quad, sceneOf } from '../testing/scenes';
import { compileScene } from './compileScene';
import { bandNoise } from './bandNoise';
import { freezeShake, shakeAt, shaken } from './shake';
import { shotCamera, withSetup } from './shotCamera';
import { MOST_KEYS, shotTake, STILL_TAKE, type ShotTake } from './take';

const TAKE: ShotTake = {
  number: 7,
  large: { angleDeg: 2, shift: 0.03, hertz: 0.4 },
  small: { angleDeg: 0.1, shift: 0, hertz: 6 },
  keys: null,
};

describe('band-limited noise', () => {
  it('has unit variance and no mean, and all of its power within an octave', () => {
    const [hertz, rate, n] = [4, 64, 8192];
    const samples = Float64Array.from({ length: n }, (_, i) => bandNoise(3, 0, hertz, i / rate));
    const mean = samples.reduce((a, b) => a + b, 0) / n;
    const power = samples.reduce((a, b) => a + b * b, 0) / n;
    expect(Math.abs(mean)).toBeLessThan(0.02);
    expect(power).toBeGreaterThan(0.97);
    expect(power).toBeLessThan(1.03);
    // a Hann window and single lines of a Fourier transform
    const line = (f: number): number => {
      let [re, im] = [0, 0];
      for (let i = 0; i < n; i++) {
        const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / n);
        re += w * samples[i] * Math.cos((2 * Math.PI * f * i) / rate);
        im += w * samples[i] * Math.sin((2 * Math.PI * f * i) / rate);
      }
      return (re * re + im * im) / (n * n);
    };
    const sum = (from: number, to: number): number => {
      let s = 0;
      for (let f = from; f < to; f += rate / n) s += line(f);
      return s;
    };
    const within = sum(hertz / Math.SQRT2 - 0.05, hertz * Math.SQRT2 + 0.05);
    expect(sum(0.1, hertz / Math.SQRT2 - 0.05) + sum(hertz * Math.SQRT2 + 0.05, 16)).toBeLessThan(within / 1000);
  });

  it('is another one for another take, axis or band, and the same for the same', () => {
    const at = (take: number, stream: number): number => bandNoise(take, stream, 2, 0.3);
    expect(at(1, 0)).toBe(at(1, 0));
    expect(new Set([at(1, 0), at(2, 0), at(1, 1), at(3, 5)]).size).toBe(4);
  });
});

describe('a shaken camera', () => {
  it('turns and goes aside as far as its bands say', () => {
    const n = 4000;
    const sums = new Float64Array(6);
    for (let i = 0; i < n; i++) shakeAt(TAKE, i * 0.37).forEach((v, axis) => (sums[axis] += v * v));
    const deviation = [...sums].map((s) => Math.sqrt(s / n));
    const angle = (Math.hypot(2, 0.1) * Math.PI) / 180;
    [angle, angle, angle / 2, 0.03, 0.03, 0.015].forEach((d, axis) => {
      expect(deviation[axis] / d).toBeGreaterThan(0.95);
      expect(deviation[axis] / d).toBeLessThan(1.05);
    });
  });

  it('stays a rigid one', () => {
    for (const t of [0, 0.2, 3.7]) {
      const m = shaken(identity(), TAKE, t);
      for (let a = 0; a < 3; a++)
        for (let b = 0; b < 3; b++) {
          const d = [0, 1, 2].reduce((s, r) => s + m[a * 4 + r] * m[b * 4 + r], 0);
          expect(d).toBeCloseTo(a === b ? 1 : 0, 12);
        }
      // pitch up lifts the view, yaw to the left turns it left
      const [pitch, yaw, , x, y, z] = shakeAt(TAKE, t);
      expect(-m[9]).toBeCloseTo(Math.sin(pitch), 12);
      expect(-m[8]).toBeCloseTo(-Math.sin(yaw) * Math.cos(pitch), 12);
      expect([m[12], m[13], m[14]]).toEqual([x, y, z]);
    }
  });

  it('without amplitude, or without a take, stands where it stood', () => {
    const world = identity();
    expect(shaken(world, STILL_TAKE, 1)).toBe(world);
    expect(shaken(world, undefined, 1)).toBe(world);
  });
});

describe('a shot that shakes', () => {
  it('is seen from the same place at an instant of the open shutter, whatever frame it belongs to', () => {
    const source = sceneOf([quad(1)]);
    source.cameras.push({ name: 'c', kind: 'perspective', yfovRad: 0.7, ymag: 1, near: 0.05 });
    const node = addNode(source, { name: 'c', camera: 0, translation: [0, 1, 4] });
    source.shots = [{ name: 's', cameraNode: node, firstFrame: 0, lastFrame: 9, rate: 24, seed: 1, take: TAKE }];
    const scene = compileScene(source);
    const shot = scene.meta.shots[0];
    const [frame, instant] = [3 / 24, 3.2 / 24];
    const camera = shotCamera(scene, shot, frame);
    expect(momentAt(scene, camera, frame, instant).camera.world).toEqual(shotCamera(scene, shot, instant).world);
    expect(shotCamera(scene, shot, instant).world).not.toEqual(camera.world);
    const still = shotCamera(
      scene,
      withSetup(shot, { optics: null, take: STILL_TAKE, path: null, rate: shot.rate }),
      frame,
    );
    expect([...still.world.subarray(12, 15)]).toEqual([0, 1, 4]);
  });
});

describe('a take frozen to keys', () => {
  it('leaves every frame and instant as it was, to the bit, whatever becomes of its noise', () => {
    const keys = freezeShake(TAKE, 10, 34, 24);
    const frozen: ShotTake = { ...TAKE, number: 99, large: { ...TAKE.large, angleDeg: 0 }, keys };
    for (let frame = -5; frame <= 60; frame += 0.125)
      expect(shakeAt(frozen, frame / 24)).toEqual(shakeAt(TAKE, frame / 24));
  });

  it('goes on as it went by its keys alone, between the frames too', () => {
    const { of: _of, ...keys } = freezeShake(TAKE, 10, 34, 24);
    const frozen: ShotTake = { ...TAKE, number: 99, large: { ...TAKE.large, angleDeg: 0 }, keys };
    for (let frame = 10; frame <= 34; frame += 0.125) {
      const [now, then] = [shakeAt(frozen, frame / 24), shakeAt(TAKE, frame / 24)];
      // a thousandth of the amplitude
      for (let axis = 0; axis < 6; axis++) expect(Math.abs(now[axis] - then[axis])).toBeLessThan(3.5e-5);
    }
  });

  it('is stored as it is, and refused when a key is not whole', () => {
    const keys = freezeShake(TAKE, 0, 3, 24);
    const frozen = { ...TAKE, keys };
    expect(shotTake.parse(JSON.parse(JSON.stringify(frozen)))).toEqual(frozen);
    expect(() => shotTake.parse({ ...frozen, keys: { ...keys, values: keys.values.slice(1) } })).toThrow(/six numbers/);
  });

  it('of keys alone holds before its first and after its last one', () => {
    const { of: _of, ...keys } = freezeShake(TAKE, 0, 1, 24);
    const frozen = { ...TAKE, keys };
    expect(shakeAt(frozen, -100)).toEqual(Float64Array.from(keys.values.slice(0, 6)));
    expect(shakeAt(frozen, 100)).toEqual(Float64Array.from(keys.values.slice(-6)));
  });

  it('is refused when it is too long', () => {
    expect(() => freezeShake(TAKE, 0, MOST_KEYS, 24)).toThrow(/frames are frozen/);
  });
});
