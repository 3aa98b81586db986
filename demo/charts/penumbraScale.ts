/** Chart `penumbra-scale`: a cube that floats over a ruled plane under a square light: how soft a shadow gets with height. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turned, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

export function buildPenumbraScale(): SceneSource {
  const { kit, card, pale, ink } = startChart('penumbra-scale', 60, 'felt', 'birch');
  const plane = new Mesh();
  box(plane, WORLD, [0, -0.1, 0], [14, 0.2, 14]);
  kit.object('plane', plane, card);
  const things = new Mesh();
  // a fence that leans away from the ground: its shadow is sharp at the foot and soft at the top
  for (let i = 0; i < 12; i++) box(things, WORLD, [-1.5, 0.06 + i * 0.12, -0.9 + i * 0.02], [0.5, 0.03, 0.03]);
  box(things, turned(0.5), [0.15, 0.62, 0], [0.42, 0.42, 0.42], 0.01);
  box(things, turned(0.2), [1.35, 0.21, 0.1], [0.42, 0.42, 0.42], 0.01);
  for (let i = 0; i < 3; i++) box(things, WORLD, [2.05 + i * 0.3, 0.5 + i * 0.35, -0.7], [0.05, 1 + i * 0.7, 0.05]);
  kit.object('things', things, pale);
  const ruler = new Mesh();
  // a mark every tenth of a metre, longer ones at halves and wholes
  for (let i = 0; i <= 40; i++) {
    const long = i % 10 === 0 ? 0.16 : i % 5 === 0 ? 0.1 : 0.06;
    box(ruler, WORLD, [-2 + i * 0.1, 0.0015, 1.05 - long / 2], [0.008, 0.003, long]);
  }
  letter(ruler, 'penumbra scale', [-0.75, 0.003, 1.45], [1, 0, 0], [0, 0, -1], 0.13);
  kit.object('ruler', ruler, ink);
  kit.light(
    'square light',
    { kind: 'area', color: [1, 0.96, 0.9], intensity: 90000, shape: 'square', width: 0.5, height: 0.5 },
    { translation: [-0.6, 3.2, -1.3], rotation: shining([0.18, -0.9, 0.4]) },
  );
  kit.shot('penumbra-scale', [0.2, 1.9, 3.9], [0.2, 0.35, -0.2], 32, [0, 0]);
  return kit.scene;
}
