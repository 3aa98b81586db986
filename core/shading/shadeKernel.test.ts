/**
 * Anything that a scene may hold, shaded by compiled loops (in floats, four neighbours at a time) and by their plain twins
 * (in doubles, one by one).
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import type { FrameViews } from '../frame/frameMemory';
import { RenderPool } from '../frame/renderPool';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { CameraView } from '../scene/camera';
import { DEFAULT_MATERIAL, type PrimitiveSource, type SceneSource, type TextureUse } from '../scene/source';
import type { EnvironmentSource } from '../light/surroundings/document';
import { SUM_LIT, SUMS } from '../light/components';
import { addDrawnLight, ANY_IMAGE, anyLight, anyMaterial, furniture, share, triple, within } from '../testing/anything';
import { addNode, cameraAt, environment, light, MATTE, quad, sceneOf } from '../testing/scenes';
import { cases } from '../testing/cases';

const WIDTH = 68;
const HEIGHT = 44;
const LOOK = cameraAt([1.1, 1.7, 2.1], [0, 0.3, 0], 50);
/** Changes with height and all around. */
const SKY: EnvironmentSource = {
  ...environment(1),
  kind: 'gradient',
  stops: [
    { y: -1, radiance: [0.1, 0.2, 0.1] },
    { y: 0.1, radiance: [1, 0.8, 0.6] },
    { y: 1, radiance: [0.1, 0.3, 0.9] },
  ],
  glow: { direction: [0.4, 0.4, -1], radiance: [3, 2, 1], sharpness: 8 },
};

/** A square that bends in the middle, facing the camera. */
function fan(x: number, y: number, material: number): PrimitiveSource {
  const [a, b] = [x + 0.25, y + 0.25];
  const positions = Float32Array.of(x, y, 0, a, y, 0, a, b, 0, x, b, 0);
  const normals = Float32Array.of(-0.6, -0.6, 0.5, 0.6, -0.6, 0.5, 0.6, 0.6, 0.5, -0.6, 0.6, 0.5);
  return { positions, normals, indices: Uint32Array.of(0, 1, 2, 0, 2, 3), material };
}

async function draw(
  source: SceneSource,
  values: TierValues,
  kernels: boolean,
  camera: CameraView = LOOK,
): Promise<FrameViews> {
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  pool.setScene('s', toShared(packScene(compileScene(source))));
  const size = { 'output.width': WIDTH, 'output.height': HEIGHT, 'samples.pixel': 1, 'shadows.resolution': 256 };
  const recipe = resolveRecipe({ name: 't', draft: { ...size, ...values }, final: {} }, 'draft');
  return (await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 }).promise).views;
}

/**
 * Nothing may differ but light, by a thousandth of the brightest; a few numbers may by more: a depth beside the map's by a
 * hair falls to the other side, and one comparison of the filter with it.
 */
async function compare(source: SceneSource, values: TierValues, camera = LOOK): Promise<FrameViews> {
  const [a, b] = [await draw(source, values, true, camera), await draw(source, values, false, camera)];
  let most = 0;
  for (const v of b.sums) most = Math.max(most, Math.abs(v));
  let apart = 0;
  a.sums.forEach((v, i) => {
    // what is no number on one side alone is apart as well
    if (!(Math.abs(v - b.sums[i]) <= 1e-3 * Math.abs(b.sums[i]) + 1e-5 * most) && !Object.is(v, b.sums[i])) apart++;
  });
  expect(apart / a.sums.length).toBeLessThan(2e-3);
  expect(a.objectId).toEqual(b.objectId);
  return a;
}

describe('lights of any kind', () => {
  const settings = fc.record({
    'shadows.filter': fc.constantFrom('hard', 'pcf', 'soft', 'moment'),
    'shadows.taps': fc.integer({ min: 2, max: 9 }),
    'shadows.radius': fc.constantFrom(0.5, 1, 1.25, 1.5, 1.75, 2.5, 4),
    'shadows.cascades': fc.constantFrom(1, 3),
    'shadows.distance': fc.constantFrom(2, 8),
    'shadows.autoBias': fc.boolean(),
  });

  it('light alike past any filter', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anyLight, { minLength: 1, maxLength: 4 }), settings, async (all, values) => {
        const source = furniture([MATTE, { ...DEFAULT_MATERIAL, roughness: 0.3 }, { ...MATTE, doubleSided: true }]);
        for (const one of all) addDrawnLight(source, one);
        await compare(source, values);
      }),
      { numRuns: cases(12) },
    );
  });
});

