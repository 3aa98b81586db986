import { describe, expect, it } from 'vitest';
import { readLayers } from '../../frame/layers';
import type { RenderedFrame } from '../../frame/renderPool';
import { LIGHT_COMPONENTS } from '../../light/components';
import type { TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import type { SceneSource } from '../../scene/source';
import { VIEW_KEYS, type ViewMode } from '../../shading/views';
import { grey, layerMean, QUARTER, room } from '../../testing/rooms';
import { addNode, cameraAt, environment, light, mapCamera, quad, render, sceneOf } from '../../testing/scenes';

const SIDE = 48;
const SCREEN: TierValues = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'screen', 'bounce.screenNext': 'environment', 'bounce.screenRays': 16 },
  ...{ 'bounce.screenSteps': 32, 'bounce.screenScale': 'full' },
};
const bounceOf = (source: SceneSource, camera: CameraView, values: TierValues): Promise<RenderedFrame> =>
  render(source, camera, { ...SCREEN, ...values });

/** Mean of the bounce layer over a part of the picture. */
function bounceIn(frame: RenderedFrame, x0: number, y0: number, x1: number, y1: number): number {
  const { data } = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS).find((l) => l.name === 'bounce')!;
  let sum = 0;
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) for (let c = 0; c < 3; c++) sum += data[(y * frame.width + x) * 3 + c];
  return sum / ((x1 - x0) * (y1 - y0) * 3);
}

/** A black wall two metres high behind a grey floor, a metre from where the camera looks. */
function wallAndFloor(): SceneSource {
  const source = sceneOf([quad(60)], [grey(0.5), { ...grey(0), name: 'black' }]);
  source.meshes.push({ name: 'wall', primitives: [quad(60, 0, 1)] });
  addNode(source, { mesh: 1, translation: [0, -58, -1], rotation: QUARTER });
  source.environment = environment(2);
  return source;
}

/** A panel that glows, standing up behind a floor: all that sends light is seen from before it. */
function panelOnFloor(): SceneSource {
  const source = sceneOf([quad(2)], [grey(0.5), { ...grey(0), name: 'panel', emissive: [4, 4, 4] }]);
  source.nodes[0].translation = [0, 0, 1.5];
  source.meshes.push({ name: 'panel', primitives: [quad(0.4, 0, 1)] });
  addNode(source, { mesh: 1, translation: [0, 0.4, -0.5], rotation: QUARTER });
  source.environment = environment(0);
  return source;
}

