import { describe, expect, it } from 'vitest';
import { addNode, DOWN, light, mapCamera, quad, render, sceneOf } from '../testing/scenes';
import type { LightSource, PrimitiveSource, SceneSource } from '../scene/source';

const ACROSS = 240;

/** A plate that fills the half x < 0 at a height. */
function halfPlate(y: number): PrimitiveSource {
  return {
    positions: Float32Array.of(-6, y, 6, 0, y, 6, 0, y, -6, -6, y, -6),
    normals: Float32Array.of(0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0),
    indices: Uint32Array.of(0, 1, 2, 0, 2, 3),
    material: 0,
  };
}

/** A floor, the edge of a plate one metre over it, and a light over the edge. */
function edgeScene(source: LightSource, height: number): SceneSource {
  const scene = sceneOf([
    { ...halfPlate(0), positions: Float32Array.of(-6, 0, 6, 6, 0, 6, 6, 0, -6, -6, 0, -6) },
    halfPlate(1),
  ]);
  scene.lights = [{ ...source, castsShadow: true }];
  addNode(scene, { light: 0, rotation: DOWN, translation: [0, height, 0] });
  return scene;
}

/** Metres between the places where a tenth and where nine tenths of the light arrive, seen from under the plate. */
async function softWidth(scene: SceneSource, metres: number, more: Record<string, number | string>): Promise<number> {
  const frame = await render(scene, mapCamera(0.9, metres * 0.05), {
    'output.width': ACROSS,
    'output.height': 12,
    'shadows.filter': 'hard',
    'shadows.lightSamples': 256,
    ...more,
  });
  const samples = Number(more['samples.pixel'] ?? 1);
  const lit = Array.from({ length: ACROSS }, (_, x) => frame.views.sums[(6 * ACROSS + x) * 16 + 13] / samples);
  const pixel = (metres * 0.05 * 2) / 12;
  const crossing = (level: number): number => {
    const i = lit.findIndex((v) => v >= level);
    expect(i).toBeGreaterThan(0);
    return i + (level - lit[i - 1]) / (lit[i] - lit[i - 1]);
  };
  expect(lit[0]).toBe(0);
  expect(lit[ACROSS - 1]).toBeCloseTo(1, 6);
  return (crossing(0.9) - crossing(0.1)) * pixel;
}

/** Share of a disc's diameter between the cuts that leave a tenth and nine tenths of its area. */
const DISC_SHARE = (() => {
  const left = (x: number): number => 0.5 + (x * Math.sqrt(1 - x * x) + Math.asin(x)) / Math.PI;
  let [a, b] = [0, 1];
  for (let i = 0; i < 60; i++) {
    const m = (a + b) / 2;
    if (left(m) < 0.9) a = m;
    else b = m;
  }
  return a;
})();

const within = (value: number, expected: number, share: number): void => {
  expect(value / expected).toBeGreaterThan(1 - share);
  expect(value / expected).toBeLessThan(1 + share);
};

describe.each([
  ['maps', { 'shadows.localResolution': 512, 'shadows.resolution': 1024 }],
  ['rays', { 'shadows.method': 'traced' }],
])('penumbrae at 256 light samples by %s', (_name, more) => {
  // a light of 0.4 m two metres over the edge, which is one metre over the floor: half its width, by similar triangles
  it('of a square light are as wide as similar triangles say', async () => {
    const source = light('area', 10, { shape: 'square', width: 0.4 });
    within(await softWidth(edgeScene(source, 3), 0.4, more), 0.2 * 0.8, 0.03);
  });

  it('of a disc light have the profile of a disc that is cut', async () => {
    const source = light('area', 10, { shape: 'disc', width: 0.4 });
    within(await softWidth(edgeScene(source, 3), 0.4, more), 0.2 * DISC_SHARE, 0.03);
  });

  it('of a ball have it too', async () => {
    const source = light('point', 10, { radius: 0.2 });
    within(await softWidth(edgeScene(source, 3), 0.4, more), 0.2 * DISC_SHARE, 0.04);
  });

  it('of a sun come from its angular diameter', async () => {
    const source = light('sun', 10, { angularDiameterRad: 0.1 });
    within(await softWidth(edgeScene(source, 3), 0.2, more), 2 * Math.tan(0.05) * DISC_SHARE, 0.03);
  });
});

