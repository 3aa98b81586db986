/** Chart `band-combs`: combs of bars of four pitches before a wall, lit by a disc: too few light samples show as bands. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

export function buildBandCombs(): SceneSource {
  const { kit, card, pale, ink } = startChart('band-combs', 30, 'slate', 'birch');
  const room = new Mesh();
  box(room, WORLD, [0, 1.2, -0.1], [6, 3, 0.2]);
  box(room, WORLD, [0, -0.1, 1.5], [6, 0.2, 4]);
  kit.object('wall and floor', room, card);
  const combs = new Mesh();
  for (let comb = 0; comb < 4; comb++) {
    const pitch = 0.05 * (comb + 1);
    const x0 = -1.7 + comb * 0.9;
    for (let i = 0; i * pitch < 0.7; i++) box(combs, WORLD, [x0 + i * pitch, 1.05, 0.55], [pitch * 0.4, 1.3, 0.02]);
    box(combs, WORLD, [x0 + 0.33, 1.72, 0.55], [0.78, 0.04, 0.03]);
  }
  kit.object('combs', combs, pale);
  const title = new Mesh();
  letter(title, 'band combs', [-0.55, 0.003, 1.25], [1, 0, 0], [0, 0, -1], 0.12);
  kit.object('title', title, ink);
  kit.light(
    'disc light',
    { kind: 'area', color: [1, 0.97, 0.92], intensity: 60000, shape: 'disc', width: 0.6, height: 0.6 },
    { translation: [0.2, 1.7, 3.1], rotation: shining([-0.07, -0.2, -1]) },
  );
  kit.shot('band-combs', [0.1, 1.25, 3.4], [-0.1, 0.95, 0], 32, [0, 0]);
  return kit.scene;
}
