import { describe, expect, it } from 'vitest';
import type { RenderedFrame } from '../../frame/renderPool';
import type { TierValues } from '../../recipe/recipe';
import type { CameraView } from '../../scene/camera';
import type { SceneSource } from '../../scene/source';
import { box, grey, layerMean, room } from '../../testing/rooms';
import { cameraAt, render } from '../../testing/scenes';

const SIDE = 24;
const PROBES = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'probes', 'bounce.probeSpacing': 0.5, 'bounce.probeRays': 1024 },
};
const drawn = (source: SceneSource, camera: CameraView, values: TierValues, kernels = true): Promise<RenderedFrame> =>
  render(source, camera, { ...PROBES, ...values }, 0, { kernels });

describe.each([
  ['compiled', true],
  ['plain', false],
])('probes, %s loops', (_name, kernels) => {
  const inside = cameraAt([0.2, 0.1, 0.6], [0, -0.3, -1], 60);
  const few: TierValues = kernels ? {} : { 'bounce.probeRays': 128, 'samples.pixel': 1, 'bounce.probeSpacing': 1 };

  it('say albedo times emission in a closed box that glows, and its sum over all bounces', async () => {
    const [albedo, glow] = [0.6, 3];
    const source = box({ ...grey(albedo), emissive: [glow, glow, glow] });
    const once = layerMean(await drawn(source, inside, { ...few, 'bounce.total': 0 }, kernels), 'bounce', 10, 14);
    expect(once / (albedo * glow)).toBeCloseTo(1, kernels ? 2 : 1);
    const four = await drawn(source, inside, { ...few, 'bounce.total': 3, 'bounce.roulette': 64 }, kernels);
    const sum = albedo * glow * (1 + albedo + albedo ** 2 + albedo ** 3);
    expect(layerMean(four, 'bounce') / sum).toBeCloseTo(1, 1.6);
  });
});

describe('probes', () => {
  const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);

  it('agree with the path tracer in a room, corner by corner', async () => {
    const values = { ...PROBES, 'bounce.total': 6, 'bounce.probeSpacing': 0.33, 'bounce.clamp': 0 };
    const [ours, truth] = await Promise.all([
      render(room(), view, values),
      render(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 512 }),
    ]);

    for (const [from, to] of [
      [2, 8],
      [8, 16],
      [16, 22],
    ]) {
      const ratio = layerMean(ours, 'bounce', from, to) / layerMean(truth, 'bounce', from, to);
      expect(Math.abs(ratio - 1)).toBeLessThan(0.1);
    }
  });
});
