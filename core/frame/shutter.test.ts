import { describe, expect, it } from 'vitest';
import { blurDiameter, lensPoint } from '../scene/aperture';
import type { CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { shotCamera, shutterOf } from '../scene/shotCamera';
import { DEFAULT_OPTICS, type SceneSource } from '../scene/source';
import { addNode, cameraAt, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { geometryInstant, shutterInstants } from './shutter';

const GLOW = {
  ...MATTE,
  name: 'glow',
  emissive: [1, 1, 1] as [number, number, number],
  baseColor: [0, 0, 0, 1] as [number, number, number, number],
};
const [WIDTH, HEIGHT] = [96, 32];
const SIZE = { 'output.width': WIDTH, 'output.height': HEIGHT };
/** One pixel wide, so that a pixel's value is the share of it that is covered. */
const BOX = { 'samples.filter': 'box', 'samples.radius': 0.5 } as const;
/** Pixels a metre of `mapCamera(3, 1)`. */
const SCALE = HEIGHT / 2;

/** A glowing square of half a metre a side that slides along x, seen from above. */
function sliding(metresASecond: number): SceneSource {
  const source = sceneOf([], [MATTE, GLOW]);
  source.meshes = [{ name: 'square', primitives: [quad(0.25, 0, 1)] }];
  source.nodes = [];
  const node = addNode(source, { mesh: 0 });
  source.animations = [
    {
      node,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(-metresASecond / 2, 0, 0, metresASecond / 2, 0, 0),
    },
  ];
  return source;
}

/** Share of a pixel covered, over the open time, by a box whose left edge goes from `a` to `b` pixels. */
function coverage(x: number, a: number, b: number, wide: number): number {
  const steps = 4000;
  let sum = 0;
  for (let i = 0; i < steps; i++) {
    const left = a + ((b - a) * (i + 0.5)) / steps;
    sum += Math.max(0, Math.min(x + 1, left + wide) - Math.max(x, left));
  }
  return sum / steps;
}

describe('instants of the shutter', () => {
  const camera = { shutter: { opens: -0.01, closes: 0.03 } };

  it('are the middles of equal parts of the open time, the middle one first', () => {
    for (const [count, each] of [
      [1, 4],
      [8, 1],
      [6, 3],
      [64, 16],
    ]) {
      const instants = shutterInstants(2, camera, count, each, 5);
      const sorted = [...instants].sort((a, b) => a - b);
      const expected = (i: number): number => (count === 1 ? 2 : 1.99 + (0.04 * (i + 0.5)) / count);
      sorted.forEach((t, i) => expect(t).toBeCloseTo(expected(i), 9));
      expect(instants[0]).toBe(geometryInstant(2, camera, count));
    }
  });

  it('cover the open time evenly from the start: eight of 64 lie in different eighths', () => {
    for (const seed of [1, 2, 3]) {
      const parts = shutterInstants(0, camera, 64, 4, seed).slice(0, 8);
      expect(new Set(parts.map((t) => Math.floor(((t + 0.01) / 0.04) * 8))).size).toBe(8);
    }
  });

  it('lie about the frame as the phase says', () => {
    const at = (shutterPhase: 'opens' | 'centred' | 'closes') => shutterOf({ shutterAngleDeg: 180, shutterPhase }, 25);
    expect(at('opens')).toEqual({ opens: -0, closes: 0.02 });
    expect(at('centred')).toEqual({ opens: -0.01, closes: 0.01 });
    expect(at('closes')).toEqual({ opens: -0.02, closes: 0 });
  });
});

describe('motion blur', () => {
  const camera: CameraView = { ...mapCamera(3, 1), shutter: { opens: -0.25, closes: 0.25 } };
  const middle = WIDTH / 2;
  /** Left edge at −¼ and +¼ second about t = ½: the square stands in the middle then. */
  const edges = (speed: number): [number, number] =>
    [-0.25, 0.25].map((t) => middle + (t * speed - 0.25) * SCALE) as [number, number];
  const row = async (source: SceneSource, view: CameraView, values: Record<string, number | string>) => {
    const frame = await render(source, view, { ...SIZE, ...BOX, ...values }, 0.5);
    return Array.from({ length: WIDTH }, (_, x) => frame.views.beauty[((HEIGHT / 2) * WIDTH + x) * 3]);
  };
  const worst = (got: number[], [a, b]: [number, number]): number =>
    Math.max(...got.map((v, x) => Math.abs(v - coverage(x, a, b, SCALE / 2))));

  it('of a sliding square is the share of time that each pixel is covered, within 1 % at 256 samples', async () => {
    const values = { 'samples.pixel': 4, 'samples.shutter': 64 };
    expect(worst(await row(sliding(4), camera, values), edges(4))).toBeLessThan(0.01);
    const split = { 'samples.pixel': 1, 'samples.shutter': 256 };
    expect(worst(await row(sliding(4), camera, split), edges(4))).toBeLessThan(0.01);
  });

  it('is the same path traced', async () => {
    const values = { 'samples.method': 'path', 'samples.pixel': 4, 'samples.shutter': 64, 'bounce.total': 0 };
    expect(worst(await row(sliding(4), camera, values), edges(4))).toBeLessThan(0.01);
  });

  it('with few instants is a row of ghosts: steps of their share of the light', async () => {
    const got = await row(sliding(8), camera, { 'samples.pixel': 16, 'samples.shutter': 4 });
    // eight pixels wide, and sixteen apart: four separate ghosts of a quarter each
    const spread = got.filter((v) => v > 0.2);
    expect(spread.length).toBeGreaterThanOrEqual(4 * 7);
    expect(Math.max(...got)).toBeCloseTo(0.25, 2);
  });

  it('of a riding camera is that of everything else the other way', async () => {
    const source = sceneOf([], [MATTE, GLOW]);
    source.meshes = [{ name: 'square', primitives: [quad(0.25, 0, 1)] }];
    source.nodes = [];
    addNode(source, { mesh: 0 });
    const node = addNode(source, {
      translation: [0, 3, 0],
      rotation: [-Math.SQRT1_2, 0, 0, Math.SQRT1_2],
      camera: source.cameras.push({ name: 'c', kind: 'orthographic', yfovRad: 1, ymag: 1, near: 0.01 }) - 1,
    });
    source.animations = [
      {
        node,
        path: 'translation',
        interpolation: 'linear',
        times: Float32Array.of(0, 1),
        values: Float32Array.of(2, 3, 0, -2, 3, 0),
      },
    ];
    source.shots = [
      {
        name: 's',
        cameraNode: node,
        firstFrame: 0,
        lastFrame: 1,
        rate: 2,
        seed: 1,
        optics: { ...DEFAULT_OPTICS, shutterAngleDeg: 360 },
      },
    ];
    const riding = shotCamera(compileScene(source), source.shots[0], 0.5);
    const values = { 'samples.pixel': 4, 'samples.shutter': 64 };
    expect(worst(await row(source, riding, values), edges(4))).toBeLessThan(0.01);
  });

  it('gives depth and objects of the middle of the open time', async () => {
    const late: CameraView = { ...camera, shutter: { opens: 0, closes: 0.5 } };
    const { views } = await render(sliding(4), late, { ...SIZE, 'samples.shutter': 9 }, 0.5);
    const seen = Array.from({ length: WIDTH }, (_, x) => views.objectId[(HEIGHT / 2) * WIDTH + x]);
    // a quarter of a second later: one metre to the right
    expect(seen.indexOf(1)).toBe(middle + SCALE - SCALE / 4);
  });
});

describe('a lens with an opening', () => {
  const DISTANCE = 4;
  const APERTURE = { radius: 0.05, focus: 2, blades: 0 };
  const eye = (aperture: CameraView['aperture']): CameraView => ({
    ...cameraAt([0, 0, DISTANCE], [0, 0, 0]),
    aperture,
  });
  /** A small glowing square that faces the camera. */
  function spot(): SceneSource {
    const source = sceneOf([], [MATTE, GLOW]);
    source.meshes = [{ name: 'spot', primitives: [quad(0.02, 0, 1)] }];
    source.nodes = [];
    addNode(source, { mesh: 0, rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2] });
    return source;
  }
  const SQUARE = { 'output.width': 96, 'output.height': 96, ...BOX };
  /** Root mean square distance from the middle, pixels. */
  async function spread(values: Record<string, number | string>, aperture: CameraView['aperture']): Promise<number> {
    const { views } = await render(spot(), eye(aperture), { ...SQUARE, ...values });
    let [sum, far] = [0, 0];
    for (let y = 0; y < 96; y++)
      for (let x = 0; x < 96; x++) {
        const v = views.beauty[(y * 96 + x) * 3];
        sum += v;
        far += v * ((x - 47.5) ** 2 + (y - 47.5) ** 2);
      }
    return Math.sqrt(far / sum);
  }
  /** Of a disc of this diameter, around a square spot of four pixels' hundredths. */
  const expected = (diameter: number, side: number): number => Math.sqrt(diameter ** 2 / 8 + side ** 2 / 6 + 1 / 6);
  const diameter = blurDiameter(APERTURE, (40 * Math.PI) / 180, 96, DISTANCE);
  const side = (0.04 * 96) / (2 * Math.tan((20 * Math.PI) / 180) * DISTANCE);

  it('spreads a point into the circle of confusion, within 2 %', async () => {
    expect(diameter).toBeCloseTo((96 / 2 / Math.tan((20 * Math.PI) / 180)) * 0.1 * (1 / 2 - 1 / 4), 9);
    const raster = await spread({ 'samples.pixel': 256 }, APERTURE);
    expect(Math.abs(raster / expected(diameter, side) - 1)).toBeLessThan(0.02);
    const path = await spread({ 'samples.method': 'path', 'samples.pixel': 256, 'bounce.total': 0 }, APERTURE);
    expect(Math.abs(path / expected(diameter, side) - 1)).toBeLessThan(0.02);
  });

  it('leaves sharp what is in focus, in size and place', async () => {
    const focused = await spread({ 'samples.pixel': 64 }, { ...APERTURE, focus: DISTANCE });
    const pinhole = await spread({ 'samples.pixel': 64 }, undefined);
    expect(focused).toBeCloseTo(pinhole, 2);
  });

  it('spreads samples over lens, pixel and shutter in one product', async () => {
    const whole = await spread({ 'samples.pixel': 16, 'samples.shutter': 16 }, APERTURE);
    expect(Math.abs(whole / expected(diameter, side) - 1)).toBeLessThan(0.02);
  });

  it('gives depth, normals and objects as seen through its middle', async () => {
    const values = { ...SQUARE, 'samples.pixel': 4 };
    const sharp = (await render(spot(), eye(undefined), { ...values, 'samples.pixel': 1 })).views;
    for (const method of ['raster', 'path']) {
      const { views } = await render(spot(), eye(APERTURE), { ...values, 'samples.method': method });
      expect(views.objectId.slice(0, 96 * 96)).toEqual(sharp.objectId.slice(0, 96 * 96));
      for (let i = 0; i < 96 * 96; i++) expect(views.depth[i]).toBeCloseTo(sharp.depth[i], 4);
    }
  });

  it('is even over its area, whatever its shape', () => {
    const p = new Float64Array(2);
    for (const blades of [0, 3, 6]) {
      let [x, y, square, most] = [0, 0, 0, 0];
      const n = 200;
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n; j++) {
          lensPoint({ radius: 2, focus: 1, blades }, (i + 0.5) / n, (j + 0.5) / n, p);
          x += p[0] / n / n;
          y += p[1] / n / n;
          square += (p[0] ** 2 + p[1] ** 2) / n / n;
          most = Math.max(most, Math.hypot(p[0], p[1]));
        }
      expect(Math.hypot(x, y)).toBeLessThan(0.02);
      expect(most).toBeLessThanOrEqual(2 + 1e-9);
      // second moments of a disc and of a regular polygon of circumradius r: r²/2, and r²(2 + cos 2π/n)/6
      const moment = blades === 0 ? 2 : (4 * (2 + Math.cos((2 * Math.PI) / blades))) / 6;
      expect(square).toBeCloseTo(moment, 1);
    }
  });
});
