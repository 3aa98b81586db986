/**
 * Anything that a scene may hold, path traced by compiled loops and by their plain twins: the same random numbers, so the
 * same paths, but for roundings of textures.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import { RenderPool } from '../frame/renderPool';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import type { CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { DEFAULT_MATERIAL, type MaterialSource, type SceneSource } from '../scene/source';
import { addDrawnLight, ANY_IMAGE, anyLight, anyMaterial, furniture, share, triple, within } from '../testing/anything';
import { addNode, cameraAt, environment, light, mapCamera, MATTE, quad } from '../testing/scenes';
import { P_CLAMPED, P_COUNT, PATH_SUMS } from './pathSums';
import { cases } from '../testing/cases';

const WIDTH = 44;
const HEIGHT = 36;
const CAMERA = cameraAt([1.1, 1.7, 2.1], [0, 0.3, 0], 50);
/** A sky of few pixels with a bright one, and what it is seen by. */
const SKY = {
  width: 16,
  height: 8,
  rgb: Float32Array.from({ length: 16 * 8 * 3 }, (_, i) => (i === 90 ? 40 : (i % 5) / 5)),
};
const UNDER_SKY = { ...environment(1), kind: 'picture', picture: 'sky', rotationDeg: 30 } as const;

interface Asked {
  sky?: boolean;
  camera?: CameraView;
}

async function sums(
  source: SceneSource,
  values: TierValues,
  kernels: boolean,
  { sky = false, camera = CAMERA }: Asked = {},
): Promise<Float32Array> {
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  const { lights } = pool.setScene('s', toShared(packScene(compileScene(source)))).meta;
  pool.setPicture('sky', SKY);
  const size = { 'samples.method': 'path', 'output.width': WIDTH, 'output.height': HEIGHT, 'samples.pixel': 2 };
  const recipe = resolveRecipe({ name: 't', draft: { ...size, ...values }, final: {} }, 'draft');
  const request = { sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 };
  if (sky) Object.assign(request, { lighting: { lights, environment: UNDER_SKY } });
  return (await pool.render(request).promise).views.paths.slice();
}

/**
 * The same paths bring the same light. A rounding may send one of a hundred another way: where chances are about equal,
 * past an edge, at a cut-out's rim.
 */
async function compare(source: SceneSource, values: TierValues = {}, asked: Asked = {}): Promise<Float32Array> {
  const [a, b] = [await sums(source, values, true, asked), await sums(source, values, false, asked)];
  expect(a.length).toBe(b.length);
  let most = 0;
  for (const v of b) if (Number.isFinite(v)) most = Math.max(most, Math.abs(v));
  let apart = 0;
  for (let i = 0; i < a.length; i += PATH_SUMS) {
    expect(a[i + P_COUNT]).toBe(b[i + P_COUNT]);
    let same = true;
    for (let k = i; k < i + PATH_SUMS; k++)
      same &&= Object.is(a[k], b[k]) || Math.abs(a[k] - b[k]) <= 1e-3 * Math.abs(b[k]) + 1e-6 * most;
    if (!same) apart++;
  }
  expect(apart / (a.length / PATH_SUMS)).toBeLessThan(0.01);
  return a;
}

const limits = fc.record({
  'bounce.total': fc.integer({ min: 0, max: 6 }),
  'bounce.matte': fc.integer({ min: 0, max: 4 }),
  'bounce.roulette': fc.integer({ min: 1, max: 6 }),
  'bounce.clamp': fc.constantFrom(0, 2),
  'bounce.caustics': fc.boolean(),
  'reflections.bounces': fc.integer({ min: 0, max: 4 }),
  'reflections.through': fc.integer({ min: 0, max: 8 }),
  'samples.filter': fc.constantFrom('box', 'tent', 'gaussian'),
});

