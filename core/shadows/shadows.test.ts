import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addNode, beautyAt, cameraAt, DOWN, light, mapCamera, quad, render, sceneOf } from '../testing/scenes';
import type { SceneSource } from '../scene/source';
import { filterShadow } from './readShadow';
import { blocksAcross, SHADOW_BLOCK_SHIFT } from './shadowMap';
import type { ShadowView } from '../light/shadowView';
import { cases } from '../testing/cases';

/** A floor and a square plate of half a metre over it, lit straight from above. */
function plateOverFloor(kind: 'sun' | 'point' | 'spot', lightHeight: number): SceneSource {
  const scene = sceneOf([quad(3)]);
  scene.meshes.push({ name: 'plate', primitives: [quad(0.5)] });
  scene.materials[0] = { ...scene.materials[0], doubleSided: true };
  addNode(scene, { mesh: 1, translation: [0, 1, 0] });
  scene.lights = [
    light(kind, kind === 'sun' ? Math.PI * 2 : 1000, { castsShadow: true, outerConeRad: 1.2, innerConeRad: 1.1 }),
  ];
  addNode(scene, { light: 0, rotation: DOWN, translation: [0, lightHeight, 0] });
  return scene;
}

const HARD = {
  'shadows.filter': 'hard',
  'shadows.resolution': 2048,
  'shadows.localResolution': 1024,
  'output.width': 200,
  'output.height': 200,
};

/** Half width of the dark middle of the floor, metres: the camera looks from below the plate's height. */
async function shadowHalfWidth(scene: SceneSource): Promise<number> {
  // from under the plate, parallel, two metres across: 0.02 m a pixel
  const frame = await render(scene, mapCamera(0.9, 2), HARD);
  let dark = 0;
  for (let x = 0; x < 200; x++) if (beautyAt(frame, x, 100)[0] === 0) dark++;
  return (dark * 0.02) / 2;
}

describe('shadow edges', () => {
  it('of a sun lie straight below the plate', async () => {
    expect(await shadowHalfWidth(plateOverFloor('sun', 5))).toBeCloseTo(0.5, 1);
  });

  it.each(['point', 'spot'] as const)(
    'of a %s light grow with the distance, as similar triangles say',
    async (kind) => {
      // light at 3 m, plate at 1 m: the shadow on the floor is 3 / 2 as wide
      const half = await shadowHalfWidth(plateOverFloor(kind, 3));
      expect(Math.abs(half - 0.75)).toBeLessThan(0.025);
    },
  );

  it('soften over the width of the filter', async () => {
    const scene = plateOverFloor('sun', 5);
    const width = async (radius: number): Promise<number> => {
      const settings = {
        ...HARD,
        'shadows.filter': 'pcf',
        'shadows.taps': 9,
        'shadows.radius': radius,
        'shadows.resolution': 256,
      };
      const frame = await render(scene, mapCamera(0.9, 1), settings);
      let soft = 0;
      const lit = beautyAt(frame, 5, 100)[0];
      for (let x = 100; x < 200; x++) {
        const v = beautyAt(frame, x, 100)[0] / lit;
        if (v > 0.02 && v < 0.98) soft++;
      }
      return soft;
    };
    const [narrow, wide] = [await width(1), await width(3)];
    expect(wide / narrow).toBeGreaterThan(2.2);
    expect(wide / narrow).toBeLessThan(3.8);
  });
});