describe('filtered shadows', () => {
  it.each([2, 3])('of %s comparisons pass all light, to the bit, where nothing is in the way', async (taps) => {
    const source = furniture([MATTE]);
    addNode(source, {
      light: source.lights.push(light('point', 6, { castsShadow: true })) - 1,
      translation: [0.5, 1.6, 1],
    });
    const values = { 'shadows.filter': 'pcf', 'shadows.taps': taps, 'shadows.radius': taps / 2 - 0.23 };
    const { sums, objectId } = await draw(source, values, true);
    let [whole, nearly] = [0, 0];
    for (let i = 0; i < WIDTH * HEIGHT; i++) {
      if (objectId[i] === 0) continue;
      const lit = sums[i * SUMS + SUM_LIT];
      if (lit === 1) whole++;
      else if (lit > 0.99999) nearly++;
    }
    expect(whole).toBeGreaterThan(500);
    expect(nearly).toBe(0);
  });
});

describe('materials of any kind', () => {
  it('shine, mirror and let light through alike, with pictures and colours of their corners', async () => {
    const colours = fc.array(share, { minLength: 16, maxLength: 16 });
    await fc.assert(
      fc.asyncProperty(
        fc.array(anyMaterial, { minLength: 3, maxLength: 3 }),
        fc.option(colours, { nil: undefined }),
        fc.integer({ min: 1, max: 4 }),
        async (materials, corners, layers) => {
          const source = furniture(materials);
          source.images = [ANY_IMAGE];
          if (corners) source.meshes[0].primitives[2].colors = Float32Array.from(corners);
          source.environment = environment(0.7);
          const lamp = light('point', 6, { castsShadow: true });
          addNode(source, { light: source.lights.push(lamp) - 1, translation: [0.5, 1.6, 0.8] });
          await compare(source, { 'geometry.glassLayers': layers });
        },
      ),
      { numRuns: cases(12) },
    );
  });

  it('that mirror stay as smooth as they are under a normal texture that is seen from near', async () => {
    const bumps: TextureUse = { image: 0, wrapS: 'repeat', wrapT: 'repeat' };
    const source = furniture([{ ...DEFAULT_MATERIAL, roughness: 0, normalTexture: bumps }]);
    // texels several pixels wide: nothing is averaged, so nothing may be widened, however lengths are rounded
    source.images = [{ ...ANY_IMAGE, width: 4, height: 4, pixels: ANY_IMAGE.pixels.slice(0, 64) }];
    source.environment = environment(0.7);
    for (const kernels of [true, false]) {
      const [steady, raw] = [
        await draw(source, { 'reflections.steady': true }, kernels),
        await draw(source, { 'reflections.steady': false }, kernels),
      ];
      let other = 0;
      steady.sums.forEach((v, i) => (other += Math.abs(v - raw.sums[i]) > 1e-4 ? 1 : 0));
      expect(other).toBe(0);
    }
  });

  it('mirror a sky alike, more of them than the loops keep at a time', async () => {
    const roughness = Array.from({ length: 40 }, (_, i) => i / 39);
    const source = sceneOf(
      roughness.map((_, i) => fan((i % 8) * 0.3 - 1, Math.floor(i / 8) * 0.3 - 0.7, i)),
      roughness.map((rough, i) => ({
        ...DEFAULT_MATERIAL,
        name: `m${i}`,
        baseColor: [0.9, 0.7, 0.5, 1],
        metallic: i % 3 === 0 ? 1 : 0,
        roughness: rough,
      })),
    );
    source.environment = SKY;
    await compare(source, {});
  });

  it('that mirror are as bright as what is around them, however rough', async () => {
    // white metal in an even surround vanishes: what it does not mirror at once it mirrors after bouncing between facets
    for (const roughness of [0, 0.2, 0.5, 1]) {
      const source = furniture([{ ...DEFAULT_MATERIAL, baseColor: [1, 1, 1, 1], metallic: 1, roughness }]);
      source.environment = environment(2);
      const { sums, objectId } = await draw(source, {}, true);
      for (let i = 0; i < WIDTH * HEIGHT; i++) {
        if (objectId[i] === 0) continue;
        for (let c = 6; c < 9; c++) expect(sums[i * 16 + c] / 2).toBeCloseTo(1, 2);
      }
    }
  });
});

