import { describe, expect, it } from 'vitest';
import { addNode, beautyAt, cameraAt, DOWN, light, mapCamera, quad, render, sceneOf } from '../testing/scenes';
import type { TierValues } from '../recipe/recipe';
import type { LightSource, SceneSource } from '../scene/source';
import { faceIrradiance } from './areaIrradiance';
import { FACING_FRONT, FACING_NONE, frameLight, placeMatrix } from './frameLight';
import { placeInLight, SAMPLE_FACING, SAMPLE_NORMAL, SAMPLE_SIZE, SAMPLE_WEIGHT, sampleLight } from './sampleLight';

const area = (more: Partial<LightSource> = {}): LightSource =>
  light('area', 100, { shape: 'rectangle', width: 1.4, height: 0.8, ...more });

/** Over a matte white floor, shining down from two metres. */
function over(source: LightSource): SceneSource {
  const scene = sceneOf([quad(20)], [{ ...sceneOf([]).materials[0], baseColor: [1, 1, 1, 1] }]);
  scene.lights = [source];
  addNode(scene, { light: 0, rotation: DOWN, translation: [0, 2, 0] });
  return scene;
}

/**
 * Irradiance over luminance from a rectangle to a parallel surface under its corner (Howell, A Catalog of Radiation Heat
 * Transfer Configuration Factors, B-3), with sides a and b at height h.
 */
function cornerIrradiance(a: number, b: number, h: number): number {
  const [x, y] = [a / h, b / h];
  const part = (p: number, q: number): number => (p / Math.sqrt(1 + p * p)) * Math.atan(q / Math.sqrt(1 + p * p));
  return Math.sign(a) * Math.sign(b) * 0.5 * (part(Math.abs(x), Math.abs(y)) + part(Math.abs(y), Math.abs(x)));
}

/** Under a point (x, z) from the middle of a rectangle w × d. */
function rectangleIrradiance(w: number, d: number, h: number, x: number, z: number): number {
  const corner = (a: number, b: number): number => cornerIrradiance(a, b, h);
  return (
    corner(w / 2 - x, d / 2 - z) +
    corner(w / 2 + x, d / 2 - z) +
    corner(w / 2 - x, d / 2 + z) +
    corner(w / 2 + x, d / 2 + z)
  );
}

describe('a rectangle light', () => {
  const settings = { 'output.width': 33, 'output.height': 33 };
  // the middle, and one metre to the right of it
  const places = [
    { pixel: 16, x: 0 },
    { pixel: 24, x: 1 },
  ];

  it.each([
    ['from its closed form', {}],
    ['from 256 positions drawn into maps', { 'shadows.lightSamples': 256, 'shadows.localResolution': 128 }],
    ['from 256 traced positions', { 'shadows.lightSamples': 256, 'shadows.method': 'traced' }],
  ])('gives the irradiance of the polygon integral within a hundredth, %s', async (_name, more) => {
    const source = area({ castsShadow: true });
    const frame = await render(over(source), mapCamera(1.5, 33 / 16), { ...settings, ...more });
    for (const { pixel, x } of places) {
      const expected = 100 * rectangleIrradiance(1.4, 0.8, 2, x, 0) * (1 / Math.PI);
      expect(beautyAt(frame, pixel, 16)[0] / expected).toBeGreaterThan(0.99);
      expect(beautyAt(frame, pixel, 16)[0] / expected).toBeLessThan(1.01);
    }
  });

  it('lights nothing behind it unless it has two sides', async () => {
    const up: [number, number, number, number] = [Math.SQRT1_2, 0, 0, Math.SQRT1_2];
    for (const [twoSided, shines] of [
      [false, false],
      [true, true],
    ]) {
      const scene = over(area({ twoSided }));
      scene.nodes[1].rotation = up;
      for (const samples of [1, 16]) {
        const frame = await render(scene, mapCamera(1.5, 1), { ...settings, 'shadows.lightSamples': samples });
        expect(beautyAt(frame, 16, 16)[0] > 0).toBe(shines);
      }
    }
  });

  it('takes light away when its strength is negative', async () => {
    const scene = over(area());
    scene.lights.push(area({ intensity: -40 }));
    addNode(scene, { light: 1, rotation: DOWN, translation: [0, 2, 0] });
    const both = await render(scene, mapCamera(1.5, 1), settings);
    const one = await render(over(area({ intensity: 60 })), mapCamera(1.5, 1), settings);
    expect(beautyAt(both, 16, 16)[0]).toBeCloseTo(beautyAt(one, 16, 16)[0], 4);
  });
});

describe('closed forms of faces', () => {
  it('of a disc come within a two-hundredth of π r² / (h² + r²)', () => {
    const disc = frameLight(
      { ...area({ shape: 'disc', width: 2 }), node: -1, place: { position: [0, 2, 0], direction: [0, -1, 0] } },
      0,
      [],
    );
    expect(faceIrradiance(disc, 0, 0, 0, 0, 1, 0)).toBeCloseTo(Math.PI / 5, 2);
  });

  it('count only what stands above the horizon', () => {
    const wall = frameLight(
      { ...area({ width: 2, height: 2 }), node: -1, place: { position: [2, 0, 0], direction: [-1, 0, 0] } },
      0,
      [],
    );
    // the half above the floor, perpendicular to it (Howell B-4): the lower half gives nothing
    const lifted = { ...wall, py: 0.5, vx: wall.vx / 2, vy: wall.vy / 2, vz: wall.vz / 2 };
    expect(faceIrradiance(wall, 0, 0, 0, 0, 1, 0)).toBeCloseTo(faceIrradiance(lifted, 0, 0, 0, 0, 1, 0), 9);
    expect(faceIrradiance(wall, 0, 0, 0, -1, 0, 0)).toBe(0);
  });
});