describe('bias', () => {
  it('keeps an open plane under a grazing sun free of acne', async () => {
    const scene = sceneOf([quad(10)]);
    scene.lights = [light('sun', 1000, { castsShadow: true })];
    // six degrees over the horizon
    const half = ((-90 + 84) / 2) * (Math.PI / 180);
    addNode(scene, { light: 0, rotation: [Math.sin(half), 0, 0, Math.cos(half)] });
    const frame = await render(scene, cameraAt([0, 2, 6], [0, 0, 0]), {
      'shadows.resolution': 1024,
      'output.width': 160,
      'output.height': 120,
    });
    const lit = frame.views.objectId.reduce((n, id) => n + (id > 0 ? 1 : 0), 0);
    let dark = 0;
    frame.views.objectId.forEach((id, i) => {
      if (id > 0 && frame.views.sums[i * 16] === 0) dark++;
    });
    expect(lit).toBeGreaterThan(8000);
    expect(dark / lit).toBeLessThan(0.002);
  });

  it('of nothing shows acne there: the measure can fail', async () => {
    const scene = sceneOf([quad(10)]);
    scene.lights = [light('sun', 1000, { castsShadow: true })];
    const half = ((-90 + 84) / 2) * (Math.PI / 180);
    addNode(scene, { light: 0, rotation: [Math.sin(half), 0.02, 0, Math.cos(half)] });
    const settings = {
      'shadows.resolution': 512,
      'shadows.autoBias': false,
      'shadows.slopeBias': 0,
      'shadows.normalOffset': 0,
      'shadows.depthFormat': '16',
    };
    const frame = await render(scene, cameraAt([0, 2, 6], [0, 0, 0]), settings);
    let dark = 0;
    for (let i = 0; i < 64 * 64; i++) if (frame.views.objectId[i] > 0 && frame.views.sums[i * 16 + 13] < 0.5) dark++;
    expect(dark).toBeGreaterThan(100);
  });
});

describe('reading a map', () => {
  const n = 64;
  const view: ShadowView = {
    matrix: new Float64Array(16),
    resolution: n,
    texelSize: 1,
    perspective: false,
    depthScale: 1,
    span: 1,
    end: Infinity,
    depthCodes: 0,
    offset: 0,
    blockOffset: 0,
    tileOffset: 0,
  };
  const across = blocksAcross(n);

  it('gives the same through the blocks as by looking at every texel', () => {
    const texels = Float32Array.from({ length: n * n }, (_, i) => ((i * 7919) % 97) / 97);
    // large calm areas, so that blocks decide
    for (let y = 0; y < n; y++) for (let x = 0; x < n; x++) if (x < 32) texels[y * n + x] = 0.5;
    const blocks = new Float32Array(across * across * 2);
    const unsure = new Float32Array(across * across * 2);
    for (let b = 0; b < across * across; b++) {
      const side = 1 << SHADOW_BLOCK_SHIFT;
      let low = Infinity;
      let high = 0;
      for (let y = 0; y < side; y++)
        for (let x = 0; x < side; x++) {
          const z = texels[(Math.floor(b / across) * side + y) * n + (b % across) * side + x];
          low = Math.min(low, z);
          high = Math.max(high, z);
        }
      blocks.set([low, high], b * 2);
      unsure.set([-1, 9], b * 2);
    }
    const place = fc.double({ min: -4, max: 68, noNaN: true });
    fc.assert(
      fc.property(
        place,
        place,
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.integer({ min: 2, max: 6 }),
        fc.boolean(),
        (u, v, depth, taps, clamp) => {
          const quick = filterShadow(texels, blocks, view, u, v, depth, taps, 0.8, clamp);
          const slow = filterShadow(texels, unsure, view, u, v, depth, taps, 0.8, clamp);
          expect(quick).toBeCloseTo(slow, 12);
        },
      ),
      { numRuns: cases(2000) },
    );
  });

  it('slides smoothly: no jump as the place moves', () => {
    const texels = Float32Array.from({ length: n * n }, (_, i) => (i % n < 32 ? 1 : 0));
    const unsure = new Float32Array(across * across * 2).map((_, i) => (i % 2 === 0 ? -1 : 9));
    let last = filterShadow(texels, unsure, view, 20, 30, 0.5, 3, 1, false);
    for (let u = 20; u < 44; u += 0.05) {
      const now = filterShadow(texels, unsure, view, u, 30, 0.5, 3, 1, false);
      expect(Math.abs(now - last)).toBeLessThan(0.02);
      expect(now).toBeGreaterThanOrEqual(last - 1e-12);
      last = now;
    }
    expect(last).toBe(1);
  });
});
