/** Chart `spinning-bar`: a pale bar that turns once a second over a ring of ticks: few shutter samples show as ghosts. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turned, WORLD } from '../shapes/solids';
import { startChart } from './card';
import { letter } from './lettering';

const SECONDS = 3;
const TICKS = 24;

export function buildSpinningBar(): SceneSource {
  const { kit, card, pale, ink } = startChart('spinning-bar', 300, 'felt', 'birch');
  const sheet = new Mesh();
  box(sheet, WORLD, [0, 0, -0.05], [8, 4.4, 0.1]);
  kit.object('card', sheet, card);
  const marks = new Mesh();
  for (let i = 0; i < TICKS; i++) {
    const angle = (i / TICKS) * 2 * Math.PI;
    const long = i % 6 === 0 ? 0.1 : 0.05;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    const at = (r: number, aside: number): number[] => [c * r - s * aside, s * r + c * aside, 0.002];
    marks.quad([at(0.8, -0.006), at(0.8 + long, -0.006), at(0.8 + long, 0.006), at(0.8, 0.006)]);
  }
  letter(marks, 'spinning bar', [-1.72, 0.71, 0.002], [1, 0, 0], [0, 1, 0], 0.065);
  kit.object('marks', marks, ink);
  const bar = new Mesh();
  box(bar, WORLD, [0, 0, 0.1], [1.5, 0.06, 0.04]);
  const hub = new Mesh();
  for (let k = 0; k < 3; k++) box(hub, turned((k / 3) * Math.PI), [0, 0, 0], [0.1, 0.1, 0.1]);
  const node = kit.objectOf('bar', [
    [bar, pale],
    [hub, ink],
  ]);
  const steps = SECONDS * 4;
  kit.scene.animations.push({
    node,
    path: 'rotation',
    interpolation: 'linear',
    times: Float32Array.from({ length: steps + 1 }, (_, i) => i / 4),
    values: Float32Array.from({ length: (steps + 1) * 4 }, (_, i) => {
      const half = (-(i >> 2) * Math.PI) / 4;
      return [0, 0, Math.sin(half), Math.cos(half)][i & 3];
    }),
  });
  kit.shot('spinning-bar', [0, 0, 3.05], [0, 0, 0], 30, [8, SECONDS * 24 - 5]);
  return kit.scene;
}
