import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileScene } from '../scene/compileScene';
import { poseNodes } from '../scene/pose';
import { addNode, cameraAt, DOWN, light, quad, sceneOf } from '../testing/scenes';
import { cubeFace } from './lampViews';
import { planShadows, type ShadowOptions } from './planShadows';
import { cascadeEnds } from './sunViews';
import { cases } from '../testing/cases';

const options: ShadowOptions = {
  traced: false,
  lightSamples: 1,
  resolution: 1024,
  localResolution: 256,
  distance: 10,
  start: 0,
  cascades: 1,
  split: 0.7,
  blend: 0.1,
  depthCodes: 0,
  automatic: { edgeNoise: 0.04, samples: 4, height: 540 },
  mayEstimate: true,
};
const plan = (
  scene: ReturnType<typeof compileScene>,
  camera: ReturnType<typeof cameraAt>,
  aspect: number,
  o = options,
) => planShadows(scene.meta.lights, scene.meta.bounds, poseNodes(scene, 0), camera, aspect, o);

function lightsOf(kind: 'sun' | 'point' | 'spot', eye = [0, 3, 8], more: Partial<ShadowOptions> = {}) {
  const source = sceneOf([quad(200)]);
  source.lights = [light(kind, 10, { castsShadow: true, outerConeRad: 0.6 })];
  addNode(source, { light: 0, rotation: DOWN, translation: [0, 5, 0] });
  const scene = compileScene(source);
  return plan(scene, cameraAt(eye, [eye[0], 0, eye[2] - 8]), 16 / 9, { ...options, ...more });
}
const project = (m: Float64Array, p: number[]): number[] => {
  const row = (r: number): number => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3];
  const w = row(12);
  return [row(0) / w, row(4) / w, row(8) / w];
};

describe('the map of a sun', () => {
  it('moves with the camera by whole texels only, so that edges do not crawl', () => {
    const place = [3.3, 0, -1.7];
    const home = lightsOf('sun').lights[0].maps[0];
    const [u0, v0] = project(home.matrix, place);
    fc.assert(
      fc.property(
        fc.double({ min: -2, max: 2, noNaN: true }),
        fc.double({ min: -2, max: 2, noNaN: true }),
        (dx, dz) => {
          const moved = lightsOf('sun', [dx, 3, 8 + dz]).lights[0].maps[0];
          expect(moved.texelSize).toBeCloseTo(home.texelSize, 9);
          const [u, v] = project(moved.matrix, place);
          expect(Math.abs(u - u0 - Math.round(u - u0))).toBeLessThan(1e-6);
          expect(Math.abs(v - v0 - Math.round(v - v0))).toBeLessThan(1e-6);
        },
      ),
      { numRuns: cases(40) },
    );
  });

  it('stands still in every cascade while the camera pans and drifts: no texel of the world changes', () => {
    const cascades = { cascades: 4, distance: 40 };
    const place = [1.7, 0, -3.1];
    const home = lightsOf('sun', [0, 3, 8], cascades).lights[0].maps;
    expect(home.length).toBe(4);
    fc.assert(
      fc.property(fc.double({ min: -3, max: 3, noNaN: true }), fc.double({ min: -1, max: 1, noNaN: true }), (x, up) => {
        const moved = lightsOf('sun', [x, 3 + up, 8], cascades).lights[0].maps;
        moved.forEach((map, i) => {
          expect(map.texelSize).toBeCloseTo(home[i].texelSize, 9);
          const [u0, v0] = project(home[i].matrix, place);
          const [u, v] = project(map.matrix, place);
          expect(Math.abs(u - u0 - Math.round(u - u0))).toBeLessThan(1e-6);
          expect(Math.abs(v - v0 - Math.round(v - v0))).toBeLessThan(1e-6);
        });
      }),
      { numRuns: cases(40) },
    );
  });

  it('splits the distance evenly, by powers, or between', () => {
    const ends = (mix: number): number[] => cascadeEnds(1, 81, 4, mix);
    expect(ends(0)).toEqual([21, 41, 61, 81]);
    [3, 9, 27, 81].forEach((end, i) => expect(ends(1)[i]).toBeCloseTo(end, 9));
    ends(0.5).forEach((end, i) => expect(end).toBeCloseTo((ends(0)[i] + ends(1)[i]) / 2, 9));
  });

  it('covers what the camera sees up to the distance', () => {
    const { maps } = lightsOf('sun').lights[0];
    for (const p of [
      [0, 0, 2],
      [2, 0, 0],
      [-2, 0, 1],
    ]) {
      const [u, v, z] = project(maps[0].matrix, p);
      for (const c of [u, v]) {
        expect(c).toBeGreaterThan(0);
        expect(c).toBeLessThan(1024);
      }
      expect(z).toBeGreaterThan(0);
      expect(z).toBeLessThanOrEqual(1);
    }
  });

  it('has finer texels when it covers less', () => {
    expect(lightsOf('sun', undefined, { distance: 5 }).lights[0].maps[0].texelSize).toBeLessThan(
      lightsOf('sun').lights[0].maps[0].texelSize * 0.6,
    );
  });

  it('puts what is nearer to the sun before what is farther', () => {
    const { matrix } = lightsOf('sun').lights[0].maps[0];
    expect(project(matrix, [0, 2, 0])[2]).toBeGreaterThan(project(matrix, [0, 0, 0])[2]);
  });
});

