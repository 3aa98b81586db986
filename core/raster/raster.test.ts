import { describe, expect, it } from 'vitest';
import { addNode, beautyAt, cameraAt, DOWN, light, mapCamera, quad, render, sceneOf } from '../testing/scenes';

describe('direct light', () => {
  it('falls with the square of the distance and the cosine', async () => {
    for (const height of [0.5, 1, 2, 4]) {
      const scene = sceneOf([quad(20)]);
      scene.lights = [light('point', 100)];
      addNode(scene, { light: 0, translation: [0, height, 0] });
      const frame = await render(scene, mapCamera(10, 3.2));
      // pixel centres lie 0.05 m off the axis and every 0.1 m along it
      for (const x of [32, 45, 60]) {
        const dx = (x + 0.5 - 32) * 0.1;
        const dz = 0.05;
        const d2 = dx * dx + dz * dz + height * height;
        const expected = (0.5 / Math.PI) * 100 * (height / Math.sqrt(d2)) * (1 / d2);
        expect(beautyAt(frame, x, 32)[0] / expected).toBeCloseTo(1, 4);
      }
    }
  });

  it('of a sun is albedo / π × illuminance × cosine', async () => {
    const scene = sceneOf([quad(20)]);
    scene.lights = [light('sun', 30)];
    addNode(scene, { light: 0, rotation: DOWN });
    const frame = await render(scene, cameraAt([0, 3, 3], [0, 0, 0]));
    expect(beautyAt(frame, 32, 32)[1]).toBeCloseTo((0.5 / Math.PI) * 30, 4);
  });

  it('of a spot follows the squared ramp between its cones', async () => {
    const inner = 0.3;
    const outer = 0.7;
    const scene = sceneOf([quad(20)]);
    scene.lights = [light('spot', 50, { innerConeRad: inner, outerConeRad: outer })];
    addNode(scene, { light: 0, rotation: DOWN, translation: [0, 2, 0] });
    const frame = await render(scene, mapCamera(10, 3.2));
    for (const x of [33, 40, 45, 52]) {
      const dx = (x + 0.5 - 32) * 0.1;
      const d2 = dx * dx + 0.05 * 0.05 + 4;
      const cosine = 2 / Math.sqrt(d2);
      const ramp = (cosine - Math.cos(outer)) / (Math.cos(inner) - Math.cos(outer));
      const falloff = Math.min(1, Math.max(0, ramp)) ** 2;
      expect(beautyAt(frame, x, 32)[0]).toBeCloseTo(((0.5 / Math.PI) * 50 * cosine * falloff) / d2, 4);
    }
  });
});

describe('visibility', () => {
  it('gives the distance along the view axis', async () => {
    const frame = await render(sceneOf([quad(200)]), cameraAt([0, 2, 0.0001], [0, 0, 0]));
    for (const i of [0, 1000, 2080, 4095]) expect(frame.views.depth[i]).toBeCloseTo(2, 4);
  });

  it('keeps what lies before the near plane out and crossing triangles in', async () => {
    const scene = sceneOf([quad(50)]);
    scene.lights = [light('sun', Math.PI * 2)];
    addNode(scene, { light: 0, rotation: DOWN });
    const frame = await render(scene, cameraAt([0, 1, 0], [0, 0.9, -1], 60));
    expect(beautyAt(frame, 32, 63)[0]).toBeCloseTo(1, 4);
    expect(beautyAt(frame, 32, 2)[0]).toBe(0);
  });
});
