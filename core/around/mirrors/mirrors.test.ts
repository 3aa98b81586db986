import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../../frame/localPort';
import { RenderPool, type RenderedFrame } from '../../frame/renderPool';
import { resolveRecipe, type TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import { compileScene } from '../../scene/compileScene';
import { packScene, toShared } from '../../scene/packScene';
import { DEFAULT_MATERIAL, type MaterialSource, type SceneSource } from '../../scene/source';
import { blocks, box, grey, layerMean, room } from '../../testing/rooms';
import { cameraAt, environment, mapCamera, MATTE, quad, render, sceneOf } from '../../testing/scenes';

const SIDE = 24;
const TRACED = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 64, 'lens.tone': 'none' },
  ...{ 'reflections.method': 'traced', 'bounce.method': 'traced', 'bounce.total': 4 },
} satisfies TierValues;
const drawn = (source: SceneSource, camera: CameraView, values: TierValues): Promise<RenderedFrame> =>
  render(source, camera, { ...TRACED, ...values });
const mirrored = async (...wish: Parameters<typeof drawn>): Promise<number> =>
  layerMean(await drawn(...wish), 'reflection');
const metal = (roughness: number, level = 1): MaterialSource => ({
  ...{ ...DEFAULT_MATERIAL, name: 'metal', metallic: 1, roughness, doubleSided: true },
  baseColor: [level, level, level, 1],
});

/** The room of the tests with a floor of this. */
function floored(material: MaterialSource): SceneSource {
  const source = room();
  source.meshes.push({ name: 'floor', primitives: [quad(1, 0, source.materials.push(material) - 1)] });
  const floor = source.nodes.find((n) => n.mesh === 0 && n.translation[1] < -0.5);
  floor!.mesh = source.meshes.length - 1;
  return source;
}
const onFloor = cameraAt([0, 0.4, 1.6], [0, -1, -0.2], 30);

