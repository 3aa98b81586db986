import { describe, expect, it } from 'vitest';
import { momentAt } from '../frame/moment';
import { lookAt } from '../math/mat4';
import { addNode, quad, sceneOf } from '../testing/scenes';
import {
  cameraPath,
  dollyPath,
  orbitPath,
  pathWorld,
  railPath,
  withKey,
  type CameraPath,
  type PathKey,
} from './cameraPath';
import { compileScene } from './compileScene';
import { shotCamera } from './shotCamera';

const key = (frame: number, x: number, ease: PathKey['ease'] = 'linear'): PathKey => ({
  frame,
  eye: [x, 1, 4],
  target: [x, 0, 0],
  ease,
});
const eyeAt = (path: CameraPath, frame: number): number[] => [...pathWorld(path, frame / path.rate).subarray(12, 15)];
const START = { eye: [0, 1, 4], target: [0, 0, 0], first: 10, last: 58, rate: 24 };

describe('a camera path', () => {
  it('passes through its keys, looks where they look, and stands beyond them', () => {
    const path: CameraPath = { rate: 24, keys: [key(0, 0), key(10, 3), key(40, -1), key(50, 2)] };
    for (const k of path.keys) expect(pathWorld(path, k.frame / 24)).toEqual(lookAt(k.eye, k.target));
    expect(eyeAt(path, -5)).toEqual(eyeAt(path, 0));
    expect(eyeAt(path, 99)).toEqual(eyeAt(path, 50));
    // smooth through a key: no jump of place or speed
    const speed = (f: number): number => (eyeAt(path, f + 1e-3)[0] - eyeAt(path, f)[0]) / 1e-3;
    expect(Math.abs(eyeAt(path, 9.999)[0] - eyeAt(path, 10.001)[0])).toBeLessThan(1e-3);
    expect(Math.abs(speed(9.997) - speed(10.001))).toBeLessThan(1e-3);
  });

  it('between two keys goes evenly, eased, or not at all', () => {
    const two = (ease: PathKey['ease']): CameraPath => ({ rate: 24, keys: [key(0, 0, ease), key(40, 2)] });
    for (const f of [4, 10, 33]) expect(eyeAt(two('linear'), f)[0]).toBeCloseTo((2 * f) / 40, 12);
    const smooth = (f: number): number => eyeAt(two('smooth'), f)[0];
    expect(smooth(20)).toBeCloseTo(1, 12);
    expect(smooth(1)).toBeLessThan(0.01);
    expect(2 - smooth(39)).toBeLessThan(0.01);
    expect(eyeAt(two('hold'), 39.9)[0]).toBe(0);
    expect(eyeAt(two('hold'), 40)[0]).toBe(2);
  });

  it('orbits on a circle about what it looks at, evenly, to the right', () => {
    const path = orbitPath(START, 90);
    expect(cameraPath.safeParse(path).success).toBe(true);
    for (let f = 10; f <= 58; f += 0.5) {
      const [x, y, z] = eyeAt(path, f);
      expect(Math.hypot(x, z) / 4).toBeCloseTo(1, 2);
      expect(y).toBeCloseTo(1, 12);
      expect(Math.abs(Math.atan2(x, z) - (Math.PI / 2) * ((f - 10) / 48))).toBeLessThan(0.02);
    }
    expect(eyeAt(path, 58)[0]).toBeCloseTo(4, 9);
  });

  it('dollies towards what it looks at, and goes along a rail to its right', () => {
    const closer = eyeAt(dollyPath(START, 0.5), 58);
    expect(closer).toEqual([0, 0.5, 2]);
    const rail = railPath(START, 1.5);
    expect(eyeAt(rail, 58).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([1.5, 1, 4]);
    const [from, to] = [pathWorld(rail, 10 / 24), pathWorld(rail, 58 / 24)];
    for (let i = 0; i < 12; i++) expect(to[i]).toBeCloseTo(from[i], 12);
  });

  it('takes a key, in order and in place of one of the same frame', () => {
    let path = withKey(null, 24, key(10, 1));
    path = withKey(path, 24, key(5, 2));
    path = withKey(path, 24, key(10, 3));
    expect(path.keys.map((k) => [k.frame, k.eye[0]])).toEqual([
      [5, 2],
      [10, 3],
    ]);
  });

  it.each([
    ['keys out of order', { rate: 24, keys: [key(5, 0), key(5, 1)] }, /follow one another/],
    ['no key', { rate: 24, keys: [] }, /./],
    ['a camera within its target', { rate: 24, keys: [{ ...key(0, 0), target: [0, 1, 4] }] }, /where it stands/],
  ])('with %s is refused', (_what, path, message) => {
    const parsed = cameraPath.safeParse(path);
    expect(parsed.error?.issues[0].message).toMatch(message);
  });

  it('is what a shot is seen from, within the open shutter too', () => {
    const source = sceneOf([quad(1)]);
    source.cameras.push({ name: 'c', kind: 'perspective', yfovRad: 0.7, ymag: 1, near: 0.05 });
    const node = addNode(source, { name: 'c', camera: 0, translation: [9, 9, 9] });
    const path = railPath(START, 2);
    source.shots = [{ name: 's', cameraNode: node, firstFrame: 10, lastFrame: 58, rate: 24, seed: 1, path }];
    const scene = compileScene(source);
    const [frame, instant] = [20 / 24, 20.3 / 24];
    const camera = shotCamera(scene, scene.meta.shots[0], frame);
    expect(camera.world).toEqual(pathWorld(path, frame));
    expect(momentAt(scene, camera, frame, instant).camera.world).toEqual(pathWorld(path, instant));
  });
});
