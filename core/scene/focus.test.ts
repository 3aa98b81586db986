import { describe, expect, it } from 'vitest';
import { addNode, cameraAt, quad, render, sceneOf } from '../testing/scenes';
import { compileScene } from './compileScene';
import { focusOn, objectUnder } from './focus';
import { shotCamera } from './shotCamera';
import { DEFAULT_OPTICS, type ShotSource } from './source';

describe('the object under a pointer', () => {
  const around = (depth: number[], objects: number[]) => objectUnder({ width: 3, height: 3, depth, objects });

  it('is that of the middle, at the median of its distances', () => {
    expect(around([9, 9, 9, 4, 4.2, 9, 4.1, 9, 9], [1, 1, 1, 2, 2, 1, 2, 1, 1])).toEqual({ object: 2, depth: 4.1 });
  });

  it('is the nearest one where the middle shows background, and none where all is', () => {
    expect(around([0, 0, 7, 0, 0, 0, 5, 0, 0], [0, 0, 3, 0, 0, 0, 2, 0, 0])!.object).toBeGreaterThan(1);
    expect(around([0, 0, 0, 0, 0, 6, 0, 0, 8], [0, 0, 0, 0, 0, 4, 0, 0, 5])).toEqual({ object: 4, depth: 6 });
    expect(around(new Array<number>(9).fill(0), new Array<number>(9).fill(0))).toBeNull();
  });
});

describe('focus that stays on an object', () => {
  /** A plate that comes a metre nearer every second, under a camera that stands still. */
  function plate() {
    const source = sceneOf([quad(1)]);
    const camera = source.cameras.push({ name: 'c', kind: 'perspective', yfovRad: 0.7, ymag: 1, near: 0.1 }) - 1;
    const world = cameraAt([0, 8, 0], [0, 0, 0.0001]).world;
    const up: [number, number, number, number] = [-Math.SQRT1_2, 0, 0, Math.SQRT1_2];
    const node = addNode(source, {
      camera,
      translation: [world[12], world[13], world[14]],
      rotation: up,
      name: 'camera',
    });
    source.animations.push({
      node: 0,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 4),
      values: Float32Array.of(0, 0, 0, 0, 4, 0),
    });
    const scene = compileScene(source);
    const shot = (on: ReturnType<typeof focusOn> | undefined): ShotSource => ({
      ...scene.meta.shots[0],
      cameraNode: node,
      optics: { ...DEFAULT_OPTICS, fNumber: 2.8, focusDistance: 3, focusOn: on },
    });
    return { source, scene, shot };
  }

  it('follows the place that was picked, whenever it was picked', async () => {
    const { source, scene, shot } = plate();
    for (const picked of [0, 2]) {
      const camera = shotCamera(scene, shot(undefined), picked);
      const { aperture: _wide, ...sharp } = camera;
      const frame = await render(source, sharp, {}, picked);
      const [x, y] = [38, 28];
      const at = y * frame.width + x;
      const under = { object: frame.views.objectId[at], depth: frame.views.depth[at] };
      expect(under.depth).toBeCloseTo(8 - picked, 3);
      const on = focusOn(scene, camera, frame, { x, y }, under, picked);
      expect(on.name).toBe(scene.meta.nodes[on.node].name);
      for (const seconds of [0, 1, 3])
        expect(shotCamera(scene, shot(on), seconds).aperture!.focus).toBeCloseTo(8 - seconds, 3);
    }
  });

  it('keeps the distance that was set where the object is gone or has gone behind the camera', () => {
    const { scene, shot } = plate();
    const gone = { node: 99, name: 'gone', point: [0, 0, 0] as [number, number, number] };
    expect(shotCamera(scene, shot(gone), 0).aperture!.focus).toBe(3);
    const behind = { node: 0, name: scene.meta.nodes[0].name, point: [0, 30, 0] as [number, number, number] };
    expect(shotCamera(scene, shot(behind), 0).aperture!.focus).toBe(3);
  });
});
