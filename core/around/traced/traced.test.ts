import { describe, expect, it } from 'vitest';
import type { TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import type { SceneSource } from '../../scene/source';
import { box, grey, layerMean, QUARTER, room } from '../../testing/rooms';
import { addNode, cameraAt, environment, light, mapCamera, quad, render, sceneOf } from '../../testing/scenes';

const SIDE = 24;
const TRACED = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'traced', 'bounce.rays': 64 },
};
const bounceOf = async (source: SceneSource, camera: CameraView, values: TierValues, kernels = true): Promise<number> =>
  layerMean(await render(source, camera, { ...TRACED, ...values }, 0, { kernels }), 'bounce', 10, 14);

describe.each([
  ['compiled', true],
  ['plain', false],
])('bounced light by rays, %s loops', (_name, kernels) => {
  const inside = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
  // the plain loops are slow, and their rays the same
  const few: TierValues = kernels ? {} : { 'bounce.rays': 8, 'samples.pixel': 2 };

  it('is albedo times emission in a closed box that glows, and its sum over all bounces', async () => {
    const [albedo, glow] = [0.6, 3];
    const source = box({ ...grey(albedo), emissive: [glow, glow, glow] });
    const once = await bounceOf(source, inside, { ...few, 'bounce.total': 0 }, kernels);
    expect(once / (albedo * glow)).toBeCloseTo(1, kernels ? 2 : 1);
    const four = await bounceOf(source, inside, { ...few, 'bounce.total': 3, 'bounce.roulette': 64 }, kernels);
    const sum = albedo * glow * (1 + albedo + albedo ** 2 + albedo ** 3);
    expect(four / sum).toBeCloseTo(1, kernels ? 2 : 1);
  });

  it('under an even sky is what the form factor of a wall leaves of it', async () => {
    // a black wall two metres high, long enough, beside a grey floor whose middle is a metre away
    const source = sceneOf([quad(60)], [grey(0.5), { ...grey(0), name: 'black' }]);
    source.meshes.push({ name: 'wall', primitives: [quad(60, 0, 1)] });
    addNode(source, { mesh: 1, translation: [0, -58, -1], rotation: QUARTER });
    source.environment = environment(2);
    const above = cameraAt([0, 0.5, 0.001], [0, 0, 0], 2);
    const seen = (1 + 1 / Math.hypot(1, 2)) / 2;
    const found = await bounceOf(source, above, { ...few, 'bounce.total': 0 }, kernels);
    expect(found / (0.5 * 2 * seen)).toBeCloseTo(1, kernels ? 2 : 1);
    // halved where the artist halves what comes from around
    const half = await bounceOf(source, above, { ...few, 'bounce.total': 0, 'bounce.environment': 0.5 }, kernels);
    expect(half / found).toBeCloseTo(0.5, 2);
  });
});

describe('bounced light by rays', () => {
  it('between two squares that face each other is as their form factor says', async () => {
    // parallel unit squares a metre apart: 0.1998 (Howell, A Catalog of Radiation Heat Transfer Configuration Factors)
    const source = sceneOf([quad(0.5)], [grey(0.5), { ...grey(0), name: 'panel', emissive: [5, 5, 5] }]);
    source.meshes.push({ name: 'panel', primitives: [quad(0.5, 0, 1)] });
    addNode(source, { mesh: 1, translation: [0, 1, 0], rotation: [1, 0, 0, 0] });
    source.environment = environment(0);
    const camera = cameraAt([0, 0.9, 0.001], [0, 0, 0], (2 * (Math.atan(0.5 / 0.9) * 180)) / Math.PI);
    // a wider filter would take in what lies beside the square
    const frame = await render(source, camera, {
      ...{ ...TRACED, 'bounce.total': 0 },
      ...{ 'samples.filter': 'box', 'samples.radius': 0.5 },
    });
    expect(layerMean(frame, 'bounce') / (0.5 * 5 * 0.1998)).toBeCloseTo(1, 2);
  });

  const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);

  it.each([0, 1, 6])('agrees with the path tracer in a room, by layers, with %i bounces', async (total) => {
    const values = { ...TRACED, 'bounce.total': total, 'bounce.rays': 32, 'samples.pixel': 8 };
    const [ours, truth] = await Promise.all([
      render(room(), view, values),
      render(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 512 }),
    ]);
    expect(layerMean(ours, 'bounce') / layerMean(truth, 'bounce')).toBeCloseTo(1, 1.7);
    // corner by corner as well
    for (const [from, to] of [
      [2, 8],
      [8, 16],
      [16, 22],
    ])
      expect(layerMean(ours, 'bounce', from, to) / layerMean(truth, 'bounce', from, to)).toBeGreaterThan(0.95);
  });

  it('is the same beside shadows that are traced, which share the structure but not its loops', async () => {
    const values = { ...TRACED, 'bounce.total': 2, 'bounce.rays': 4 };
    const [mapped, traced, alone] = await Promise.all([
      render(room(), view, values),
      render(room(), view, { ...values, 'shadows.method': 'traced' }),
      render(room(), view, { ...values, 'shadows.method': 'traced', 'bounce.method': 'environment' }),
    ]);
    expect(layerMean(traced, 'bounce')).toBeCloseTo(layerMean(mapped, 'bounce'), 6);
    expect(layerMean(traced, 'direct')).toBe(layerMean(alone, 'direct'));
  });

  it('is seen in parts of the picture as in the whole of it, bit by bit', async () => {
    const values = { ...TRACED, 'output.width': 96, 'output.height': 96, 'bounce.rays': 2, 'samples.pixel': 2 };
    const whole = await render(room(), view, values);
    const beauty = whole.views.beauty.slice();
    const part = await render(room(), view, values, 0, { regions: [{ x: 70, y: 30, width: 9, height: 7 }] });
    for (let y = 30; y < 37; y++)
      for (let x = 70; x < 79; x++) {
        const at = (y * 96 + x) * 3;
        expect(Array.from(part.views.beauty.subarray(at, at + 3))).toEqual(Array.from(beauty.subarray(at, at + 3)));
      }
  });

  it('is nothing where nothing bounces, and leaves the other layers alone', async () => {
    const source = sceneOf([quad(3)], [grey(0.5)]);
    source.lights = [light('point', 3)];
    addNode(source, { light: 0, translation: [0, 2, 0] });
    source.environment = environment(0);
    const camera = mapCamera(3, 2);
    const [plain, traced] = await Promise.all(
      ['environment', 'traced'].map((method) => render(source, camera, { ...TRACED, 'bounce.method': method })),
    );
    expect(layerMean(traced, 'bounce')).toBe(0);
    for (const layer of ['direct', 'reflection', 'emission'])
      expect(layerMean(traced, layer)).toBe(layerMean(plain, layer));
  });

  it('takes what is brighter than the clamp off single rays', async () => {
    const source = box({ ...grey(0.6), emissive: [3, 3, 3] });
    const camera = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
    const clamped = await bounceOf(source, camera, { 'bounce.total': 3, 'bounce.clamp': 1, 'bounce.rays': 4 });
    const whole = await bounceOf(source, camera, { 'bounce.total': 3, 'bounce.rays': 4 });
    expect(clamped).toBeLessThan(whole);
    // each ray brings at most a white, and what glows is asked for beside that
    expect(clamped).toBeLessThanOrEqual(0.6 * (1 + 3) + 0.05);
  });
});
