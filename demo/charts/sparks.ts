/** Chart `sparks`: sparks from a bench, and reeds that sway, before a camera held by hand: a take decides their course. */
import { STILL_TAKE } from '@daxel/core/scene/take';
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, tube, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const SECONDS = 3;
const REEDS = 9;

export function buildSparks(): SceneSource {
  const { kit, card, pale, ink } = startChart('sparks', 60, 'slate', 'birch');
  const wood = kit.material('bench', { baseColor: [0.34, 0.26, 0.19, 1], roughness: 0.8 });
  const sheet = new Mesh();
  box(sheet, WORLD, [0, 0, -0.6], [8, 4.4, 0.1]);
  box(sheet, WORLD, [0, -0.9, 0], [8, 0.1, 1.4]);
  kit.object('card', sheet, card);
  const marks = new Mesh();
  letter(marks, 'sparks', [-1.9, 0.78, -0.54], [1, 0, 0], [0, 1, 0], 0.075);
  const bench = new Mesh();
  box(bench, WORLD, [-0.95, -0.6, 0], [0.5, 0.5, 0.4]);
  kit.object('lettering', marks, ink);
  kit.object('bench', bench, wood);
  kit.node('sparks', {
    translation: [-0.72, -0.3, 0.05],
    rotation: shining([0.8, 0.62, 0.05]),
    sparks: {
      perSecond: 220,
      life: 0.7,
      speed: 3.2,
      spreadDeg: 14,
      gravity: 6,
      size: 0.009,
      radiance: [9000, 4200, 900],
    },
  });
  for (let i = 0; i < REEDS; i++) {
    const height = 0.75 + 0.09 * ((i * 5) % 7);
    const reed = new Mesh();
    const bend = 0.05 * (((i * 3) % 5) - 2);
    tube(
      reed,
      [
        [0, 0, 0],
        [bend * 0.3, height * 0.55, 0],
        [bend, height, 0.02],
      ],
      0.007,
      6,
    );
    const node = kit.object(`reed ${i + 1}`, reed, pale);
    kit.scene.nodes[node].translation = [0.55 + i * 0.13, -0.85, 0.08 * ((i * 4) % 5) - 0.15];
    kit.scene.nodes[node].sway = { angleDeg: 2.5, hertz: 0.6 + 0.05 * i };
  }
  kit.shot('sparks', [0.1, 0.05, 2.9], [0.05, -0.06, 0], 30, [0, SECONDS * 24 - 1]);
  kit.scene.shots[0].take = {
    ...STILL_TAKE,
    number: 3,
    large: { angleDeg: 0.5, shift: 0.012, hertz: 0.5 },
    small: { angleDeg: 0.05, shift: 0, hertz: 5 },
  };
  return kit.scene;
}