describe('positions on a light', () => {
  it('give the same picture in rounds as all at once, and more of them a smoother one', async () => {
    const source = light('area', 10, { shape: 'square', width: 0.4 });
    // maps of 2048 texels a side in five faces: one position at a time
    const rounds = { 'shadows.lightSamples': 4, 'shadows.localResolution': 2048 };
    const frame = await render(edgeScene(source, 3), mapCamera(0.9, 0.02), {
      'output.width': 96,
      'output.height': 16,
      'shadows.filter': 'hard',
      ...rounds,
    });
    const lit = Array.from({ length: 96 }, (_, x) => frame.views.sums[(8 * 96 + x) * 16 + 13]);
    // four positions make steps of a quarter
    for (const v of lit) expect(Math.abs(v * 4 - Math.round(v * 4))).toBeLessThan(0.02);
    expect(new Set(lit.map((v) => Math.round(v * 4))).size).toBeGreaterThan(2);
  });

  it('multiply with pixel samples: every sample is lit from others', async () => {
    const source = light('area', 10, { shape: 'square', width: 0.4 });
    const levels = async (pixel: number): Promise<number> => {
      const frame = await render(edgeScene(source, 3), mapCamera(0.9, 0.02), {
        'output.width': 96,
        'output.height': 16,
        'shadows.filter': 'hard',
        'shadows.lightSamples': 2,
        'samples.pixel': pixel,
      });
      return new Set(
        Array.from({ length: 96 }, (_, x) => Math.round((frame.views.sums[(8 * 96 + x) * 16 + 13] * 40) / pixel)),
      ).size;
    };
    expect(await levels(16)).toBeGreaterThan((await levels(1)) * 2);
  });
});

describe('percentage-closer soft shadows', () => {
  it('widen with the distance to what casts', async () => {
    const source = light('point', 10, { radius: 0.2 });
    const soft = { 'shadows.filter': 'soft', 'shadows.lightSamples': 1, 'shadows.localResolution': 512 };
    const near = edgeScene(source, 3);
    near.meshes[0].primitives[1] = halfPlate(0.4);
    const frameWidth = async (scene: SceneSource, height: number): Promise<number> => {
      const frame = await render(scene, mapCamera(height, 0.04), {
        'output.width': ACROSS,
        'output.height': 12,
        ...soft,
      });
      const lit = Array.from({ length: ACROSS }, (_, x) => frame.views.sums[(6 * ACROSS + x) * 16 + 13]);
      return (lit.filter((v) => v > 0.1 && v < 0.9).length * 0.08) / 12;
    };
    // true widths between a tenth and nine tenths: 0.2 m and 0.0615 m times the disc's share
    const [wide, narrow] = [await frameWidth(edgeScene(source, 3), 0.9), await frameWidth(near, 0.35)];
    within(wide, 0.2 * DISC_SHARE, 0.2);
    within(narrow, 0.0615 * DISC_SHARE, 0.35);
  });

  it('shade nothing that leans by itself, however wide they are read', async () => {
    const scene = sceneOf([quad(40)]);
    scene.lights = [light('point', 10, { radius: 0.4, castsShadow: true })];
    // a floor that the lamp grazes: from 45° to 8° above it
    addNode(scene, { light: 0, translation: [-3, 1, 0] });
    const frame = await render(scene, mapCamera(0.5, 2), {
      'output.width': 64,
      'output.height': 32,
      'shadows.filter': 'soft',
      'shadows.lightSamples': 1,
      'shadows.localResolution': 256,
    });
    const lit = Array.from({ length: 64 * 32 }, (_, k) => frame.views.sums[k * 16 + 13]);
    expect(Math.min(...lit)).toBeGreaterThan(0.99);
  });
});

describe.each([
  ['one sample', { 'samples.pixel': 1 }],
  ['four samples', { 'samples.pixel': 4 }],
  ['sixteen samples', { 'samples.pixel': 16 }],
  ['traced shadows', { 'samples.pixel': 16, 'shadows.method': 'traced' }],
])('with nothing set, by %s,', (_name, more) => {
  const settings = { 'shadows.filter': 'pcf', 'shadows.lightSamples': 0, 'shadows.localResolution': 512, ...more };

  it('a lamp twice as wide has edges twice as soft', async () => {
    for (const width of [0.2, 0.4]) {
      const source = light('area', 10, { shape: 'square', width });
      within(await softWidth(edgeScene(source, 3), 0.4, settings), (width / 2) * 0.8, 0.25);
    }
  });

  it('a point stays hard', async () => {
    expect(await softWidth(edgeScene(light('point', 10), 3), 0.4, settings)).toBeLessThan(0.025);
  });
});

describe('moment maps', () => {
  it('soften an edge without dark or bright faults beside it', async () => {
    const scene = edgeScene(light('sun', 10), 3);
    const frame = await render(scene, mapCamera(0.9, 0.1), {
      'output.width': ACROSS,
      'output.height': 12,
      'shadows.filter': 'moment',
      'shadows.resolution': 1024,
      'shadows.radius': 4,
    });
    const lit = Array.from({ length: ACROSS }, (_, x) => frame.views.sums[(6 * ACROSS + x) * 16 + 13]);
    expect(lit[4]).toBeLessThan(0.02);
    expect(lit[ACROSS - 5]).toBeGreaterThan(0.98);
    expect(lit.filter((v) => v > 0.05 && v < 0.95).length).toBeGreaterThan(4);
    for (let x = 1; x < ACROSS; x++) expect(lit[x]).toBeGreaterThanOrEqual(lit[x - 1] - 0.02);
  });
});