describe('a sky', () => {
  const stops = fc
    .array(fc.record({ y: fc.constantFrom(-1, -0.3, 0, 0, 0.1, 0.5, 1), radiance: triple(share) }), {
      minLength: 1,
      maxLength: 20,
    })
    .map((list) => list.sort((a, b) => a.y - b.y));
  const glow = fc.record({
    direction: triple(fc.constantFrom(-1, -0.2, 0.4, 1)),
    radiance: triple(within(0, 5)),
    sharpness: within(0, 400),
  });

  it('of any stops and any glow is seen alike, past things and through glass', async () => {
    await fc.assert(
      fc.asyncProperty(
        stops,
        fc.option(glow, { nil: undefined }),
        within(0, 360),
        fc.boolean(),
        async (all, lobe, rotationDeg, parallel) => {
          const source = furniture([MATTE, { ...MATTE, transmission: 1, baseColor: [0.5, 1, 0.5, 1] }]);
          source.environment = { ...SKY, stops: all, glow: lobe, rotationDeg, cameraStrength: 0.7 };
          const view = cameraAt([1.1, 0.7, 2.1], [0, 0.6, 0], 70);
          const lens = { ...view.lens, kind: 'orthographic' as const, ymag: 1.2 };
          await compare(source, {}, parallel ? { ...view, lens } : view);
        },
      ),
      { numRuns: cases(16) },
    );
  });
});

describe('rows of a tile', () => {
  it.each([16, 17, 18, 19, 63, 64, 65, 130])('end where the picture does, %s pixels wide', async (width) => {
    const source = furniture([MATTE, { ...MATTE, transmission: 1, baseColor: [0.5, 1, 0.5, 1] }]);
    source.environment = environment(1);
    await compare(source, { 'output.width': width });
  });

  it.each(['alone', 'in shadow'])('do not depend on what stands beside a pixel, %s', async (where) => {
    // the same surface alone and with glass before parts of it: where there is none it is the same to the bit
    const alone = furniture([{ ...MATTE, roughness: 0.6 }, MATTE, { ...DEFAULT_MATERIAL, roughness: 0.3 }]);
    alone.environment = environment(1);
    addNode(alone, {
      light: alone.lights.push(light('point', 6, { castsShadow: where === 'in shadow' })) - 1,
      translation: [0.5, 1.6, 1],
    });
    const values = { 'shadows.glass': false, 'shadows.filter': 'pcf', 'shadows.taps': 3, 'shadows.radius': 1.5 };
    const pane: PrimitiveSource = { ...quad(0.6, 0.9, alone.materials.length) };
    const behind = structuredClone(alone);
    behind.materials.push({ ...DEFAULT_MATERIAL, name: 'pane', transmission: 1, doubleSided: true });
    behind.meshes[0].primitives.push(pane);
    const [a, b] = [await draw(alone, values, true), await draw(behind, values, true)];
    let [same, covered] = [0, 0];
    for (let i = 0; i < WIDTH * HEIGHT; i++) {
      if (b.overlaid[i] !== 0) {
        covered++;
        continue;
      }
      for (let c = 0; c < 14; c++) expect(a.sums[i * 16 + c]).toBe(b.sums[i * 16 + c]);
      same++;
    }
    expect(covered).toBeGreaterThan(50);
    expect(same).toBeGreaterThan(500);
  });
});
