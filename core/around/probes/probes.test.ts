import { describe, expect, it } from 'vitest';
import { BadInputError } from '../../errors';
import { probesInWords } from './figures';
import { createLocalPort } from '../../frame/localPort';
import { RenderPool, type RenderedFrame } from '../../frame/renderPool';
import { resolveRecipe, type TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import { compileScene } from '../../scene/compileScene';
import { packScene, toShared } from '../../scene/packScene';
import type { SceneSource } from '../../scene/source';
import { box, grey, layerMean, parted, QUARTER, room } from '../../testing/rooms';
import {
  addNode,
  cameraAt,
  DOWN,
  environment,
  light,
  mapCamera,
  MATTE,
  quad,
  render,
  sceneOf,
} from '../../testing/scenes';

const SIDE = 24;
const PROBES = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'probes', 'bounce.probeSpacing': 0.5, 'bounce.probeRays': 512 },
} satisfies TierValues;
const drawn = (source: SceneSource, camera: CameraView, values: TierValues, kernels = true): Promise<RenderedFrame> =>
  render(source, camera, { ...PROBES, ...values }, 0, { kernels });
const bounceOf = async (...wish: Parameters<typeof drawn>): Promise<number> =>
  layerMean(await drawn(...wish), 'bounce', 10, 14);
const probesOf = (frame: RenderedFrame): string => frame.notes.find((n) => n.includes('probe')) ?? '';

describe.each([
  ['compiled', true],
  ['plain', false],
])('probes, %s loops,', (_name, kernels) => {
  const inside = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
  // the plain loops are slow, and do the same
  const few: TierValues = kernels ? {} : { 'bounce.probeRays': 256, 'samples.pixel': 1, 'bounce.probeSpacing': 1 };

  it('say albedo times emission in a closed box that glows, and its sum over all bounces', async () => {
    const [albedo, glow] = [0.6, 3];
    const source = box({ ...grey(albedo), emissive: [glow, glow, glow] });
    const once = await bounceOf(source, inside, { ...few, 'bounce.total': 0 }, kernels);
    expect(Math.abs(once / (albedo * glow) - 1)).toBeLessThan(0.03);
    const four = await bounceOf(source, inside, { ...few, 'bounce.total': 3, 'bounce.roulette': 64 }, kernels);
    const sum = albedo * glow * (1 + albedo + albedo ** 2 + albedo ** 3);
    expect(Math.abs(four / sum - 1)).toBeLessThan(0.03);
  });

  it('keep the sky out of a closed box, and take all of it in the open', async () => {
    const closed = box(grey(0.6));
    closed.environment = environment(2);
    expect(await bounceOf(closed, inside, few, kernels)).toBe(0);
    const open = sceneOf([quad(1)], [grey(0.6)]);
    open.environment = environment(2);
    expect((await bounceOf(open, mapCamera(3, 1), few, kernels)) / (0.6 * 2)).toBeCloseTo(1, 1.6);
    const half = await bounceOf(open, mapCamera(3, 1), { ...few, 'bounce.environment': 0.5 }, kernels);
    expect(half / 0.6).toBeCloseTo(1, 1.6);
  });
});

