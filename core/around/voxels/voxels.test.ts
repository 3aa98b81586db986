import { describe, expect, it } from 'vitest';
import { BadInputError } from '../../errors';
import { createLocalPort } from '../../frame/localPort';
import { readLayers } from '../../frame/layers';
import { RenderPool, type RenderedFrame } from '../../frame/renderPool';
import { LIGHT_COMPONENTS } from '../../light/components';
import { resolveRecipe, type TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import { compileScene } from '../../scene/compileScene';
import { packScene, toShared } from '../../scene/packScene';
import type { SceneSource } from '../../scene/source';
import { VIEW_KEYS, type ViewMode } from '../../shading/views';
import { blocks, box, grey, layerMean, parted, QUARTER, room, turned, WINDOW } from '../../testing/rooms';
import { cubeAt, fillGrid } from './grid';
import { addNode, cameraAt, environment, light, mapCamera, quad, render, sceneOf } from '../../testing/scenes';

const SIDE = 24;
const VOXELS = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'voxels', 'bounce.voxelResolution': 64 },
} satisfies TierValues;
const drawn = (source: SceneSource, camera: CameraView, values: TierValues): Promise<RenderedFrame> =>
  render(source, camera, { ...VOXELS, ...values });
const bounceOf = async (...wish: Parameters<typeof drawn>): Promise<number> =>
  layerMean(await drawn(...wish), 'bounce', 10, 14);

const inside = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);

