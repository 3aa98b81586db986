import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { length, lookAt, transformPoint } from '../math/mat4';
import { addNode, cameraAt, quad, render, sceneOf } from '../testing/scenes';
import { rayFrame, worldToPixels } from './camera';
import { compileScene, rotationOf } from './compileScene';
import { poseInstances, poseNodes, sampleChannel } from './pose';
import { findShot, shotCamera } from './shotCamera';
import type { ChannelSource } from './source';

function moving(channel: Omit<ChannelSource, 'node'>): Float64Array[] | ReturnType<typeof poseNodes> {
  const source = sceneOf([quad(1)]);
  source.animations = [{ ...channel, node: 0 }];
  const scene = compileScene(source);
  return [0, 0.5, 1, 1.5, 9].map((t) => poseNodes(scene, t)[0]) as ReturnType<typeof poseNodes>;
}

describe('animation', () => {
  it('is linear between its keys and holds before and after', () => {
    const m = moving({
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1, 2),
      values: Float32Array.of(0, 0, 0, 4, 0, 0, 4, 2, 0),
    });
    expect(m.map((w) => [w[12], w[13]])).toEqual([
      [0, 0],
      [2, 0],
      [4, 0],
      [4, 1],
      [4, 2],
    ]);
  });

  it('steps where it is told to', () => {
    const m = moving({
      path: 'translation',
      interpolation: 'step',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(1, 0, 0, 5, 0, 0),
    });
    expect(m.map((w) => w[12])).toEqual([1, 1, 5, 5, 5]);
  });

  it('turns at an even rate and stays a rotation', () => {
    const quarter = Math.SQRT1_2;
    const m = moving({
      path: 'rotation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(0, 0, 0, 1, 0, quarter, 0, quarter),
    });
    expect(Math.atan2(-m[1][2], m[1][0])).toBeCloseTo(Math.PI / 4, 5);
    for (const w of m) expect(length([w[0], w[1], w[2]])).toBeCloseTo(1, 5);
  });

  it('follows its tangents when cubic', () => {
    // from 0 to 1 with flat ends: the middle is one half, the quarter lies below a quarter
    const source = sceneOf([quad(1)]);
    source.animations = [
      {
        node: 0,
        path: 'scale',
        interpolation: 'cubic',
        times: Float32Array.of(0, 1),
        values: Float32Array.of(0, 0, 0, 1, 1, 1, 0, 0, 0, 0, 0, 0, 2, 2, 2, 0, 0, 0),
      },
    ];
    const scene = compileScene(source);
    const local = new Float32Array(10);
    const at = (t: number): number => {
      sampleChannel(scene.keys, scene.meta.channels[0], t, local);
      return local[7];
    };
    expect(at(0.5)).toBeCloseTo(1.5, 5);
    expect(at(0.25)).toBeCloseTo(1 + (3 * 0.0625 - 2 * 0.015625), 5);
  });
});

describe('the hierarchy', () => {
  it('carries children along and scales them', () => {
    const source = sceneOf([quad(1)]);
    const parent = addNode(source, { translation: [10, 0, 0], scale: [2, 2, 2] });
    addNode(source, { mesh: 0, parent, translation: [1, 0, 0] });
    const scene = compileScene(source);
    const at = scene.meta.nodes.findIndex((n) => n.name === 'node 2');
    expect([...transformPoint(poseNodes(scene, 0)[at], [0, 0, 0])]).toEqual([12, 0, 0]);
  });

  it('keeps normals upright under uneven scales', () => {
    const source = sceneOf([quad(1)]);
    source.nodes[0].scale = [5, 1, 0.2];
    const scene = compileScene(source);
    const count = scene.positions.length / 3;
    const pose = {
      positions: new Float32Array(count * 3),
      normals: new Float32Array(count * 3),
      tangents: new Float32Array(count * 4),
    };
    poseInstances(scene, poseNodes(scene, 0), 0, 1, pose);
    for (let v = 0; v < count; v++)
      expect([...pose.normals.subarray(v * 3, v * 3 + 3)].map((n) => Math.round(n * 1e6) / 1e6 + 0)).toEqual([0, 1, 0]);
    expect(Math.max(...pose.positions)).toBe(5);
  });

  it('that is mirrored still shows its front', async () => {
    const source = sceneOf([quad(2)]);
    source.nodes[0].scale = [-1, 1, 1];
    const frame = await render(source, cameraAt([0, 3, 0.1], [0, 0, 0]));
    expect(frame.views.objectId[32 * 64 + 32]).toBe(1);
    expect(frame.views.normal[(32 * 64 + 32) * 3 + 1]).toBeCloseTo(1, 5);
  });

  it('that loops is refused', () => {
    const source = sceneOf([quad(1)]);
    source.nodes.push({ ...source.nodes[0], parent: 2 }, { ...source.nodes[0], parent: 1 });
    expect(() => compileScene(source)).toThrow(/loop/);
  });
});

describe('cameras', () => {
  const eye = fc.tuple(
    fc.double({ min: -5, max: 5, noNaN: true }),
    fc.double({ min: 0.5, max: 5, noNaN: true }),
    fc.double({ min: 2, max: 6, noNaN: true }),
  );

  it('project and shoot rays that agree', () => {
    fc.assert(
      fc.property(
        eye,
        fc.double({ min: 0, max: 320, noNaN: true }),
        fc.double({ min: 0, max: 200, noNaN: true }),
        fc.double({ min: 0.5, max: 20, noNaN: true }),
        (from, x, y, t) => {
          const view = cameraAt(from, [0, 0, 0], 50);
          const rays = rayFrame(view, 320, 200);
          const p = [0, 1, 2].map((c) => rays.origin[c] + t * (rays.base[c] + x * rays.right[c] + y * rays.down[c]));
          const m = worldToPixels(view, 320, 200);
          const row = (r: number): number => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3];
          expect(row(0) / row(12)).toBeCloseTo(x, 4);
          expect(row(4) / row(12)).toBeCloseTo(y, 4);
          expect(row(12)).toBeCloseTo(t, 6);
        },
      ),
    );
  });

  it('give back the rotation they were made from', () => {
    fc.assert(
      fc.property(eye, (from) => {
        const m = lookAt(from, [0.3, -0.2, 0.1]);
        const [x, y, z, w] = rotationOf(m);
        // third column of the rotation matrix of a quaternion
        const back = [2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)];
        back.forEach((v, i) => expect(v).toBeCloseTo(m[8 + i], 6));
      }),
    );
  });

  it('are found by the name of their shot', () => {
    const source = sceneOf([quad(1)]);
    source.cameras = [{ name: 'a', kind: 'perspective', yfovRad: 1, ymag: 1, near: 0.1 }];
    addNode(source, { name: 'cam', camera: 0, translation: [0, 1, 2] });
    const scene = compileScene(source);
    const view = shotCamera(scene, findShot(scene, undefined), 0);
    expect([...view.world.slice(12, 15)]).toEqual([0, 1, 2]);
    expect(() => findShot(scene, 'b')).toThrow(/no shot "b"/);
  });
});
