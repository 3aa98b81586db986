import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import { RenderPool, type FrameRequest } from '../frame/renderPool';
import { hashFloats } from '../math/hash';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { addNode, cameraAt, DOWN, environment, light, MATTE, quad, sceneOf } from '../testing/scenes';
import { packCheckpoint, unpackCheckpoint, type Checkpoint } from './checkpoint';
import { PATH_SUMS } from './pathSums';

function room(values: Record<string, number | string>): { pool: () => RenderPool; request: FrameRequest } {
  const scene = sceneOf([quad(3), quad(0.5, 0.6)], [{ ...MATTE, doubleSided: true }]);
  scene.environment = environment(0.5);
  const area = light('area', 50, { shape: 'square', width: 1, castsShadow: true });
  addNode(scene, { translation: [0, 2, 0], rotation: DOWN, light: scene.lights.push(area) - 1 });
  scene.animations = [
    {
      node: 0,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(0, 0, 0, 0.5, 0, 0),
    },
  ];
  const buffer = toShared(packScene(compileScene(scene)));
  const open = { shutter: { opens: 0, closes: 1 }, aperture: { radius: 0.1, focus: 4, blades: 0 } };
  const draft = { 'samples.method': 'path', 'output.width': 24, 'output.height': 16, ...values };
  return {
    pool: () => {
      const pool = new RenderPool([createLocalPort(() => performance.now())]);
      pool.setScene('s', buffer);
      return pool;
    },
    request: {
      sceneId: 's',
      recipe: resolveRecipe({ name: 't', draft, final: {} }, 'draft'),
      camera: { ...cameraAt([1, 3, 3], [0, 0, 0]), ...(values['samples.shutter'] && open) },
      timeSeconds: 0,
      seed: 1,
    },
  };
}

describe.each<[string, Record<string, number>]>([
  ['with a fixed number of samples', { 'samples.pixel': 40 }],
  ['with instants of the shutter, through a lens', { 'samples.pixel': 5, 'samples.shutter': 8 }],
  ['with blocks that stop', { 'samples.pixel': 64, 'samples.errorTarget': 8, 'samples.minimum': 8 }],
])('a path-traced frame %s', (_name, values) => {
  it('goes on from any of its checkpoints to the same bits', async () => {
    const { pool, request } = room(values);
    const kept: Checkpoint[] = [];
    const whole = await pool().render({ ...request, checkpointSeconds: 1e-9 }, undefined, (c) => kept.push(c)).promise;
    expect(kept.length).toBeGreaterThan(3);
    const hash = hashFloats(whole.views.paths);
    for (const c of kept.slice(0, 4)) {
      // a file read by Node is a view on a larger buffer at an odd place
      const bytes = packCheckpoint(c, 'key');
      const file = new Uint8Array(bytes.length + 3).subarray(3);
      file.set(bytes);
      const resume = unpackCheckpoint(file, 'key', PATH_SUMS);
      const frame = await pool().render({ ...request, resume }).promise;
      expect(hashFloats(frame.views.paths)).toBe(hash);
      expect(hashFloats(frame.views.depth)).toBe(hashFloats(whole.views.depth));
    }
  });
});

describe('a frame after one whose shutter saw things move', () => {
  it('has the bits it has alone: no structure that was fitted stands for one that is built', async () => {
    const open = room({ 'samples.pixel': 2, 'samples.shutter': 4 });
    const still = room({ 'samples.pixel': 2 });
    const moving = { ...open.request, camera: { ...open.request.camera, shutter: { opens: 0, closes: 0.5 } } };
    const pool = open.pool();
    for (let i = 0; i < 4; i++) {
      // at each instant: one of them was the last
      const there = { ...still.request, timeSeconds: ((i + 0.5) / 4) * 0.5 };
      const alone = await still.pool().render(there).promise;
      await pool.render(moving).promise;
      const after = await pool.render(there).promise;
      expect(hashFloats(after.views.paths)).toBe(hashFloats(alone.views.paths));
      expect(alone.views.objectId.some((id) => id > 0)).toBe(true);
    }
  });
});

describe('blocks that stop', () => {
  it('save samples where the picture is easy, and never stop before the minimum', async () => {
    const { pool, request } = room({ 'samples.pixel': 256, 'samples.errorTarget': 4, 'samples.minimum': 16 });
    const frame = await pool().render(request).promise;
    const counts = Array.from({ length: 24 * 16 }, (_, i) => frame.views.paths[i * PATH_SUMS + PATH_SUMS - 1]);
    expect(Math.min(...counts)).toBeGreaterThanOrEqual(16);
    expect(frame.path!.samples).toBeLessThan(192);
    expect(frame.path!.noise).toBeLessThan(0.05);
  });
});

describe('a checkpoint', () => {
  const one: Checkpoint = {
    samples: 4,
    paths: new Float32Array(PATH_SUMS * 2),
    settled: new Uint8Array(1),
    depth: new Float32Array(2),
    normal: new Float32Array(6),
    objectId: new Uint32Array(2),
  };
  it.each<[string, (bytes: Uint8Array) => Uint8Array, string, RegExp]>([
    ['cut short', (b) => b.subarray(0, b.length - 1), 'key', /cut short/],
    ['empty', () => new Uint8Array(0), 'key', /cut short/],
    ['of another picture', (b) => b, 'other', /another picture/],
    ['that is none', (b) => b.map((v, i) => (i === 0 ? v + 1 : v)), 'key', /none/],
  ])('%s is refused', (_what, damage, key, message) => {
    expect(() => unpackCheckpoint(damage(packCheckpoint(one, 'key')), key, PATH_SUMS)).toThrow(message);
  });
});
