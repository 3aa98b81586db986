/** Chart `slow-pan-wires`: wires thinner than a pixel, and fine lines behind them, under a slow pan: they crawl. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, tube, WORLD } from '../shapes/solids';
import { startChart } from './card';
import { letter } from './lettering';

const SECONDS = 3;

export function buildSlowPanWires(): SceneSource {
  const { kit, pale, ink } = startChart('slow-pan-wires', 300, 'slate', 'limewash');
  const sheet = new Mesh();
  box(sheet, WORLD, [0, 0, -0.05], [8, 4.4, 0.1]);
  kit.object('card', sheet, pale);
  const lines = new Mesh();
  letter(lines, 'slow pan wires', [-1.72, 0.71, 0.002], [1, 0, 0], [0, 1, 0], 0.065);
  // gratings of three pitches, a little off upright
  [0.06, 0.038, 0.024].forEach((pitch, row) => {
    for (let i = 0; i * pitch < 0.9; i++) {
      const [x, y] = [0.75 + i * pitch, -0.75 + row * 0.5];
      lines.quad([
        [x, y, 0.002],
        [x + pitch / 2, y, 0.002],
        [x + pitch / 2 + 0.02, y + 0.42, 0.002],
        [x + 0.02, y + 0.42, 0.002],
      ]);
    }
  });
  kit.object('lines', lines, ink);
  const wires = new Mesh();
  for (let i = 0; i < 22; i++) {
    const radius = 0.0006 + 0.00012 * i;
    const x = -1.6 + i * 0.1;
    const lean = 0.02 + 0.012 * i;
    tube(
      wires,
      [
        [x, -0.85, 0.25],
        [x + lean, 0.6, 0.25],
      ],
      radius,
      6,
    );
  }
  for (let i = 0; i < 6; i++)
    tube(
      wires,
      [
        [-1.7, -0.7 + i * 0.2, 0.3],
        [0.65, -0.66 + i * 0.21, 0.3],
      ],
      0.0012,
      6,
    );
  kit.object('wires', wires, ink);
  const eye = [-0.06, 0.02, 3.05];
  const camera = kit.shot('slow-pan-wires', eye, [-0.06, 0.02, 0], 30, [0, SECONDS * 24 - 1]);
  kit.scene.animations.push({
    node: camera,
    path: 'translation',
    interpolation: 'linear',
    times: Float32Array.of(0, SECONDS),
    values: Float32Array.of(...eye, 0.06, 0.035, 3.05),
  });
  return kit.scene;
}
