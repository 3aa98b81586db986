import { describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { MaterialSource, PrimitiveSource, TextureUse, Wrap } from '../scene/source';
import { addNode, cameraAt, DOWN, environment, light, mapCamera, MATTE, quad, sceneOf } from '../testing/scenes';
import type { CameraView } from '../scene/camera';
import type { FrameViews } from './frameMemory';
import { createLocalPort } from './localPort';
import { RenderPool } from './renderPool';

/** A floor under a cut-out sheet, a sheet of blue glass and a solid one, lit by sun, lamp and sky. @param away from the origin */
function scene(away: readonly number[] = [0, 0, 0]) {
  const holes = new Uint8Array(32 * 32 * 4);
  for (let i = 0; i < 32 * 32; i++) holes.set([200, 220, 160, (((i % 32) >> 2) + (i >> 7)) % 2 === 0 ? 255 : 0], i * 4);
  const leaf: MaterialSource = {
    ...MATTE,
    name: 'leaf',
    alphaMode: 'mask',
    doubleSided: true,
    baseColorTexture: { image: 0, wrapS: 'repeat', wrapT: 'repeat' },
  };
  const glass: MaterialSource = { ...MATTE, name: 'glass', transmission: 1, roughness: 0, baseColor: [0.6, 0.7, 1, 1] };
  const metal: MaterialSource = { ...MATTE, name: 'metal', metallic: 1, roughness: 0.3 };
  // every slot has a picture, moved, mirrored or clamped, on a sheet whose corners have colours
  const bumps = Uint8Array.from({ length: 16 * 16 * 4 }, (_, i) => (i % 4 === 2 ? 230 : (i * 37) % 256));
  const use = (image: number, wrapS: Wrap, turn: boolean): TextureUse => ({
    image,
    wrapS,
    wrapT: wrapS === 'clamp' ? 'mirror' : 'clamp',
    ...(turn && { transform: [0.8, -0.6, 0.1, 0.6, 0.8, -0.3] }),
  });
  const rich: MaterialSource = {
    ...MATTE,
    name: 'rich',
    doubleSided: true,
    baseColorTexture: use(0, 'mirror', true),
    metallicRoughnessTexture: use(1, 'repeat', false),
    occlusionTexture: use(1, 'repeat', false),
    emissiveTexture: use(1, 'clamp', true),
    normalTexture: use(1, 'repeat', true),
    emissive: [0.2, 0.1, 0.3],
    metallic: 0.7,
    roughness: 0.9,
  };
  const sheet = {
    ...quad(0.6, 0.7, 4),
    colors: Float32Array.of(1, 0.5, 0.2, 1, 1, 1, 1, 1, 0.3, 1, 0.6, 1, 0, 1, 1, 1),
  };
  const source = sceneOf(
    [quad(5), quad(0.8, 0.5, 1), quad(0.5, 0.9, 2), quad(0.35, 1.4, 3), sheet],
    [MATTE, leaf, glass, metal, rich],
  );
  source.images = [
    { name: 'holes', width: 32, height: 32, pixels: holes },
    { name: 'bumps', width: 16, height: 16, pixels: bumps },
  ];
  source.environment = environment(0.4);
  addNode(source, { light: source.lights.push(light('sun', 3, { castsShadow: true })) - 1, rotation: DOWN });
  const lamp = light('area', 4, { shape: 'square', width: 0.6, castsShadow: true });
  addNode(source, { translation: [0.4, 2.2, 0.2], rotation: DOWN, light: source.lights.push(lamp) - 1 });
  // just above the glass: neighbours on the floor see it through the maps of different directions
  const bulb = light('point', 3, { castsShadow: true });
  addNode(source, { translation: [0.3, 1, 0.1], light: source.lights.push(bulb) - 1 });
  for (const { translation: t } of source.nodes) for (let k = 0; k < 3; k++) t[k] += away[k];
  return toShared(packScene(compileScene(source)));
}

/** A sky of few pixels, which smooth metal mirrors sharply. */
const SKY = { width: 16, height: 8, rgb: Float32Array.from({ length: 16 * 8 * 3 }, (_, i) => ((i * 7) % 13) / 5) };
const UNDER_SKY = { ...environment(1), kind: 'picture', picture: 'sky', rotationDeg: 30 } as const;

/** What is asked for besides settings. */
interface Asked {
  sky?: boolean;
  camera?: CameraView;
  /** Where the scene stands. */
  away?: readonly number[];
}

async function frame(kernels: boolean, values: TierValues, asked: Asked = {}): Promise<FrameViews> {
  const { sky = false, away = [0, 0, 0] } = asked;
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  const { lights } = pool.setScene('s', scene(away)).meta;
  pool.setPicture('sky', SKY);
  const size = { 'output.width': 96, 'output.height': 64, 'samples.pixel': 4 };
  const all = { ...size, 'lens.tone': 'none', 'shadows.lightSamples': 1, ...values };
  const recipe = resolveRecipe({ name: 't', draft: all, final: {} }, 'draft');
  const aperture = values.lens ? { radius: 0.05, focus: 2, blades: 6 } : undefined;
  const [x, y, z] = away;
  const camera = asked.camera ?? { ...cameraAt([1.6 + x, 1.9 + y, 1.8 + z], [x, 0.4 + y, z]), aperture };
  const request = { sceneId: 's', recipe, camera, timeSeconds: 0, seed: 3 };
  if (sky) Object.assign(request, { lighting: { lights, environment: UNDER_SKY } });
  return (await pool.render(request).promise).views;
}

async function beauty(kernels: boolean, values: TierValues): Promise<Float32Array> {
  return (await frame(kernels, values)).beauty;
}

/** How many numbers differ at all. */
function countOther<T extends Float32Array | Uint8Array | Uint32Array>(a: T, b: T): number {
  let other = 0;
  for (let i = 0; i < a.length; i++) if (!Object.is(a[i], b[i])) other++;
  return other;
}

/** How many numbers differ by more than a part of their size, or of a hundredth where they are less. */
function countApart(a: Float32Array, b: Float32Array, part: number): number {
  return a.reduce((n, x, i) => n + (Math.abs(x - b[i]) <= part * Math.max(0.01, Math.abs(b[i])) ? 0 : 1), 0);
}

/** Not a setting: asks `frame` for an opening. */
const LENS = { lens: true };

/** Everything the rasteriser can do with light. */
const RASTERISED: [string, TierValues][] = [
  ['hard shadows', { 'shadows.filter': 'hard' }],
  ['narrow filtered shadows', { 'shadows.filter': 'pcf', 'shadows.taps': 3, 'shadows.radius': 1.5 }],
  ['filtered shadows', { 'shadows.filter': 'pcf', 'shadows.taps': 5, 'shadows.radius': 3 }],
  ['cascades', { 'shadows.cascades': 4, 'shadows.distance': 6 }],
  ['moment shadows', { 'shadows.filter': 'moment' }],
  ['coarse depth and own biases', { 'shadows.depthFormat': '16', 'shadows.autoBias': false, 'shadows.slopeBias': 1.5 }],
  ['positions on lights', { 'shadows.lightSamples': 4 }],
  ['places that every sample has for itself', { 'shadows.lightSamples': 0, 'samples.pixel': 9 }],
  ['contact shadows', { 'shadows.contactLength': 0.3 }],
  ['glow, vignette and a tone curve', { 'lens.bloom': 20, 'lens.vignette': 60, 'lens.tone': 'neutral' }],
  ['rounding without noise, rough textures', { 'output.dither': false, 'reflections.steady': false }],
  ['another scale', { 'samples.scale': 150, 'samples.filter': 'tent' }],
  ['nothing mirrored', { 'reflections.environment': 0 }],
  ['one layer of glass', { 'geometry.glassLayers': 1 }],
  ['instants of a shutter', { 'samples.pixel': 2, 'samples.shutter': 3 }],
  ['a lens with an opening', { 'samples.pixel': 3, 'shadows.contactLength': 0.3, ...LENS }],
];

/**
 * The compiled loops shade in floats, their twins in doubles; what is seen where is decided to the same bits.
 * @param some times as many numbers may be apart a little
 */
function expectAlike(a: FrameViews, b: FrameViews, some = 1): void {
  expect(countOther(a.objectId, b.objectId)).toBe(0);
  expect(countApart(a.depth, b.depth, 1e-6)).toBe(0);
  // across triangles of a tenth of a pixel floats tell places within a hundred thousandth
  expect(a.normal.every((x, i) => Math.abs(x - b.normal[i]) < 2e-5)).toBe(true);
  // half-shadows slide over texels: there floats differ most
  expect(countApart(a.beauty, b.beauty, 1e-3)).toBeLessThanOrEqual(some - 1);
  expect(countApart(a.beauty, b.beauty, 5e-5) / a.beauty.length).toBeLessThan(1e-3 * some);
  expect(countApart(a.sums, b.sums, 1e-5) / a.sums.length).toBeLessThan(0.02);
  expect(a.display.every((x, i) => Math.abs(x - b.display[i]) <= 1)).toBe(true);
  expect(countOther(a.display, b.display) / a.display.length).toBeLessThan(1e-3);
}

describe('compiled and plain loops', () => {
  it('agree under the picture of a sky', async () => {
    const [a, b] = [await frame(true, {}, { sky: true }), await frame(false, {}, { sky: true })];
    const without = await frame(true, {});
    expect(countOther(a.beauty, without.beauty)).toBeGreaterThan(1000);
    expectAlike(a, b);
  });

  it.each(RASTERISED)('see the same and light it alike, rasterised with %s', async (_name, values) => {
    const [a, b] = [await frame(true, values), await frame(false, values)];
    expect(a.beauty.some((x) => x > 0)).toBe(true);
    expectAlike(a, b);
  });

  it.each<[string, TierValues]>([
    ['by their filter', { 'shadows.filter': 'soft' }],
    ['where a pixel takes few samples', { 'shadows.lightSamples': 0 }],
  ])('soften lights with extent alike %s', async (_name, values) => {
    const [a, b] = [await frame(true, values), await frame(false, values)];
    const hard = await frame(true, {});
    expect(countApart(a.beauty, hard.beauty, 0.02)).toBeGreaterThan(500);
    // the width of an edge is a quotient of small differences of depths
    expectAlike(a, b, 10);
  });

  it.each<[string, TierValues]>([
    ['at full size', {}],
    ['at half size', { 'bounce.occlusionScale': 'half', 'bounce.occlusionDirections': 8 }],
    ['straight and half as strong', { 'bounce.occlusionBent': false, 'bounce.occlusionStrength': 50 }],
  ])('keep light from around out alike, %s', async (_name, more) => {
    const values = { 'bounce.occlusion': true, 'bounce.occlusionRadius': 0.6, ...more };
    const [a, b] = [await frame(true, values), await frame(false, values)];
    const open = await frame(true, {});
    expect(countOther(a.objectId, b.objectId)).toBe(0);
    expect(countApart(a.beauty, open.beauty, 0.02)).toBeGreaterThan(500);
    // a step that falls on the edge of a pixel may fall to either side of it, and takes up another depth then
    expect(countApart(a.beauty, b.beauty, 1e-3) / a.beauty.length).toBeLessThan(0.02);
    const sum = (x: Float32Array): number => x.reduce((s, v) => s + v, 0);
    expect(Math.abs(sum(a.beauty) / sum(b.beauty) - 1)).toBeLessThan(2e-5);
  });

  it.each<[string, Asked]>([
    ['through a parallel lens', { camera: mapCamera(4, 1.4) }],
    ['straight down', { camera: cameraAt([0, 3, 0.001], [0, 0, 0]) }],
    // floats tell a thousandth of a metre here, and the loops tell places from the camera
    ['ten kilometres from the origin', { away: [8192, 16, -6144] }],
  ])('see the same and light it alike %s', async (_name, asked) => {
    expectAlike(await frame(true, {}, asked), await frame(false, {}, asked));
  });

  it.each([0.02, 0.1, 0.5])(
    'mirror a sun as GGX says on metal of roughness %s, at the peak and beside it',
    async (roughness) => {
      const alpha2 = Math.max(0.0016, roughness ** 2) ** 2;
      const source = sceneOf([quad(2)], [{ ...MATTE, baseColor: [1, 1, 1, 1], metallic: 1, roughness, specular: 1 }]);
      addNode(source, { light: source.lights.push(light('sun', 20)) - 1, rotation: DOWN });
      const pool = new RenderPool([createLocalPort(() => performance.now())], true);
      pool.setScene('s', toShared(packScene(compileScene(source))));
      const values = { 'output.width': 65, 'output.height': 65, 'samples.pixel': 1, 'samples.radius': 0.5 };
      const recipe = resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
      // straight down with the sun: the half vector stands at half the angle of the view
      const camera = cameraAt([0, 3, 1e-9], [0, 0, 0], 2);
      const { views } = await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 3 }).promise;
      let checked = 0;
      for (let x = 0; x < 65; x++) {
        const i = 32 * 65 + x;
        const n = views.depth[i];
        const tangent = ((x - 32) / 32.5) * Math.tan(Math.PI / 180);
        if (n === 0) continue;
        const nv = 1 / Math.sqrt(1 + tangent * tangent);
        const nh = Math.cos(Math.atan(tangent) / 2);
        const d = alpha2 / (Math.PI * (1 - nh * nh + nh * nh * alpha2) ** 2);
        const v = 0.5 / (Math.sqrt(nv * nv * (1 - alpha2) + alpha2) + nv);
        const direct = views.sums[i * 16 + 1];
        if (20 * d * v < 1e-3) continue;
        // what bounces between facets adds some on rough metal (Turquin 2019)
        expect(direct / (20 * d * v)).toBeGreaterThan(0.985);
        expect(direct / (20 * d * v)).toBeLessThan(1.01 + 0.35 * roughness);
        checked++;
      }
      expect(checked).toBeGreaterThan(30);
    },
  );

  it('tell materials of neighbours apart, however many there are', async () => {
    const count = 33;
    // every sixteenth material, in strips narrower than four pixels
    const strips = Array.from({ length: count }, (_, k): PrimitiveSource => {
      const [left, right] = [(2 * k) / count - 1, (2 * k + 2) / count - 1];
      const positions = Float32Array.of(left, 0, 1, right, 0, 1, right, 0, -1, left, 0, -1);
      return { ...quad(1), positions, material: (k * 16) % count };
    });
    const materials = Array.from({ length: count }, (_, k): MaterialSource => {
      return { ...MATTE, name: `m${k}`, baseColor: [k / count, 1 - k / count, (k % 5) / 5, 1] };
    });
    const source = sceneOf(strips, materials);
    source.environment = environment(1);
    const buffer = toShared(packScene(compileScene(source)));
    const recipe = resolveRecipe(
      { name: 't', draft: { 'output.width': 80, 'output.height': 8, 'samples.pixel': 1 }, final: {} },
      'draft',
    );
    const draw = async (kernels: boolean): Promise<FrameViews> => {
      const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
      pool.setScene('s', buffer);
      return (await pool.render({ sceneId: 's', recipe, camera: mapCamera(2, 0.1), timeSeconds: 0, seed: 1 }).promise)
        .views;
    };
    expectAlike(await draw(true), await draw(false));
  });

  it('are as good far from the origin as near it', async () => {
    const [near, far] = [await frame(true, {}), await frame(true, {}, { away: [8192, 16, -6144] })];
    // corners are on other thousandths of a metre there
    expect(countApart(far.beauty, near.beauty, 0.02) / near.beauty.length).toBeLessThan(0.05);
  });

  it.each<[string, TierValues]>([
    ['path traced', { 'samples.method': 'path' }],
    ['rasterised with traced shadows', { 'shadows.method': 'traced', 'shadows.lightSamples': 4 }],
  ])('give the same picture, %s, but for rays within a hair of an edge', async (_name, values) => {
    const [a, b] = [await beauty(true, values), await beauty(false, values)];
    let other = 0;
    let [sumA, sumB] = [0, 0];
    for (let i = 0; i < a.length; i++) {
      if (Math.abs(a[i] - b[i]) > 1e-5 * Math.max(1, b[i])) other++;
      sumA += a[i];
      sumB += b[i];
    }
    expect(sumA).toBeGreaterThan(0);
    expect(other / a.length).toBeLessThan(0.01);
    expect(Math.abs(sumA / sumB - 1)).toBeLessThan(1e-3);
  });
});
