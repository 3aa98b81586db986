import { describe, expect, it } from 'vitest';
import type { TierValues } from '../../recipe/recipe';
import { box, grey, layerMean, QUARTER, room } from '../../testing/rooms';
import { addNode, cameraAt, environment, quad, render, sceneOf } from '../../testing/scenes';

const SIDE = 48;
const SCREEN: TierValues = {
  ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.pixel': 4, 'lens.tone': 'none' },
  ...{ 'bounce.method': 'screen', 'bounce.screenNext': 'environment', 'bounce.screenRays': 16 },
  ...{ 'bounce.screenSteps': 32, 'bounce.screenScale': 'full' },
};

describe('bounced light by rays through the picture', () => {
  it('is what the form factor of a wall leaves of an even sky', async () => {
    const source = sceneOf([quad(60)], [grey(0.5), { ...grey(0), name: 'black' }]);
    source.meshes.push({ name: 'wall', primitives: [quad(60, 0, 1)] });
    addNode(source, { mesh: 1, translation: [0, -58, -1], rotation: QUARTER });
    source.environment = environment(2);
    // both are in view: a floor a metre before a wall two metres high
    const camera = cameraAt([0, 3, 6], [0, 0.6, -0.5], 45);
    const seen = (1 + 1 / Math.hypot(1, 2)) / 2;
    const frame = await render(source, camera, { ...SCREEN, 'bounce.total': 0, 'bounce.screenThickness': 5 });
    console.log(layerMean(frame, 'bounce'), 0.5 * 2 * seen);
  });
  it.each(['full', 'half'])(
    'agrees with the path tracer in a room, %s',
    async (scale) => {
      const view = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);
      for (const next of ['probes'])
        for (const total of [6]) {
          const values = { ...SCREEN, 'bounce.total': total, 'bounce.screenScale': scale, 'bounce.screenNext': next };
          const [ours, truth] = await Promise.all([
            render(room(), view, values),
            render(room(), view, { ...values, 'samples.method': 'path', 'samples.pixel': 256 }),
          ]);
          const parts = [
            [0, 48],
            [4, 16],
            [16, 32],
            [32, 44],
          ];
          console.log(
            scale,
            next,
            total,
            parts
              .map(([a, b]) => (layerMean(ours, 'bounce', a, b) / layerMean(truth, 'bounce', a, b)).toFixed(3))
              .join(' '),
          );
        }
    },
    60000,
  );
  void box;
});