describe('probes', () => {
  const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);

  it('come closer to the path tracer the closer they stand', async () => {
    const values = { ...PROBES, 'bounce.total': 6, 'bounce.clamp': 0 };
    const truth = await render(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 512 });
    const offBy = async (spacing: number): Promise<number[]> => {
      const ours = await render(room(), view, { ...values, 'bounce.probeSpacing': spacing });
      return [
        [0, SIDE],
        [2, 8],
        [8, 16],
        [16, 22],
      ].map(([from, to]) => layerMean(ours, 'bounce', from, to) / layerMean(truth, 'bounce', from, to) - 1);
    };
    const [wide, close] = [await offBy(1), await offBy(0.25)];
    expect(Math.max(...close.map(Math.abs))).toBeLessThan(0.13);
    expect(Math.abs(close[0])).toBeLessThan(0.07);
    expect(Math.abs(close[0])).toBeLessThan(Math.abs(wide[0]) / 2);
  });

  it('keep all that one small bright patch sends, where nothing else is lit', async () => {
    const source = box(grey(0.6));
    // a spot of a tenth of a metre on the floor: one ray in four hundred of a probe meets it
    source.lights = [light('spot', 400, { innerConeRad: 0.06, outerConeRad: 0.07, castsShadow: true })];
    addNode(source, { light: 0, translation: [0, 0.4, 0], rotation: DOWN });
    const camera = cameraAt([0.2, 0.5, 0.6], [0, 0.3, -1], 60);
    for (const total of [1, 4]) {
      const values = { 'bounce.total': total, 'bounce.clamp': 0 };
      const path = layerMean(
        await drawn(source, camera, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
        'bounce',
      );
      const probes = layerMean(await drawn(source, camera, { ...values, 'bounce.probeRays': 4096 }), 'bounce');
      expect(Math.abs(probes / path - 1)).toBeLessThan(0.12);
    }
  });

  it('leak less than a hundredth of the lit side through a thin wall, wherever the grid has them', async () => {
    const over = (x: number): CameraView => cameraAt([x, 1.8, 0.001], [x, 0, 0], 45);
    for (const spacing of [0.5, 0.8]) {
      const values = { 'bounce.probeSpacing': spacing, 'bounce.probeRays': 256, 'bounce.total': 4 };
      const lit = layerMean(await drawn(parted(), over(-1), values), 'bounce');
      const dark = layerMean(await drawn(parted(), over(1), values), 'bounce');
      expect(lit).toBeGreaterThan(0.5);
      expect(dark / lit).toBeLessThan(0.01);
    }
  });

  it('are moved out of what is closed, or said to be buried in it', async () => {
    const source = box(grey(0.5));
    source.environment = environment(0);
    // a cube of one-sided faces that look outwards, bigger than the steps of the grid
    source.materials.push({ ...MATTE, name: 'solid' });
    source.meshes.push({ name: 'solid', primitives: [quad(0.45, 0.45, 1)] });
    const turns: [number, number, number, number][] = [
      [0, 0, 0, 1],
      [1, 0, 0, 0],
      QUARTER,
      [-Math.SQRT1_2, 0, 0, Math.SQRT1_2],
      [0, 0, -Math.SQRT1_2, Math.SQRT1_2],
      [0, 0, Math.SQRT1_2, Math.SQRT1_2],
    ];
    for (const rotation of turns) addNode(source, { mesh: 1, rotation });
    const camera = cameraAt([0.8, 0.8, 0.8], [0, 0, 0], 60);
    const moved = await drawn(source, camera, { 'bounce.probeSpacing': 0.5 });
    expect(moved.probes).toMatchObject({ count: 64, moved: 8, buried: 0 });
    expect(probesOf(moved)).toBe('Of 64 probes 8 moved off walls.');
    const buried = await drawn(source, camera, { 'bounce.probeSpacing': 0.2, 'bounce.probeRays': 16 });
    expect(buried.probes!.buried).toBeGreaterThan(0);
    expect(probesOf(buried)).toContain('inside walls, where their neighbours answer');
    const free = await drawn(box(grey(0.5)), camera, {});
    expect(probesOf(free)).toBe('');
    expect(probesInWords(free.probes!)).toMatch(/^64 probes, 0\.5 m apart, baked in [\d.]+ s$/);
  });

  it('are finer where a box of them is placed, and fade into the others', async () => {
    const fine = { 'bounce.probeFine': true, 'bounce.fineSpacing': 0.2, 'bounce.fineWidth': 0.8 };
    const sized = { ...fine, 'bounce.fineHeight': 0.8, 'bounce.fineDepth': 0.8, 'bounce.fineY': -0.6 };
    const source = box({ ...grey(0.5), emissive: [2, 2, 2] });
    const frame = await drawn(source, view, { ...sized, 'bounce.total': 0, 'bounce.probeSpacing': 1 });
    expect(frame.probes!.boxes.map((b) => b.counts)).toEqual([
      [4, 4, 4],
      [2, 2, 2],
    ]);
    expect(frame.probes!.count).toBe(72);
    // both know the same light here, and so does every mixture of them
    expect(layerMean(frame, 'bounce')).toBeCloseTo(
      layerMean(await drawn(source, view, { 'bounce.total': 0 }), 'bounce'),
      1,
    );
  });

  it('are darkened by ambient occlusion, which sees gaps between them', async () => {
    const values = { 'bounce.occlusion': true, 'bounce.occlusionRadius': 0.5, 'bounce.total': 2 };
    const [plain, occluded] = [await drawn(room(), view, { 'bounce.total': 2 }), await drawn(room(), view, values)];
    expect(layerMean(occluded, 'bounce')).toBeLessThan(layerMean(plain, 'bounce') * 0.98);
    expect(layerMean(occluded, 'direct')).toBe(layerMean(plain, 'direct'));
    // it says where corners are darkened twice, and nowhere else
    const twice = async (radius: number, more: TierValues = {}): Promise<boolean> => {
      const wide = { ...values, ...more, 'bounce.occlusionRadius': radius, 'bounce.probeSpacing': 0.5 };
      const { notes } = await drawn(room(), view, wide);
      return notes.some((n) => n.includes('darken the same corners. Set bounce.occlusionRadius to 0.25'));
    };
    expect([await twice(0.25), await twice(0.35), await twice(0.45), await twice(2)]).toEqual([
      false,
      false,
      true,
      true,
    ]);
    expect(await twice(2, { 'bounce.occlusion': false })).toBe(false);
    expect(await twice(2, { 'bounce.occlusionStrength': 0 })).toBe(false);
    expect(await twice(2, { 'bounce.method': 'environment' })).toBe(false);
    expect(await twice(2, { 'bounce.method': 'screen' })).toBe(false);
  });

  it('answer instruments of a path-traced recipe, which are rasterised, and not the paths', async () => {
    const values = { 'samples.method': 'path', 'bounce.total': 1, 'bounce.probeSpacing': 1 };
    const seen = await render(room(), view, { ...PROBES, ...values }, 0, { view: 'probes' });
    expect(seen.probes!.count).toBe(8);
    const balls = seen.views.display.slice();
    const plain = await render(room(), view, { ...PROBES, 'bounce.method': 'environment' }, 0, { view: 'probes' });
    expect(plain.probes).toBe(null);
    // balls are in no other instrument
    const detail = (method: string): Promise<RenderedFrame> =>
      render(room(), view, { ...PROBES, 'bounce.method': method }, 0, { view: 'detail' });
    const bare = (await detail('environment')).views.display.slice();
    expect((await detail('probes')).views.display).toEqual(bare);
    expect(balls).not.toEqual(plain.views.display);
    expect((await drawn(room(), view, { ...values, 'samples.pixel': 1 })).probes).toBe(null);
  });

  it('too many to bake are refused before anything is', async () => {
    await expect(drawn(room(), view, { 'bounce.probeSpacing': 0.001 })).rejects.toThrow(BadInputError);
  });
});