describe('the maps of lamps', () => {
  it('of a point light are six that share one array without overlap', () => {
    const { lights, all } = lightsOf('point');
    const maps = lights[0].maps;
    expect(maps.map((m) => m.offset)).toEqual([0, 1, 2, 3, 4, 5].map((i) => i * 256 * 256));
    expect(maps.map((m) => m.tileOffset)).toEqual([0, 1, 2, 3, 4, 5].map((i) => i * 2 * 2));
    expect(all).toEqual({ texels: 6 * 256 * 256, blocks: 6 * 16 * 16, tiles: 6 * 2 * 2 });
  });

  it('see every direction in exactly the face that is chosen for it', () => {
    const [light] = lightsOf('point').lights;
    const { maps } = light;
    fc.assert(
      fc.property(
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        (x, y, z) => {
          fc.pre(Math.hypot(x, y, z) > 0.1);
          const [u, v, depth] = project(maps[cubeFace(light, x, y, z)].matrix, [x, 5 + y, z]);
          expect(u).toBeGreaterThan(-1e-6);
          expect(u).toBeLessThan(256 + 1e-6);
          expect(v).toBeGreaterThan(-1e-6);
          expect(v).toBeLessThan(256 + 1e-6);
          expect(depth).toBeGreaterThan(0);
        },
      ),
    );
  });

  it('of a spot hold its whole cone', () => {
    const map = lightsOf('spot').lights[0].maps[0];
    const rim = 5 * Math.tan(0.6);
    for (const [x, z] of [
      [rim, 0],
      [0, rim],
      [-rim * 0.7, rim * 0.7],
    ]) {
      const [u, v] = project(map.matrix, [x, 0, z]);
      expect(Math.min(u, v)).toBeGreaterThan(0);
      expect(Math.max(u, v)).toBeLessThan(256);
    }
  });

  it('begin outside the shell of the lamp', () => {
    const source = sceneOf([quad(5)]);
    source.lights = [light('point', 10, { castsShadow: true, radius: 0.1 })];
    addNode(source, { light: 0, translation: [0, 5, 0] });
    const scene = compileScene(source);
    const { maps } = plan(scene, cameraAt([0, 3, 8], [0, 0, 0]), 1).lights[0];
    // depth is 1 at the near plane: a shell at the radius lies before it
    expect(project(maps[3].matrix, [0, 4.9, 0])[2]).toBeGreaterThan(1);
    expect(project(maps[3].matrix, [0, 4.8, 0])[2]).toBeLessThan(1);
  });
});

describe('lights without shadows', () => {
  it('have no map', () => {
    const source = sceneOf([quad(5)]);
    source.lights = [light('sun', 10), light('point', 0, { castsShadow: true })];
    addNode(source, { light: 0 });
    addNode(source, { light: 1 });
    const scene = compileScene(source);
    const result = plan(scene, cameraAt([0, 3, 8], [0, 0, 0]), 1);
    expect(result.lights.map((l) => l.maps.length)).toEqual([0, 0]);
    expect(result.all.texels).toBe(0);
  });
});
