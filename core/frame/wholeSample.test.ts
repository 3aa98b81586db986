import { describe, expect, it } from 'vitest';
import { SUMS } from '../light/components';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { SceneSource } from '../scene/source';
import { addNode, cameraAt, DOWN, environment, light, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { resolveRecipe } from '../recipe/recipe';
import { createLocalPort } from './localPort';
import { RenderPool, type RenderedFrame } from './renderPool';

const { fround } = Math;
const EXPOSURE = -3.5;

/** A lit floor under a pane of tinted glass, a glowing square, and sky around them. */
function scene(glass: boolean): SceneSource {
  const materials = [
    MATTE,
    { ...MATTE, name: 'glass', transmission: 1, roughness: 0.1, specular: 1, baseColor: [0.6, 0.9, 0.7, 1] as const },
    { ...MATTE, name: 'lamp', emissive: [40, 20, 10] as [number, number, number] },
  ].map((m) => ({ ...m, baseColor: [...m.baseColor] as [number, number, number, number] }));
  const primitives = [quad(1), quad(0.2, 0.3, 2), ...(glass ? [quad(0.5, 0.6, 1)] : [])];
  const source = sceneOf(primitives, materials);
  source.environment = environment(12);
  source.lights = [light('sun', 800, { castsShadow: true })];
  addNode(source, { light: 0, rotation: DOWN });
  return source;
}

/** What developing begins with, from the layers, in 32-bit floats and in their order. */
function fromLayers(frame: RenderedFrame, samples: number): Float32Array {
  const { sums } = frame.views;
  const scale = fround(2 ** EXPOSURE / samples);
  return Float32Array.from({ length: frame.width * frame.height * 3 }, (_, i) => {
    const o = Math.floor(i / 3) * SUMS + (i % 3);
    return fround(fround(fround(sums[o] + sums[o + 3]) + sums[o + 6]) + sums[o + 9]) * scale;
  });
}

describe('a picture of one sample', () => {
  const camera = cameraAt([0.3, 1.7, 2.2], [0, 0.2, 0], 45);
  // sizes that fill neither tiles nor fours
  for (const [width, height] of [
    [64, 64],
    [67, 45],
    [65, 130],
    [16, 19],
  ]) {
    it.each([false, true])(
      `of ${width} × ${height} pixels is the sum of its layers to the bit, glass: %s`,
      async (glass) => {
        const size = { 'output.width': width, 'output.height': height, 'lens.exposure': EXPOSURE };
        for (const samples of [1, 2]) {
          const frame = await render(scene(glass), camera, { ...size, 'samples.pixel': samples });
          const count = width * height * 3;
          expect(frame.views.beauty.subarray(0, count)).toEqual(fromLayers(frame, samples));
          // there is something to see: floor, lamp and sky
          expect(new Set(frame.views.objectId.subarray(0, width * height)).size).toBeGreaterThan(1);
        }
      },
    );
  }

  it('leaves nothing of the picture before it where nothing is seen', async () => {
    const pool = new RenderPool([createLocalPort(() => performance.now())]);
    pool.setScene('s', toShared(packScene(compileScene(scene(true)))));
    const size = { 'output.width': 70, 'output.height': 50, 'samples.pixel': 1 };
    const recipe = resolveRecipe({ name: 't', draft: size, final: {} }, 'draft');
    const look = (from: number[], to: number[]): Promise<RenderedFrame> =>
      pool.render({ sceneId: 's', recipe, camera: cameraAt(from, to), timeSeconds: 0, seed: 1 }).promise;
    const near = (await look([0, 0.9, 0.01], [0, 0, 0])).views;
    expect(near.depth.subarray(0, 3500).every((d) => d > 0)).toBe(true);
    const away = (await look([0, 2, 0.01], [0, 9, 0])).views;
    for (const plane of [away.depth, away.normal, away.objectId])
      expect(plane.subarray(0, 3500).every((v) => v === 0)).toBe(true);
    // and half of either where the edge of the floor runs through the picture
    const edge = (await look([1, 0.5, 0.01], [1, 0, 0])).views;
    for (let i = 0; i < 3500; i++) {
      const seen = edge.objectId[i] > 0;
      expect(edge.depth[i] > 0).toBe(seen);
      expect(Math.hypot(...edge.normal.subarray(i * 3, i * 3 + 3))).toBeCloseTo(seen ? 1 : 0, 5);
    }
    expect(edge.objectId.subarray(0, 3500).filter((id) => id > 0).length).toBeGreaterThan(500);
    expect(edge.objectId.subarray(0, 3500).filter((id) => id === 0).length).toBeGreaterThan(500);
  });
});