describe('bounced light by rays through the picture', () => {
  const front = cameraAt([0, 3, 6], [0, 0, 0], 45);
  const panel = cameraAt([0, 1.2, 2.4], [0, 0.1, -0.2], 40);

  it.each(['full', 'half'])(
    'is what a wall in the picture leaves of an even sky, by its form factor, %s',
    async (scale) => {
      const seen = (1 + 1 / Math.hypot(1, 2)) / 2;
      const values = { 'bounce.total': 0, 'bounce.screenThickness': 5, 'bounce.screenScale': scale };
      const frame = await bounceOf(wallAndFloor(), front, values);
      const found = bounceIn(frame, 22, 23, 26, 25) / (0.5 * 2 * seen);
      expect(found).toBeGreaterThan(0.93);
      expect(found).toBeLessThan(1.07);
    },
  );

  it.each([
    ['perspective, full', panel, 'full'],
    ['perspective, half', panel, 'half'],
    ['perspective, quarter', panel, 'quarter'],
    // looks down a little less than straight, so that the panel is seen
    ['parallel', { ...panel, lens: { ...mapCamera(1, 1.1).lens } }, 'full'],
  ] as const)('agrees with the path tracer where all that sends is seen, %s', async (_name, camera, scale) => {
    const values = { 'bounce.total': 0, 'bounce.screenScale': scale, 'bounce.screenThickness': 0.05 };
    const ours = await bounceOf(panelOnFloor(), camera, values);
    const truth = await bounceOf(panelOnFloor(), camera, { 'samples.method': 'path', 'samples.pixel': 128, ...values });
    const ratio = layerMean(ours, 'bounce') / layerMean(truth, 'bounce');
    expect(ratio).toBeGreaterThan(0.9);
    expect(ratio).toBeLessThan(1.1);
  });

  it('takes direct light from surfaces after the first, and more of it with more surfaces', async () => {
    // a lamp lights a wall that faces a floor in its own shade
    const source = panelOnFloor();
    source.materials[1] = { ...grey(0.8), name: 'wall' };
    source.lights = [light('spot', 60, { outerConeRad: 0.25, castsShadow: true })];
    addNode(source, { light: 0, translation: [0, 0.5, 2] });
    const at = (frame: RenderedFrame): number => bounceIn(frame, 18, 20, 30, 40);
    const probes = { 'bounce.screenNext': 'probes', 'bounce.probeSpacing': 0.5, 'bounce.probeRays': 64 };
    const found: number[] = [];
    for (const values of [{ 'bounce.total': 0 }, { 'bounce.total': 1 }, { 'bounce.total': 4, ...probes }])
      found.push(at(await bounceOf(source, panel, { 'bounce.screenThickness': 0.05, ...values })));
    expect(found[0]).toBe(0);
    expect(found[2]).toBeGreaterThan(found[1]);
    const truth = await bounceOf(source, panel, { 'bounce.total': 1, 'samples.method': 'path', 'samples.pixel': 256 });
    expect(found[1] / at(truth)).toBeGreaterThan(0.85);
    expect(found[1] / at(truth)).toBeLessThan(1.15);
  });

  it('agrees with the path tracer in a room, with probes for what it misses', async () => {
    const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);
    const probes = { 'bounce.screenNext': 'probes', 'bounce.probeSpacing': 0.25, 'bounce.probeRays': 256 };
    const values = { ...probes, 'bounce.screenScale': 'half', 'bounce.total': 4 };
    const ours = await bounceOf(room(), view, values);
    const truth = await bounceOf(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 128 });
    const ratio = layerMean(ours, 'bounce') / layerMean(truth, 'bounce');
    expect(ratio).toBeGreaterThan(0.93);
    expect(ratio).toBeLessThan(1.07);
  });

  it('loses what stands beyond the border, and finds it again with overscan', async () => {
    // a small panel hangs just above the picture
    const camera = cameraAt([0, 0.6, 1], [0, 0, -0.23], 30);
    const source = panelOnFloor();
    source.meshes[1].primitives = [quad(0.15, 0, 1)];
    source.nodes[1].translation = [0, 0.5, -0.5];
    const part = [10, 18, 38, 40] as const;
    const values = { 'bounce.total': 0, 'bounce.screenThickness': 0.05 };
    const [without, ours, truth] = await Promise.all([
      bounceOf(source, camera, values),
      bounceOf(source, camera, { ...values, 'output.overscan': 50 }),
      bounceOf(source, camera, { ...values, 'samples.method': 'path', 'samples.pixel': 128 }),
    ]);
    const exact = bounceIn(truth, ...part);
    expect(bounceIn(without, ...part) / exact).toBeLessThan(0.7);
    expect(bounceIn(ours, ...part) / exact).toBeGreaterThan(0.8);
    // and nothing else changes: what is seen directly stays where it is, to the bit
    for (const plane of ['depth', 'normal', 'objectId'] as const)
      expect(ours.views[plane]).toEqual(without.views[plane]);
  });

  it('says nothing of glass panes and mirrors, and leaves the other layers alone', async () => {
    const [plain, ours] = await Promise.all([
      bounceOf(panelOnFloor(), panel, { 'bounce.method': 'environment' }),
      bounceOf(panelOnFloor(), panel, {}),
    ]);
    for (const layer of ['direct', 'reflection', 'emission'])
      expect(layerMean(ours, layer)).toBe(layerMean(plain, layer));
    const dark = sceneOf([quad(2)], [grey(0.5)]);
    dark.environment = environment(0);
    expect(layerMean(await bounceOf(dark, panel, {}), 'bounce')).toBe(0);
  });

  it('leaves an open floor all of its sky, whatever it looks for', async () => {
    const open = sceneOf([quad(40)], [grey(0.5)]);
    open.environment = environment(2);
    for (const scale of ['full', 'half', 'quarter']) {
      const frame = await bounceOf(open, front, { 'bounce.screenScale': scale, 'bounce.screenRays': 4 });
      expect(bounceIn(frame, 8, 24, 40, 48)).toBeCloseTo(1, 3);
    }
  });

  it.each(['full', 'half'])('is seen in parts of the picture as in the whole of it, bit by bit, %s', async (scale) => {
    const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);
    const values = {
      ...SCREEN,
      'output.width': 96,
      'output.height': 96,
      'samples.pixel': 2,
      'bounce.screenScale': scale,
    };
    for (const overscan of [0, 12]) {
      const both = { ...values, 'bounce.screenRays': 2, 'output.overscan': overscan };
      const whole = (await render(room(), view, both)).views.beauty.slice();
      const part = await render(room(), view, both, 0, { regions: [{ x: 70, y: 30, width: 9, height: 7 }] });
      for (let y = 30; y < 37; y++) {
        const [from, to] = [(y * 96 + 70) * 3, (y * 96 + 79) * 3];
        expect(part.views.beauty.subarray(from, to)).toEqual(whole.subarray(from, to));
      }
    }
  });

  it('shows where its rays went, and its light alone', async () => {
    const seen = async (view: ViewMode, values: TierValues): Promise<(x: number, y: number) => number[]> => {
      const frame = await render(wallAndFloor(), front, { ...SCREEN, ...values }, 0, { view });
      const layers = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS);
      const { data } = layers.find((l) => l.name === 'emission')!;
      return (x, y) => Array.from(data.subarray((y * SIDE + x) * 3, (y * SIDE + x) * 3 + 3));
    };
    const [met, open, left, , none] = VIEW_KEYS.rays!.map((k) => k.rgb);
    const off = (a: readonly number[], b: readonly number[]): number => Math.hypot(...a.map((v, c) => v - b[c]));
    const at = await seen('rays', { 'bounce.screenThickness': 5 });
    // at the foot of the wall half of them meet it; far before it none does, and some leave the frame
    const foot = at(24, 20);
    const far = at(24, 44);
    expect(off(foot, met)).toBeLessThan(off(far, met));
    expect(off(far, open) + off(far, left)).toBeCloseTo(off(open, left), 1);
    const other = await seen('rays', { 'bounce.method': 'environment' });
    expect(off(other(24, 44), none)).toBeLessThan(1e-6);
    const alone = await seen('bounce', { 'bounce.total': 0 });
    const frame = await bounceOf(wallAndFloor(), front, { 'bounce.total': 0 });
    expect(alone(24, 40)[1]).toBeCloseTo(bounceIn(frame, 24, 40, 25, 41), 2);
  });

  it('shows which method answered', async () => {
    const seen = async (values: TierValues): Promise<(x: number, y: number) => number[]> => {
      const frame = await render(wallAndFloor(), front, { ...SCREEN, ...values }, 0, { view: 'answered' });
      const layers = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS);
      const { data } = layers.find((l) => l.name === 'emission')!;
      return (x, y) => Array.from(data.subarray((y * SIDE + x) * 3, (y * SIDE + x) * 3 + 3));
    };
    const [screen, traced, voxels, , far] = VIEW_KEYS.answered!.map((k) => k.rgb);
    const off = (a: readonly number[], b: readonly number[]): number => Math.hypot(...a.map((v, c) => v - b[c]));
    const alone = await seen({ 'bounce.method': 'environment' });
    expect(off(alone(24, 44), far)).toBeLessThan(1e-6);
    expect(off((await seen({ 'bounce.method': 'traced' }))(24, 44), traced)).toBeLessThan(1e-6);
    expect(off((await seen({ 'bounce.method': 'voxels' }))(24, 30), voxels)).toBeLessThan(0.02);
    // at the foot of a wall half of the rays meet it, and the sky answers the others
    const rays = await seen({ 'bounce.screenThickness': 5, 'bounce.screenNext': 'environment' });
    const [foot, away] = [rays(24, 22), rays(24, 44)];
    expect(off(foot, screen) + off(foot, far)).toBeCloseTo(off(screen, far), 2);
    expect(off(foot, screen)).toBeLessThan(0.8 * off(away, screen));
    expect(off(away, far)).toBeLessThan(0.1);
  });

  it('is cut at the clamp, which takes lone bright dots away', async () => {
    const values = { 'bounce.total': 0, 'bounce.screenThickness': 0.05 };
    const bright = layerMean(await bounceOf(panelOnFloor(), panel, values), 'bounce');
    const cut = layerMean(await bounceOf(panelOnFloor(), panel, { ...values, 'bounce.clamp': 1 }), 'bounce');
    expect(cut / bright).toBeCloseTo(1 / 4, 2);
  });

  it('refuses in one line where the compiled loops are off', async () => {
    await expect(render(panelOnFloor(), panel, SCREEN, 0, { kernels: false })).rejects.toThrow(/compiled loops/);
  });
});
