import { describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { cameraAt, environment, mapCamera, MATTE, quad, sceneOf } from '../testing/scenes';
import { createLocalPort } from './localPort';
import { RenderPool } from './renderPool';

/** A floor under a square that glows downwards. */
const source = sceneOf(
  [quad(1), { ...quad(1, 1, 1), indices: Uint32Array.of(0, 2, 1, 0, 3, 2) }],
  [
    { ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] },
    { ...MATTE, name: 'glow', baseColor: [0, 0, 0, 1], emissive: [10, 10, 10], doubleSided: true },
  ],
);

describe.each([true, false])('glow that a rig scales, by compiled loops: %s', (kernels) => {
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  const { meta } = pool.setScene('s', toShared(packScene(compileScene(source))));
  const dark = { lights: meta.lights, environment: environment(0) };
  const mean = async (glow: number | undefined, values: TierValues, camera = mapCamera(0.9, 0.05)): Promise<number> => {
    const size = { 'output.width': 16, 'output.height': 16, 'lens.tone': 'none' };
    const recipe = resolveRecipe({ name: 't', draft: { ...size, ...values }, final: {} }, 'draft');
    const frame = await pool.render({
      sceneId: 's',
      recipe,
      camera,
      timeSeconds: 0,
      seed: 1,
      lighting: { ...dark, glow },
    }).promise;
    return frame.views.beauty.reduce((sum, v) => sum + v, 0) / frame.views.beauty.length;
  };
  const PATH = { 'samples.method': 'path', 'samples.pixel': 32 } as const;

  it('lights the floor by as much more where paths are traced', async () => {
    const whole = await mean(undefined, PATH);
    expect(whole).toBeGreaterThan(1);
    expect((await mean(2.5, PATH)) / whole).toBeCloseTo(2.5, 3);
    expect(await mean(0, PATH)).toBe(0);
    expect(await mean(1, PATH)).toBe(whole);
  });

  it('is seen as much brighter in both methods', async () => {
    const up = cameraAt([0, 0.2, 0], [0, 1, 0.001]);
    for (const values of [PATH, { 'samples.pixel': 1 }]) {
      const whole = await mean(1, values, up);
      expect((await mean(3, values, up)) / whole).toBeCloseTo(3, 3);
    }
  });
});