describe('baking', () => {
  const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);
  const recipe = (values: TierValues = {}) =>
    resolveRecipe({ name: 'test', draft: { ...PROBES, 'bounce.probeSpacing': 1, ...values }, final: {} }, 'draft');
  const poolOf = (source: SceneSource): RenderPool => {
    const pool = new RenderPool([createLocalPort(() => performance.now())]);
    pool.setScene('s', toShared(packScene(compileScene(source))));
    return pool;
  };
  const request = { sceneId: 's', camera: view, timeSeconds: 0, seed: 1 };
  const bits = ({ views }: RenderedFrame): Float32Array => views.beauty.slice();

  it('is done once for all that it does not depend on, and again for what it does', async () => {
    const pool = poolOf(room());
    const shot = async (values: TierValues, more = {}): Promise<RenderedFrame> =>
      pool.render({ ...request, ...more, recipe: recipe(values) }).promise;
    const first = await shot({});
    expect(first.probes!.seconds).toBeGreaterThan(0);
    const beauty = bits(first);
    const kept = await shot({ 'lens.exposure': 1, 'output.width': 16, 'samples.pixel': 1 }, { seed: 5, fresh: true });
    expect(kept.probes!.seconds).toBe(0);
    expect((await shot({ 'bounce.total': 1 })).probes!.seconds).toBeGreaterThan(0);
    expect((await shot({ 'bounce.probeRays': 64 })).probes!.seconds).toBeGreaterThan(0);
    const lighting = { lights: [], environment: environment(1) };
    expect((await shot({}, { lighting })).probes!.seconds).toBeGreaterThan(0);
    // the first are known still, to the same bits
    const again = await shot({});
    expect(again.probes!.seconds).toBe(0);
    expect(bits(again)).toEqual(beauty);
  });

  it('is of the scene at rest, or follows it', async () => {
    const source = room();
    const node = source.nodes.findIndex((n) => n.light === 0);
    source.animations.push({
      ...{ node, path: 'translation', interpolation: 'linear' },
      ...{ times: Float32Array.of(0, 1), values: Float32Array.of(-0.3, 0.6, 0.1, 0.7, -0.7, 0.7) },
    });
    const pool = poolOf(source);
    const at = (timeSeconds: number, values: TierValues = {}): Promise<RenderedFrame> =>
      pool.render({ ...request, timeSeconds, recipe: recipe(values) }).promise;
    const early = layerMean(await at(0), 'bounce');
    const still = await at(1);
    expect(still.probes!.seconds).toBe(0);
    expect(layerMean(still, 'bounce')).toBeCloseTo(early, 6);
    expect(still.notes.join()).toContain('as it stands at 0 s');
    const follows = await at(1, { 'bounce.probeFollow': true });
    expect(follows.probes!.seconds).toBeGreaterThan(0);
    expect(follows.seconds).toBeGreaterThan(follows.probes!.seconds);
    expect(layerMean(follows, 'bounce')).not.toBeCloseTo(early, 2);
    expect(follows.notes.join()).not.toContain('as it stands');
    expect((await at(0)).notes.join()).not.toContain('as it stands');
  });

  it('that is cancelled leaves no picture, and nothing that is taken for baked', async () => {
    const pool = poolOf(room());
    const ticket = pool.render({ ...request, recipe: recipe() });
    ticket.cancel();
    expect((await ticket.promise).finished).toBe(false);
    const whole = await pool.render({ ...request, recipe: recipe() }).promise;
    expect(whole.finished).toBe(true);
    expect(whole.probes!.seconds).toBeGreaterThan(0);
    const other = await poolOf(room()).render({ ...request, recipe: recipe() }).promise;
    expect(bits(whole)).toEqual(bits(other));
  });

  it('leaves shadow maps and what else stands in place', async () => {
    const pool = poolOf(room());
    const plain = { 'bounce.method': 'environment' } as const;
    const before = bits(await pool.render({ ...request, recipe: recipe(plain) }).promise);
    await pool.render({ ...request, recipe: recipe() }).promise;
    const after = await pool.render({ ...request, recipe: recipe(plain) }).promise;
    expect(after.keptShadows).toBe(true);
    expect(bits(after)).toEqual(before);
  });
});