describe('mirrored light by rays', () => {
  it.each([0, 0.2, 0.5, 1])('is all of an even sky, of a metal of roughness %s', async (roughness) => {
    const source = sceneOf([quad(1)], [metal(roughness)]);
    source.environment = environment(2);
    expect((await mirrored(source, mapCamera(3, 0.2), {})) / 2).toBeCloseTo(1, 2);
    const half = await mirrored(source, mapCamera(3, 0.2), { 'reflections.environment': 0.5 });
    expect(half / 2).toBeCloseTo(0.5, 2);
  });

  it('is what a smooth coat mirrors and no more, seen at a slant as well', async () => {
    const coat = { ...MATTE, roughness: 0, specular: 1, baseColor: [0, 0, 0, 1] as [number, number, number, number] };
    const source = sceneOf([quad(100)], [coat]);
    source.environment = environment(1);
    for (const [height, cosine] of [
      [3, 1],
      [1, Math.SQRT1_2],
      [0.2, 0.2 / Math.hypot(1, 0.2)],
    ]) {
      const camera = cameraAt([0, height, height === 3 ? 0.001 : 1], [0, 0, 0], 1);
      const schlick = 0.04 + 0.96 * (1 - cosine) ** 5;
      expect(Math.abs((await mirrored(source, camera, {})) / schlick - 1)).toBeLessThan(0.02);
    }
  });

  it.each([0, 0.15, 0.35])('of a metal floor of roughness %s is what paths find', async (roughness) => {
    const source = floored(metal(roughness, 0.8));
    const values = { 'bounce.clamp': 0 };
    const [ours, truth, far] = await Promise.all([
      mirrored(source, onFloor, values),
      mirrored(source, onFloor, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
      mirrored(source, onFloor, { ...values, 'reflections.method': 'environment' }),
    ]);
    expect(Math.abs(ours / truth - 1)).toBeLessThan(0.02);
    expect(Math.abs(far / truth - 1)).toBeGreaterThan(0.1);
  });

  it('shows no sky in a closed room, and nothing where nothing shines', async () => {
    const dark = blocks();
    dark.materials[0] = { ...dark.materials[0], metallic: 1, roughness: 0.1 };
    dark.lights[0].intensity = 0;
    const camera = cameraAt([0, 0, 0], [0.7, 0, -0.7], 60);
    expect(await mirrored(dark, camera, {})).toBe(0);
    expect(await mirrored(dark, camera, { 'reflections.method': 'environment' })).toBeGreaterThan(10);
    const none = sceneOf([quad(1)], [metal(0)]);
    none.environment = environment(0);
    expect(await mirrored(none, mapCamera(3, 0.2), {})).toBe(0);
  });

  it('of rough surfaces is the mean of bounced light where that is known, rays or not', async () => {
    const [albedo, glow] = [0.6, 3];
    const source = box({ ...grey(albedo), roughness: 0.9, specular: 1, emissive: [glow, glow, glow] });
    const inside = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
    const [rays, mean] = await Promise.all([
      mirrored(source, inside, { 'reflections.roughest': 1 }),
      mirrored(source, inside, { 'reflections.roughest': 0.4 }),
    ]);
    expect(Math.abs(mean / rays - 1)).toBeLessThan(0.03);
    // a metal has no bounced light to go by: rays find what it mirrors however rough it is
    const rough = floored(metal(0.9, 0.8));
    const [all, few] = await Promise.all(
      [1, 0].map((roughest) => mirrored(rough, onFloor, { 'reflections.roughest': roughest })),
    );
    expect(few).toBe(all);
  });

  it.each([
    ['probes', 0.1],
    ['voxels', 0.2],
  ])('shows bounced light as %s know it, nearly as paths do and with less grain', async (method, most) => {
    const source = floored(metal(0, 0.8));
    const values = { 'bounce.clamp': 0, 'bounce.probeSpacing': 0.25, 'bounce.probeRays': 256 };
    const [ours, truth] = await Promise.all([
      drawn(source, onFloor, { ...values, 'bounce.method': method, 'samples.pixel': 8 }),
      drawn(source, onFloor, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
    ]);
    expect(Math.abs(layerMean(ours, 'reflection') / layerMean(truth, 'reflection') - 1)).toBeLessThan(most);
    const grainy = await drawn(source, onFloor, { ...values, 'samples.pixel': 8 });
    const offOf = (frame: RenderedFrame): number => {
      const [a, b] = [frame.views.beauty, truth.views.beauty];
      return a.reduce((sum, v, i) => sum + (v - b[i]) ** 2, 0);
    };
    expect(offOf(ours)).toBeLessThan(0.7 * offOf(grainy));
  });

  it('ends after as many mirrors and surfaces as the recipe has', async () => {
    const source = floored(metal(0, 0.8));
    // nothing may follow: glow and sky alone are met
    const nothing = await mirrored(source, onFloor, { 'bounce.total': 0 });
    const truth = await mirrored(source, onFloor, {
      ...{ 'bounce.total': 0, 'samples.method': 'path', 'samples.pixel': 64 },
    });
    expect(Math.abs(nothing / truth - 1)).toBeLessThan(0.03);
    expect(await mirrored(source, onFloor, { 'reflections.bounces': 0 })).toBeCloseTo(nothing, 5);
    expect(nothing).toBeLessThan(0.7 * (await mirrored(source, onFloor, {})));
  });

  it('is the same to the bit by any number of threads, and nearly so by the plain loops', async () => {
    const source = floored(metal(0.2, 0.8));
    const draft = { ...TRACED, 'samples.pixel': 4, 'output.width': 70, 'output.height': 70 };
    const recipe = resolveRecipe({ name: 't', draft, final: {} }, 'draft');
    const by = async (threads: number): Promise<Float32Array> => {
      const pool = new RenderPool(Array.from({ length: threads }, () => createLocalPort(() => performance.now())));
      pool.setScene('s', toShared(packScene(compileScene(source))));
      const wish = { sceneId: 's', recipe, camera: onFloor, timeSeconds: 0, seed: 1 };
      return (await pool.render(wish).promise).views.beauty;
    };
    const one = await by(1);
    expect(await by(1)).toEqual(one);
    const plain = await render(source, onFloor, { ...TRACED, 'samples.pixel': 16 }, 0, { kernels: false });
    const loops = await render(source, onFloor, { ...TRACED, 'samples.pixel': 16 });
    expect(Math.abs(layerMean(plain, 'reflection') / layerMean(loops, 'reflection') - 1)).toBeLessThan(0.01);
  });

  it('books its time to reflections', async () => {
    const { stages } = await drawn(floored(metal(0.2)), onFloor, { 'bounce.method': 'environment' });
    expect(stages.reflections).toBeGreaterThan(0);
    expect(stages.bounce).toBeLessThan(stages.reflections);
  });
});