describe('compiled paths', () => {
  it('find the same light of lamps of any kind, within any limits', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anyLight, { minLength: 1, maxLength: 4 }), limits, async (all, values) => {
        const source = furniture([MATTE, { ...DEFAULT_MATERIAL, roughness: 0.3 }, { ...MATTE, doubleSided: true }]);
        for (const one of all) addDrawnLight(source, one);
        await compare(source, values);
      }),
      { numRuns: cases(14) },
    );
  });

  it('scatter alike on materials of any kind: glass solid and thin, cut-outs, pictures, glowing ones', async () => {
    const body = fc.record({
      thickness: fc.constantFrom(0, 0, 0.1),
      attenuationColor: triple(within(0.1, 1)),
      attenuationDistance: fc.constantFrom(Infinity, 0.2),
      masked: fc.integer({ min: 0, max: 3 }),
      alphaCutoff: share,
    });
    const materials = fc.tuple(anyMaterial, body).map(([one, { masked, ...more }]): MaterialSource => ({
      ...one,
      ...more,
      ...(masked === 0 && { alphaMode: 'mask' as const }),
    }));
    await fc.assert(
      fc.asyncProperty(
        fc.array(materials, { minLength: 3, maxLength: 3 }),
        fc.option(fc.array(share, { minLength: 16, maxLength: 16 }), { nil: undefined }),
        limits,
        fc.boolean(),
        async (three, corners, values, sky) => {
          const source = furniture(three);
          source.images = [ANY_IMAGE];
          if (corners) source.meshes[0].primitives[2].colors = Float32Array.from(corners);
          source.environment = environment(0.7);
          const lamp = light('point', 6, { castsShadow: true, radius: 0.1 });
          addNode(source, { light: source.lights.push(lamp) - 1, translation: [0.5, 1.6, 0.8] });
          await compare(source, values, { sky });
        },
      ),
      { numRuns: cases(14) },
    );
  });

  it('see the same through lenses with an opening and without perspective, at instants of a shutter', async () => {
    const source = furniture([MATTE, { ...DEFAULT_MATERIAL, roughness: 0.1 }]);
    source.environment = environment(1);
    for (const blades of [0, 6])
      await compare(source, {}, { camera: { ...CAMERA, aperture: { radius: 0.05, focus: 2, blades } } });
    const turning = structuredClone(source);
    turning.animations = [
      {
        node: 0,
        path: 'translation',
        interpolation: 'linear',
        times: Float32Array.of(0, 1),
        values: Float32Array.of(0, 0, 0, 0.3, 0.1, -0.2),
      },
    ];
    await compare(turning, { 'samples.shutter': 4 }, { camera: { ...CAMERA, shutter: { opens: 0, closes: 1 } } });
    await compare(source, {}, { camera: mapCamera(4, 1.4) });
  });

  it('ask portals', async () => {
    const source = furniture([MATTE, { ...DEFAULT_MATERIAL, roughness: 0.2 }]);
    source.environment = environment(1);
    const [without, through] = [source, structuredClone(source)];
    addNode(through, { portal: { width: 2, height: 1 }, translation: [0, 1, 1.6] });
    const [a, b] = [await compare(without, {}, { sky: true }), await compare(through, {}, { sky: true })];
    // other directions are drawn where there is one
    expect(a.some((v, i) => v !== b[i])).toBe(true);
  });

  it('trace shadows through more panes than can be listed', async () => {
    const pane: MaterialSource = { ...DEFAULT_MATERIAL, transmission: 1, roughness: 0, baseColor: [0.99, 1, 0.98, 1] };
    const source = furniture([MATTE, pane]);
    source.meshes[0].primitives.push(...Array.from({ length: 40 }, (_, k) => quad(1, 0.4 + k * 0.02, 1)));
    const lamp = source.lights.push(light('point', 300, { castsShadow: true })) - 1;
    addNode(source, { light: lamp, translation: [0, 2.5, 0] });
    const seen = await compare(source, {}, { camera: cameraAt([0.2, 0.2, 1.4], [0, 0, 0], 50) });
    // direct light under them all, whose red is what forty panes leave of it
    let [red, green] = [0, 0];
    for (let i = 0; i < seen.length; i += PATH_SUMS) {
      red += seen[i];
      green += seen[i + 1];
    }
    expect(green).toBeGreaterThan(0);
    expect(red / green).toBeLessThan(0.99);
  });

  it('leave to the plain loops what has more lamps than they hold', async () => {
    const source = furniture([MATTE]);
    for (let k = 0; k < 1030; k++)
      addNode(source, {
        light: source.lights.push(light('point', 0.02)) - 1,
        translation: [Math.cos(k), 1 + (k % 7) / 10, Math.sin(k)],
      });
    const [a, b] = [await sums(source, {}, true), await sums(source, {}, false)];
    let light_ = 0;
    a.forEach((v, i) => {
      if (i % PATH_SUMS < 12) light_ += v;
      if (i % PATH_SUMS < P_CLAMPED) expect(Math.abs(v - b[i])).toBeLessThanOrEqual(1e-3 * Math.abs(b[i]) + 1e-3);
    });
    expect(light_).toBeGreaterThan(0);
  });
});
