import { describe, expect, it } from 'vitest';
import type { TierValues } from '../recipe/recipe';
import { addNode, cameraAt, DOWN, environment, light, quad, render, sceneOf } from '../testing/scenes';
import { readLayers } from './layers';
import type { RenderedFrame } from './renderPool';

/** A floor with a lit raised square, its edge across the picture. */
function scene() {
  const source = sceneOf([quad(30), quad(0.6, 0.4)]);
  source.lights = [light('sun', 3, { castsShadow: true })];
  source.environment = environment(0.4);
  addNode(source, { light: 0, rotation: DOWN });
  return source;
}
const camera = cameraAt([0.3, 2, 2.2], [0, 0, 0]);
const drawn = (values: TierValues, regions?: { x: number; y: number; width: number; height: number }[]) =>
  render(scene(), camera, { 'output.width': 48, 'output.height': 32, 'samples.pixel': 4, ...values }, 0, { regions });
const meanOf = (frame: RenderedFrame): number =>
  frame.views.beauty.subarray(0, frame.width * frame.height * 3).reduce((a, b) => a + b, 0) /
  (frame.width * frame.height * 3);

describe('render scale', () => {
  it.each(['raster', 'path'])('changes neither size nor light of a %s picture', async (method) => {
    const own = await drawn({ 'samples.method': method });
    for (const scale of [30, 50, 150, 200, 400]) {
      const frame = await drawn({ 'samples.method': method, 'samples.scale': scale });
      expect([frame.width, frame.height]).toEqual([48, 32]);
      expect(Math.abs(meanOf(frame) / meanOf(own) - 1)).toBeLessThan(0.02);
      // floor 1, raised square 2
      expect(new Set(frame.views.objectId.subarray(0, 48 * 32))).toEqual(new Set([1, 2]));
    }
  });

  it('at 200 % with one sample in the middle is the mean of four pixels each', async () => {
    const values = { 'samples.pixel': 1, 'samples.filter': 'box', 'samples.radius': 0.5 };
    const twice = await drawn({ ...values, 'output.width': 96, 'output.height': 64 });
    const half = await drawn({ ...values, 'samples.scale': 200 });
    const big = twice.views.beauty;
    for (let y = 0; y < 32; y++)
      for (let x = 0; x < 48; x++) {
        const at = (dx: number, dy: number): number => big[((y * 2 + dy) * 96 + x * 2 + dx) * 3];
        const mean = (at(0, 0) + at(1, 0) + at(0, 1) + at(1, 1)) / 4;
        expect(half.views.beauty[(y * 48 + x) * 3]).toBeCloseTo(mean, 5);
      }
  });

  it('keeps the sum of the layers, and leaves out layers of paths that are not pixels of the output', async () => {
    const frame = await drawn({ 'samples.method': 'path', 'samples.scale': 150 });
    const names = ['direct', 'bounce', 'reflection', 'emission', 'beauty', 'original', 'error'];
    const layers = readLayers(frame.views, frame.samples, 0, names);
    expect(layers.map((l) => l.name)).toEqual(names.slice(0, 5));
    for (let i = 0; i < 48 * 32; i++) {
      const sum = layers.slice(0, 4).reduce((s, l) => s + l.data[i * 3], 0);
      expect(Math.abs(sum - layers[4].data[i * 4])).toBeLessThan(1e-5 * Math.max(1, sum));
    }
  });

  it.each([70, 200])('at %s %% computes a part of the picture to the same bits as the whole', async (scale) => {
    const part = { x: 13, y: 9, width: 11, height: 8 };
    const whole = await drawn({ 'samples.scale': scale });
    const some = await drawn({ 'samples.scale': scale }, [part]);
    for (let y = part.y; y < part.y + part.height; y++) {
      const from = (y * 48 + part.x) * 3;
      const row = (f: RenderedFrame): number[] => [...f.views.beauty.subarray(from, from + part.width * 3)];
      expect(row(some)).toEqual(row(whole));
    }
    // and no more than that
    expect(some.views.sums.subarray(0, part.y * 48).every((v) => v === 0)).toBe(true);
  });
});
