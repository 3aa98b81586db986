import { describe, expect, it } from 'vitest';
import { beautyAt, cameraAt, environment, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { LAYER_NAMES, LAYERS, readLayers } from './layers';

const glowing = (nit: number) =>
  sceneOf([quad(50)], [{ ...MATTE, baseColor: [0, 0, 0, 1], emissive: [nit, nit, nit] }]);
const code = (frame: Awaited<ReturnType<typeof render>>, x: number, y: number): number =>
  frame.views.display[(y * frame.width + x) * 4];

describe('developing', () => {
  it('turns light into sRGB codes', async () => {
    const frame = await render(glowing(0.18), mapCamera(3, 1), { 'output.dither': false });
    expect(code(frame, 20, 20)).toBe(Math.round((1.055 * 0.18 ** (1 / 2.4) - 0.055) * 255));
    expect(frame.views.display[3]).toBe(255);
  });

  it('dithers between two codes, the same way each time', async () => {
    const values = async (): Promise<number[]> => {
      const frame = await render(glowing(0.2), mapCamera(3, 1));
      return Array.from({ length: 64 * 64 }, (_, i) => frame.views.display[i * 4]);
    };
    const a = await values();
    expect(new Set(a).size).toBe(2);
    expect(await values()).toEqual(a);
  });

  it('darkens towards the corners by the fourth power of the cosine', async () => {
    const settings = { 'lens.vignette': 100, 'output.dither': false };
    const frame = await render(glowing(0.5), cameraAt([0, 5, 0.001], [0, 0, 0], 60), settings);
    const linear = (c: number): number => (c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4);
    const t = Math.tan((30 * Math.PI) / 180) * (31.5 / 32);
    const cosine = 1 / Math.sqrt(1 + 2 * t * t);
    expect(linear(code(frame, 0, 0)) / linear(code(frame, 32, 32))).toBeCloseTo(cosine ** 4, 1);
    // the scene-linear picture is not touched
    expect(beautyAt(frame, 0, 0)).toEqual(beautyAt(frame, 32, 32));
  });

  it('spreads light around bright spots only with bloom, and not in the scene-linear picture', async () => {
    const scene = sceneOf([quad(0.1)], [{ ...MATTE, baseColor: [0, 0, 0, 1], emissive: [500, 500, 500] }]);
    const plain = await render(scene, mapCamera(3, 1));
    const beside = [code(plain, 42, 32), beautyAt(plain, 42, 32)[0]];
    expect(beside).toEqual([0, 0]);
    const glow = await render(scene, mapCamera(3, 1), { 'lens.bloom': 20 });
    expect(code(glow, 42, 32)).toBeGreaterThan(10);
    expect(beautyAt(glow, 42, 32)[0]).toBe(0);
  });

  it('never writes a code for light that is no number', async () => {
    const scene = glowing(1e30);
    const frame = await render(scene, mapCamera(3, 1), { 'lens.exposure': 24, 'lens.tone': 'neutral' });
    expect(code(frame, 5, 5)).toBeGreaterThanOrEqual(0);
    expect(Number.isFinite(code(frame, 5, 5))).toBe(true);
  });
});

describe('layers', () => {
  it('have the sizes and names that the file format promises', async () => {
    const scene = sceneOf([quad(1)]);
    scene.environment = environment(1);
    const frame = await render(scene, mapCamera(3, 1.5));
    const vectors = new Float32Array(64 * 64 * 2).fill(0.5);
    const layers = readLayers(frame.views, frame.samples, 0, LAYER_NAMES, vectors);
    // without vectors there is no such layer
    expect(readLayers(frame.views, frame.samples, 0, ['motion', 'depth']).map((l) => l.name)).toEqual(['depth']);
    // what only path tracing knows is left out
    const known = Object.keys(LAYERS).filter((name) => name !== 'original' && name !== 'error');
    expect(layers.map((l) => l.name)).toEqual(known);
    for (const l of layers) expect(l.data.length).toBe(64 * 64 * l.channels.length);
    const by = Object.fromEntries(layers.map((l) => [l.name, l.data]));
    const middle = 32 * 64 + 32;
    expect(by.depth[middle]).toBeCloseTo(3, 4);
    expect([...by.normal.subarray(middle * 3, middle * 3 + 3)]).toEqual([0, 1, 0]);
    expect(by.objectId[middle]).toBe(1);
    expect(by.shadow[middle]).toBe(1);
    expect(by.motion).toBe(vectors);
    expect(by.beauty[middle * 4 + 3]).toBe(1);
    expect([by.depth[0], by.objectId[0], by.beauty[3]]).toEqual([0, 0, 0]);
  });

  it('keep the share of a pixel that is covered', async () => {
    const frame = await render(sceneOf([quad(1)]), mapCamera(3, 1.01), {
      'samples.pixel': 64,
      'samples.filter': 'box',
      'samples.radius': 0.5,
    });
    const [beauty] = readLayers(frame.views, frame.samples, 0, ['beauty']);
    // the plate's edge lies 31.68 pixels from the middle, 0.68 into the outermost one
    expect(beauty.data[(32 * 64 + 63) * 4 + 3]).toBeCloseTo(0.68, 1);
  });
});