describe('bounced light by voxels', () => {
  it.each([32, 64, 128])(
    'is albedo times emission in a closed box that glows, and its sum over all bounces, of %i voxels',
    async (resolution) => {
      const [albedo, glow] = [0.6, 3];
      const source = box({ ...grey(albedo), emissive: [glow, glow, glow] });
      const values = { 'bounce.voxelResolution': resolution };
      const once = await bounceOf(source, inside, { ...values, 'bounce.total': 0 });
      expect(Math.abs(once / (albedo * glow) - 1)).toBeLessThan(0.03);
      const four = await bounceOf(source, inside, { ...values, 'bounce.total': 3 });
      const sum = albedo * glow * (1 + albedo + albedo ** 2 + albedo ** 3);
      expect(Math.abs(four / sum - 1)).toBeLessThan(0.06);
    },
  );

  it('leaves an open floor all of its sky, and a closed room hardly any', async () => {
    const open = sceneOf([quad(1)], [grey(0.6)]);
    open.environment = environment(2);
    const whole = await bounceOf(open, mapCamera(3, 1), {});
    expect(whole / (0.6 * 2)).toBeCloseTo(1, 2);
    expect((await bounceOf(open, mapCamera(3, 1), { 'bounce.environment': 0.5 })) / whole).toBeCloseTo(0.5, 2);
    // faces that look inwards alone, as rooms are modelled
    const closed = box({ ...grey(0.6), doubleSided: false });
    closed.environment = environment(2);
    expect(await bounceOf(closed, inside, {})).toBeLessThan(1e-3 * 0.6 * 2);
  });

  it.each([
    ['straight', 0, 0],
    ['turned', 0.3, 0],
    ['leaning', 0.3, 0.2],
  ])('lets nothing of a bright sky through walls that stand %s to it', async (_how, y, z) => {
    const dark = turned(blocks(), [0, Math.sin(y), Math.sin(z), Math.sqrt(1 - Math.sin(y) ** 2 - Math.sin(z) ** 2)]);
    dark.lights[0].intensity = 0;
    const shines = 60 * 0.6;
    for (const resolution of [32, 96])
      for (const way of [
        [0, 0, -1],
        [0.7, 0, -0.7],
        [0.1, -1, 0.2],
      ] as const) {
        const camera = cameraAt([0, 0, 0], [...way], 60);
        const values = { 'bounce.voxelResolution': resolution };
        // from the sky itself, and by way of what it shines on outside
        expect(await bounceOf(dark, camera, { ...values, 'bounce.total': 0 })).toBeLessThan(3e-3 * shines);
        expect(await bounceOf(dark, camera, { ...values, 'bounce.total': 4 })).toBeLessThan(0.025 * shines);
      }
  });

  it('lets in what comes through a barred window in a thick wall, as rays do', async () => {
    const lit = blocks(WINDOW);
    lit.lights[0].intensity = 0;
    const camera = cameraAt([0, 0, 0.7], [0, -0.2, -1], 80);
    const values = { 'bounce.total': 8, 'output.width': 48, 'output.height': 48 };
    const [ours, truth] = await Promise.all([
      drawn(lit, camera, values),
      drawn(lit, camera, { ...values, 'bounce.method': 'traced', 'samples.pixel': 32 }),
    ]);
    expect(Math.abs(layerMean(ours, 'bounce') / layerMean(truth, 'bounce') - 1)).toBeLessThan(0.15);
  });

  it('sees what lies beyond a box that is placed', async () => {
    // a bright wall, far outside of the box around a floor
    const source = sceneOf([quad(1)], [grey(0.5), { ...grey(0), name: 'bright', emissive: [5, 5, 5] }]);
    source.meshes.push({ name: 'wall', primitives: [quad(6, 0, 1)] });
    addNode(source, { mesh: 1, translation: [0, 0, -5], rotation: QUARTER });
    source.environment = environment(0);
    const values = { 'bounce.voxelBox': 'placed', 'bounce.voxelSize': 2.5 };
    const camera = mapCamera(3, 1);
    const [ours, truth] = await Promise.all([
      bounceOf(source, camera, values),
      bounceOf(source, camera, { ...values, 'bounce.method': 'traced', 'samples.pixel': 64 }),
    ]);
    expect(truth).toBeGreaterThan(0.3);
    expect(Math.abs(ours / truth - 1)).toBeLessThan(0.1);
    // of numbers of cones that are no power of two, and of the wall alone where nothing bounces
    const others: TierValues[] = [{ 'bounce.voxelCones': 9 }, { 'bounce.total': 0 }];
    for (const other of others)
      expect(Math.abs((await bounceOf(source, camera, { ...values, ...other })) / truth - 1)).toBeLessThan(0.12);
  });

  it('is what a wall leaves of an even sky, by its form factor', async () => {
    const source = sceneOf([quad(6)], [grey(0.5), { ...grey(0), name: 'black' }]);
    source.meshes.push({ name: 'wall', primitives: [quad(6, 0, 1)] });
    addNode(source, { mesh: 1, translation: [0, -4, -1], rotation: QUARTER });
    source.environment = environment(2);
    const above = cameraAt([0, 0.5, 0.001], [0, 0, 0], 2);
    const seen = (1 + 1 / Math.hypot(1, 2)) / 2;
    const found = await bounceOf(source, above, { 'bounce.total': 0, 'bounce.voxelResolution': 128 });
    expect(Math.abs(found / (0.5 * 2 * seen) - 1)).toBeLessThan(0.1);
  });

  it.each([0, 1, 6])('agrees with the path tracer in a room, with %i bounces', async (total) => {
    const values = { 'bounce.total': total, 'bounce.clamp': 0 };
    const [ours, truth] = await Promise.all([
      drawn(room(), view, values),
      drawn(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
    ]);
    // of a small panel a fifth too much is seen
    expect(Math.abs(layerMean(ours, 'bounce') / layerMean(truth, 'bounce') - 1)).toBeLessThan(0.13);
  });

  it('agrees with the path tracer on the sky that is seen from a room', async () => {
    const open = room();
    open.materials[2].emissive = [0, 0, 0];
    const values = { 'bounce.total': 0, 'bounce.clamp': 0 };
    const [ours, truth] = await Promise.all([
      drawn(open, view, values),
      drawn(open, view, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
    ]);
    expect(Math.abs(layerMean(ours, 'bounce') / layerMean(truth, 'bounce') - 1)).toBeLessThan(0.04);
  });

  it('leaks a few hundredths of the lit side through a thin wall', async () => {
    const over = (x: number): CameraView => cameraAt([x, 1.8, 0.001], [x, 0, 0], 45);
    for (const resolution of [32, 128]) {
      const values = { 'bounce.voxelResolution': resolution, 'bounce.total': 4 };
      const lit = layerMean(await drawn(parted(), over(-1), values), 'bounce');
      const dark = layerMean(await drawn(parted(), over(1), values), 'bounce');
      expect(lit).toBeGreaterThan(0.5);
      expect(dark / lit).toBeLessThan(0.04);
    }
  });

  it('is nothing where nothing bounces, and leaves the other layers alone', async () => {
    const source = sceneOf([quad(3)], [grey(0.5)]);
    source.lights = [light('point', 3)];
    addNode(source, { light: 0, translation: [0, 2, 0] });
    source.environment = environment(0);
    const camera = mapCamera(3, 2);
    const [plain, ours] = await Promise.all([
      drawn(source, camera, { 'bounce.method': 'environment' }),
      drawn(source, camera, {}),
    ]);
    expect(layerMean(ours, 'bounce')).toBe(0);
    for (const layer of ['direct', 'reflection', 'emission'])
      expect(layerMean(ours, layer)).toBe(layerMean(plain, layer));
  });

  it('answers what rays through the picture miss', async () => {
    const screen = { 'bounce.method': 'screen', 'bounce.total': 4, 'bounce.clamp': 0, 'bounce.screenRays': 16 };
    const [ours, truth] = await Promise.all([
      drawn(room(), view, { ...screen, 'bounce.screenNext': 'voxels' }),
      drawn(room(), view, { ...screen, 'samples.method': 'path', 'samples.pixel': 256 }),
    ]);
    expect(Math.abs(layerMean(ours, 'bounce') / layerMean(truth, 'bounce') - 1)).toBeLessThan(0.12);
  });

  it('is seen in parts of the picture as in the whole of it, bit by bit', async () => {
    const values = { 'output.width': 96, 'output.height': 96, 'samples.pixel': 2 };
    const whole = (await drawn(room(), view, values)).views.beauty.slice();
    const regions = [{ x: 70, y: 30, width: 9, height: 7 }];
    const part = await render(room(), view, { ...VOXELS, ...values }, 0, { regions });
    for (let y = 30; y < 37; y++) {
      const [from, to] = [(y * 96 + 70) * 3, (y * 96 + 79) * 3];
      expect(part.views.beauty.subarray(from, to)).toEqual(whole.subarray(from, to));
    }
  });

  it('is no brighter where walls run into one another than beside it, whatever shines outside', async () => {
    // into the corner of two walls, and onto the middle of one
    const values = { 'bounce.voxelResolution': 48 };
    const corner = await bounceOf(blocks(), cameraAt([0, 0, 0], [0.99, 0, -0.985], 8), values);
    const middle = await bounceOf(blocks(), cameraAt([0, 0, 0], [0, 0, -1], 8), values);
    expect(corner / middle).toBeLessThan(1.2);
  });

  it('refuses in one line where the compiled loops are off', async () => {
    await expect(render(room(), view, VOXELS, 0, { kernels: false })).rejects.toThrow(/compiled loops/);
  });
});

describe('the box of voxels', () => {
  const outsideOf = (frame: RenderedFrame): string => frame.notes.find((n) => n.includes('outside the box')) ?? '';

  it('says how much of what is seen lies outside of it, and nothing where it is all inside', async () => {
    const cube = { 'bounce.voxelBox': 'placed', 'bounce.voxelSize': 2.4, 'bounce.voxelX': -1.2 };
    // the left half of the room, from the middle
    const half = await drawn(room(), view, cube);
    expect(half.voxels!.outside).toBeGreaterThan(0.3);
    expect(half.voxels!.outside).toBeLessThan(0.7);
    expect(outsideOf(half)).toContain(`${Math.round(100 * half.voxels!.outside)} %`);
    for (const values of [{}, { ...cube, 'bounce.voxelX': 0 }])
      expect(outsideOf(await drawn(room(), view, values))).toBe('');
  });

  it('leaves what lies outside to the surroundings', async () => {
    const open = sceneOf([quad(1)], [grey(0.6)]);
    open.environment = environment(2);
    const away = { 'bounce.voxelBox': 'placed', 'bounce.voxelSize': 1, 'bounce.voxelX': 50 };
    const frame = await drawn(open, mapCamera(3, 1), away);
    expect(layerMean(frame, 'bounce', 10, 14) / (0.6 * 2)).toBeCloseTo(1, 3);
    expect(frame.voxels!.outside).toBe(1);
    expect(frame.voxels!.faces).toBe(0);
  });

  it('goes with the camera a step at a time, and answers alike where it has not gone one', async () => {
    const follow = { 'bounce.voxelBox': 'follow', 'bounce.voxelSize': 6 };
    const at = (x: number): CameraView => cameraAt([x, 0, 2.2], [x, -0.1, -1], 45);
    const near = await drawn(room(), at(0.1), follow);
    expect(near.voxels!.side).toBeCloseTo(6 / 64, 6);
    expect(outsideOf(near)).toBe('');
    const far = await drawn(room(), at(20), follow);
    // nothing of the room is within reach, and nothing of it is seen
    expect(far.voxels!.faces).toBe(0);
  });

  it('says where ambient occlusion darkens what voxels know, and not where it looks no farther than they do', async () => {
    const darkens = async (radius: number): Promise<boolean> => {
      const frame = await drawn(room(), view, { 'bounce.occlusion': true, 'bounce.occlusionRadius': radius });
      return frame.notes.some((n) => n.includes('both darken'));
    };
    expect(await darkens(0.5)).toBe(true);
    expect(await darkens(0.03)).toBe(false);
  });

  it('of no size is refused with a sentence, and one of nothing is left empty', async () => {
    expect(() => fillGrid({ min: [1, 1, 1], max: [1, 1, 1] }, 64, true)).toThrow(BadInputError);
    expect(() => fillGrid({ min: [0, 0, 0], max: [Infinity, 1, 1] }, 64, true)).toThrow(/no size/);
    const nothing = sceneOf([quad(1)], [grey(0.5)]);
    nothing.meshes.length = 0;
    nothing.nodes.length = 0;
    expect((await drawn(nothing, view, {})).voxels!.faces).toBe(0);
  });

  it('holds its walls in the middle of voxels, and is as flat as the scene but for two of them', () => {
    const { min, side, counts } = fillGrid({ min: [0, 0, 0], max: [6.3, 3, 0] }, 64, true);
    expect(side).toBeCloseTo(0.1, 6);
    expect(counts).toEqual([64, 31, 2]);
    expect(min[0]).toBeCloseTo(-0.05, 6);
    // one that is placed is filled from side to side
    expect(fillGrid(cubeAt([1, 2, 3], 4), 32, false)).toMatchObject({
      min: [-1, 0, 1],
      side: 0.125,
      counts: [32, 32, 32],
    });
    expect(cubeAt([1.1, 2.4, 2.9], 4, 1).min).toEqual([-1, 0, 1]);
  });
});

describe('voxels', () => {
  const pools: RenderPool[] = [];
  const poolOf = (source: SceneSource, threads = 1): RenderPool => {
    const pool = new RenderPool(Array.from({ length: threads }, () => createLocalPort(() => performance.now())));
    pools.push(pool);
    pool.setScene('scene', toShared(packScene(compileScene(source))));
    return pool;
  };
  const recipe = (values: TierValues = {}): ReturnType<typeof resolveRecipe> =>
    resolveRecipe({ name: 't', draft: { ...VOXELS, ...values }, final: {} }, 'draft');
  const request = { sceneId: 'scene', camera: view, timeSeconds: 0, seed: 1 };

  it('stay while the camera moves, and are made anew when light changes', async () => {
    const pool = poolOf(room());
    const made = await pool.render({ ...request, recipe: recipe() }).promise;
    expect(made.voxels!.kept).toBe(false);
    const camera = cameraAt([0.3, 0, 2], [0, -0.1, -1], 45);
    const bright = layerMean(made, 'bounce');
    const moved = await pool.render({ ...request, camera, recipe: recipe() }).promise;
    expect(moved.voxels!.kept).toBe(true);
    expect(moved.voxels!.faces).toBe(made.voxels!.faces);
    // a frame that asks others does not touch them
    await pool.render({ ...request, recipe: recipe({ 'bounce.method': 'environment' }) }).promise;
    expect((await pool.render({ ...request, recipe: recipe() }).promise).voxels!.kept).toBe(true);
    const dim = await pool.render({ ...request, recipe: recipe({ 'bounce.environment': 0.5 }) }).promise;
    expect(dim.voxels!.kept).toBe(false);
    expect(layerMean(dim, 'bounce')).toBeLessThan(bright);
    // and are what they were when they are made again
    const again = await pool.render({ ...request, fresh: true, recipe: recipe() }).promise;
    expect(again.voxels!.kept).toBe(false);
    const bits = (frame: RenderedFrame): Uint32Array => new Uint32Array(frame.views.beauty.slice().buffer);
    const first = await poolOf(room()).render({ ...request, recipe: recipe() }).promise;
    expect(bits(again)).toEqual(bits(first));
  });

  it('of the first instant serve while the shutter is open, and are made anew for the next frame', async () => {
    const source = room();
    const panel = source.nodes.findIndex(({ mesh }) => mesh === 2);
    source.animations.push({
      ...{ node: panel, path: 'translation', interpolation: 'linear', times: Float32Array.of(0, 1) },
      values: Float32Array.of(0.4, -0.6, -0.4, -0.6, 0.4, -0.4),
    });
    const open = { ...request, camera: { ...view, shutter: { opens: 0, closes: 0.5 } } };
    const values = { 'samples.shutter': 4, 'samples.pixel': 1 };
    const pool = poolOf(source);
    const first = await pool.render({ ...open, recipe: recipe(values) }).promise;
    const bits = new Uint32Array(first.views.beauty.slice().buffer);
    const again = await pool.render({ ...open, recipe: recipe(values) }).promise;
    expect(again.voxels!.kept).toBe(false);
    expect(new Uint32Array(again.views.beauty.slice().buffer)).toEqual(bits);
  });

  it('of more faces than was guessed are made at the second try, unseen', async () => {
    // many sheets one behind another
    const source = sceneOf([quad(1)], [grey(0.5)]);
    for (let k = 1; k < 32; k++) addNode(source, { mesh: 0, translation: [0, k / 16, 0] });
    source.environment = environment(1);
    const pool = poolOf(source);
    const frame = await pool.render({ ...request, recipe: recipe() }).promise;
    expect(frame.finished).toBe(true);
    expect(frame.voxels!.faces).toBeGreaterThan(2 * 32 * 60 * 60);
    expect(frame.voxels!.outside).toBe(0);
  });

  it('that are cancelled leave no picture, and nothing that is taken for made', async () => {
    const pool = poolOf(room());
    const ticket = pool.render({ ...request, recipe: recipe() });
    ticket.cancel();
    expect((await ticket.promise).finished).toBe(false);
    const whole = await pool.render({ ...request, recipe: recipe() }).promise;
    expect(whole.voxels!.kept).toBe(false);
    expect(layerMean(whole, 'bounce')).toBeGreaterThan(0);
  });

  it('are seen themselves, and how wide they are', async () => {
    const seen = async (mode: ViewMode, values: TierValues): Promise<(x: number, y: number) => number[]> => {
      const large = { 'output.width': 192, 'output.height': 192, 'samples.pixel': 1 };
      const frame = await render(room(), view, { ...VOXELS, ...large, ...values }, 0, { view: mode });
      const { data } = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS).find((l) => l.name === 'emission')!;
      return (x, y) => Array.from(data.subarray((y * 192 + x) * 3, (y * 192 + x) * 3 + 3));
    };
    // the wall on the left is red
    const own = await seen('voxels', {});
    expect(own(8, 96)[0]).toBeGreaterThan(2 * own(8, 96)[1]);
    expect(own(96, 160)[0]).toBeLessThan(1.5 * own(96, 160)[1]);
    const [one, four, , , outside] = VIEW_KEYS.voxelSize!.map((k) => k.rgb);
    const off = (a: readonly number[], b: readonly number[]): number => Math.hypot(...a.map((v, c) => v - b[c]));
    const fine = await seen('voxelSize', { 'bounce.voxelResolution': 128 });
    const coarse = await seen('voxelSize', { 'bounce.voxelResolution': 32 });
    expect(off(fine(96, 96), one)).toBeLessThan(off(coarse(96, 96), one));
    expect(off(coarse(96, 96), four)).toBeLessThan(off(fine(96, 96), four));
    const away = await seen('voxelSize', { 'bounce.voxelBox': 'placed', 'bounce.voxelX': 50 });
    const none = await seen('voxelSize', { 'bounce.method': 'environment' });
    for (const at of [away(96, 96), none(96, 96)]) expect(off(at, outside)).toBeLessThan(0.1);
  });

  it('say which walls are thinner than one with light behind them, and of no others', async () => {
    const seen = async (source: SceneSource, camera: CameraView, resolution: number): Promise<number[]> => {
      const values = { ...VOXELS, 'samples.pixel': 1, 'bounce.voxelResolution': resolution };
      const frame = await render(source, camera, values, 0, { view: 'leaks' });
      const { data } = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS).find((l) => l.name === 'emission')!;
      const at = (12 * SIDE + 12) * 3;
      return Array.from(data.subarray(at, at + 3));
    };
    const nearest = (rgb: readonly number[]): number => {
      const offs = VIEW_KEYS.leaks!.map((k) => Math.hypot(...k.rgb.map((v, c) => v - rgb[c])));
      return offs.indexOf(Math.min(...offs));
    };
    const from = (x: number): CameraView => cameraAt([x, 1, 0], [0, 1, 0], 30);
    // two sheets two centimetres apart: thinner than voxels of six
    expect(nearest(await seen(parted(), from(1), 64))).toBe(3);
    expect(nearest(await seen(parted(), from(-1), 64))).toBe(1);
    // an outer wall, with nothing behind
    expect(nearest(await seen(parted(), cameraAt([1, 1, 0], [1, 1, 2], 30), 32))).toBe(1);
    // blocks of 0.3 m under a bright sky: thicker than voxels of 8 cm
    const dark = cameraAt([0, 0, 0], [0, 0, -1], 60);
    expect(nearest(await seen(blocks(), dark, 32))).toBe(0);
  });
});