describe('points on lights', () => {
  const grid = Array.from({ length: 1024 }, (_, i) => [((i % 32) + 0.5) / 32, (Math.floor(i / 32) + 0.5) / 32]);
  const placed = (source: LightSource) =>
    frameLight({ ...source, node: -1, place: { position: [1, 2, 3], direction: [0, -1, 0] } }, 0, []);

  it('of a ball add up to its candela in every direction', () => {
    const ball = placed(light('point', 5, { radius: 0.2 }));
    const out = new Float64Array(SAMPLE_SIZE);
    for (const d of [
      [0, 1, 0],
      [0.6, 0, 0.8],
      [-0.577, 0.577, 0.577],
    ]) {
      let sum = 0;
      for (const [u, v] of grid) {
        sampleLight(ball, u, v, out);
        expect(out[SAMPLE_FACING]).toBe(FACING_FRONT);
        const c = d[0] * out[SAMPLE_NORMAL] + d[1] * out[SAMPLE_NORMAL + 1] + d[2] * out[SAMPLE_NORMAL + 2];
        sum += Math.max(0, c) * out[SAMPLE_WEIGHT];
        expect(Math.hypot(out[0] - 1, out[1] - 2, out[2] - 3)).toBeCloseTo(0.2, 9);
      }
      expect(sum / grid.length).toBeCloseTo(1, 2);
    }
  });

  it('in a ball seem spread evenly over its disc from everywhere, and shine alike to all sides', () => {
    const ball = placed(light('point', 5, { radius: 0.2 }));
    const out = new Float64Array(SAMPLE_SIZE);
    for (const d of [
      [0, 1, 0],
      [1, 0, 0],
      [0.6, 0, 0.8],
      [-0.577, 0.577, 0.577],
    ]) {
      const within = [0.3, 0.5, 0.8, 1].map(() => 0);
      for (const [u, v] of grid) {
        placeInLight(ball, u, v, out);
        expect(out[SAMPLE_FACING]).toBe(FACING_NONE);
        expect(out[SAMPLE_WEIGHT]).toBe(1);
        const [x, y, z] = [out[0] - 1, out[1] - 2, out[2] - 3];
        const along = x * d[0] + y * d[1] + z * d[2];
        const off = Math.sqrt(Math.max(0, x * x + y * y + z * z - along * along)) / 0.2;
        [0.3, 0.5, 0.8, 1].forEach((r, k) => (within[k] += off <= r + 1e-9 ? 1 : 0));
      }
      // area of a disc
      [0.3, 0.5, 0.8, 1].forEach((r, k) => expect(within[k] / grid.length).toBeCloseTo(r * r, 1.5));
    }
  });

  it('of a ball light everything as its middle does, however few they are', async () => {
    const floor = (radius: number): SceneSource => {
      const scene = sceneOf([quad(6)]);
      scene.lights = [light('point', 60, { castsShadow: true, radius })];
      addNode(scene, { light: 0, translation: [0, 3, 0] });
      return scene;
    };
    const camera = cameraAt([0, 6, 6], [0, 0, 0], 60);
    const size = { 'output.width': 60, 'output.height': 40, 'samples.pixel': 1 };
    const middle = await render(floor(0), camera, size);
    const ways: TierValues[] = [
      { 'shadows.lightSamples': 4 },
      { 'samples.pixel': 4, 'shadows.lightSamples': 0 },
      { 'shadows.method': 'traced', 'shadows.lightSamples': 8 },
    ];
    for (const values of ways) {
      const ball = await render(floor(0.2), camera, { ...size, ...values });
      for (const [x, y] of [
        [30, 20],
        [15, 20],
        [45, 22],
        [30, 32],
        [30, 12],
        [10, 30],
      ])
        expect(Math.abs(beautyAt(ball, x, y)[0] / beautyAt(middle, x, y)[0] - 1)) // some lie nearer than the middle, by up to a fifteenth
          .toBeLessThan(0.07);
    }
  });

  it('of a sun stay inside its disc and are even over it', () => {
    const sun = placed(light('sun', 5, { angularDiameterRad: 0.1 }));
    const out = new Float64Array(SAMPLE_SIZE);
    let inner = 0;
    for (const [u, v] of grid) {
      sampleLight(sun, u, v, out);
      const angle = Math.acos(-out[4]);
      expect(angle).toBeLessThanOrEqual(0.05 + 1e-9);
      if (angle < 0.05 * Math.SQRT1_2) inner++;
    }
    // half of the area lies within 1 / √2 of the radius
    expect(inner / grid.length).toBeCloseTo(0.5, 1);
  });
});

describe('a placed light', () => {
  it('looks along its direction, and its frame stays square', () => {
    for (const direction of [
      [0, -1, 0],
      [1, 0, 0],
      [0.3, 0.9, -0.1],
    ] as [number, number, number][]) {
      const m = placeMatrix({ position: [1, 2, 3], direction, rollDeg: 30 });
      const l = Math.hypot(...direction);
      for (let c = 0; c < 3; c++) expect(-m[8 + c]).toBeCloseTo(direction[c] / l, 9);
      expect(m[0] * m[4] + m[1] * m[5] + m[2] * m[6]).toBeCloseTo(0, 9);
      expect(Math.hypot(m[0], m[1], m[2])).toBeCloseTo(1, 9);
    }
  });
});
