import { describe, expect, it } from 'vitest';
import { bindKernel, createKernelMemory, type KernelExports } from '@daxel/kernel/load';
import { readLayers } from '../frame/layers';
import type { RenderedFrame } from '../frame/renderPool';
import { hashFloats } from '../math/hash';
import { randomStream } from '../math/random';
import type { TierValues } from '../recipe/recipe';
import type { SceneSource } from '../scene/source';
import { denoiseRows, FEATURES, FILTERED, planeStride, prepareDenoise } from './denoise';
import { P_COLOR, P_COUNT, P_NORMAL, P_SQUARE, PATH_SUMS } from './pathSums';
import { addNode, cameraAt, DOWN, environment, light, MATTE, quad, render, sceneOf } from '../testing/scenes';

const SIDE = 36;
/** A floor of two colours under a plate and a lamp: a hard edge of colour, a soft one of shadow. */
function room(): SceneSource {
  const red = { ...MATTE, baseColor: [0.7, 0.1, 0.1, 1] as [number, number, number, number] };
  const half = quad(3, 0.002, 1);
  half.positions = half.positions.map((v, i) => (i % 3 === 0 ? Math.max(0, v) : v));
  const scene = sceneOf([quad(3), half, quad(0.5, 0.8)], [{ ...MATTE, doubleSided: true }, red]);
  scene.environment = environment(0.3);
  const lamp = light('area', 60, { shape: 'square', width: 0.8, castsShadow: true });
  addNode(scene, { translation: [0, 2, 0], rotation: DOWN, light: scene.lights.push(lamp) - 1 });
  return scene;
}
const at = (samples: number, more: TierValues = {}): Promise<RenderedFrame> =>
  render(room(), cameraAt([1, 3, 3], [0, 0.2, 0], 40), {
    'samples.method': 'path',
    'samples.pixel': samples,
    'output.width': SIDE,
    'output.height': SIDE,
    ...more,
  });
function rms(a: RenderedFrame, b: RenderedFrame): number {
  let sum = 0;
  let n = 0;
  // inside surfaces: how an edge falls into pixels is not noise that could be smoothed
  for (let y = 1; y < SIDE - 1; y++)
    for (let x = 1; x < SIDE - 1; x++) {
      const i = y * SIDE + x;
      const inside = [-1, 0, 1].every((dy) =>
        [-1, 0, 1].every((dx) => b.views.objectId[i + dy * SIDE + dx] === b.views.objectId[i]),
      );
      if (!inside) continue;
      for (let c = 0; c < 3; c++, n++) sum += (a.views.beauty[i * 3 + c] - b.views.beauty[i * 3 + c]) ** 2;
    }
  return Math.sqrt(sum / n);
}

describe('denoising', () => {
  it('brings the picture closer to the reference, keeps the original, and its layers still add up', async () => {
    const reference = await at(200);
    const noisy = await at(4);
    const calm = await at(4, { 'samples.denoise': 'spatial' });
    expect(rms(calm, reference)).toBeLessThan(rms(noisy, reference) * 0.6);
    const [original] = readLayers(calm.views, calm.samples, 0, ['original']);
    const beauty = noisy.views.beauty.subarray(0, SIDE * SIDE * 3);
    let worst = 0;
    for (let i = 0; i < beauty.length; i++) worst = Math.max(worst, Math.abs(original.data[i] - beauty[i]));
    expect(worst).toBeLessThan(1e-4);
    const layers = readLayers(calm.views, calm.samples, 0, ['direct', 'bounce', 'reflection', 'emission', 'beauty']);
    for (let i = 0; i < SIDE * SIDE; i++)
      for (let c = 0; c < 3; c++) {
        const sum = layers.slice(0, 4).reduce((s, l) => s + l.data[i * 3 + c], 0);
        expect(Math.abs(sum - layers[4].data[i * 4 + c])).toBeLessThan(1e-5 * Math.max(1, sum));
      }
  });

  it('leaves an edge of colour where it is', async () => {
    const [calm, reference] = [await at(8, { 'samples.denoise': 'spatial' }), await at(96)];
    const ratio = (f: RenderedFrame, x: number, y: number): number => {
      const o = (y * SIDE + x) * 3;
      return f.views.beauty[o] / Math.max(1e-6, f.views.beauty[o + 1]);
    };
    // red over green changes from 1 to 7 across the edge, within a pixel or two in both pictures
    for (let y = SIDE - 14; y < SIDE - 4; y++)
      for (let x = 2; x < SIDE - 2; x++) {
        const [a, b] = [ratio(reference, x - 1, y), ratio(reference, x + 1, y)];
        if (Math.abs(a - b) < 0.2)
          expect(Math.abs(Math.log(ratio(calm, x, y) / ratio(reference, x, y)))).toBeLessThan(0.5);
      }
  });

  it('is the same to the bit every time', async () => {
    const [a, b] = [await at(3, { 'samples.denoise': 'spatial' }), await at(3, { 'samples.denoise': 'spatial' })];
    expect(hashFloats(a.views.beauty)).toBe(hashFloats(b.views.beauty));
  });
});

describe('the view of noise', () => {
  it('is dark where the picture is certain and bright where it is not', async () => {
    const few = await at(4);
    const many = await at(64);
    expect(few.path!.noise).toBeGreaterThan(many.path!.noise * 2.5);
  });
});

describe('a level of the filter by compiled loops', () => {
  it.each([
    [37, 21, 0],
    [37, 21, 4],
    [64, 9, 2],
    [3, 3, 1],
  ])('is that of the plain ones within a hundred-thousandth: %i × %i, level %i', (width, height, level) => {
    const pixels = width * height;
    const stride = planeStride(pixels);
    const sizes = [stride * FILTERED, stride * FILTERED, stride * FEATURES, pixels * PATH_SUMS, pixels];
    const memory = createKernelMemory(sizes.reduce((sum, n) => sum + n * 4, 0))!;
    let at = 0;
    const [a, b, features, paths, depth] = sizes.map((n) => {
      at += n * 4;
      return new Float32Array(memory.buffer, at - n * 4, n);
    });
    // what lay there before must not be read
    features.fill(NaN);
    a.fill(NaN);
    const random = randomStream(width + level);
    for (let i = 0; i < pixels; i++) {
      const p = i * PATH_SUMS;
      for (let k = 0; k < 9; k++) paths[p + k] = random() * 8;
      paths[p + P_SQUARE] = 900;
      for (let k = 0; k < 3; k++) {
        paths[p + P_COLOR + k] = 4 + (i % 7 < 3 ? 1 : 0) + random() * 0.2;
        paths[p + P_NORMAL + k] = k === 1 ? 8 - random() * 0.1 : random() * 0.5;
      }
      paths[p + P_COUNT] = 8;
      depth[i] = i % 11 === 0 ? 0 : 4 + i / pixels;
    }
    const filtered = (loops: KernelExports | null): Float32Array => {
      const input = { width, height, paths, depth, a, b, features, strength: 2, loops };
      prepareDenoise(input, 0, height);
      denoiseRows(input, level, 0, height);
      return b.slice();
    };
    const [quick, plain] = [filtered(bindKernel(memory)), filtered(null)];
    let largest = 0;
    quick.forEach((v, i) => (largest = Math.max(largest, Math.abs(v - plain[i]) / (1e-3 + Math.abs(plain[i])))));
    expect(largest).toBeLessThan(1e-5);
    expect(quick.some((v) => v > 0)).toBe(true);
  });
});
