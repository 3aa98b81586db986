/** Chart `low-light-corner`: a room whose far corner is lit by light that has bounced twice: path-traced grain crawls. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

export function buildLowLightCorner(): SceneSource {
  const { kit, card, pale, ink } = startChart('low-light-corner', 0, 'felt', 'ochre');
  const room = new Mesh();
  box(room, WORLD, [0, -0.1, 0], [4.4, 0.2, 4.4]);
  box(room, WORLD, [0, 2.5, 0], [4.4, 0.2, 4.4]);
  box(room, WORLD, [0, 1.2, -2.1], [4.4, 2.4, 0.2]);
  box(room, WORLD, [-2.1, 1.2, 0], [0.2, 2.4, 4.4]);
  box(room, WORLD, [2.1, 1.2, 0], [0.2, 2.4, 4.4]);
  box(room, WORLD, [0, 1.2, 2.3], [4.4, 2.4, 0.2]);
  kit.object('room', room, pale);
  const things = new Mesh();
  // the screen hides the lamp's light from the corner behind it
  box(things, WORLD, [0.35, 0.9, -0.55], [0.06, 1.8, 2.5]);
  box(things, WORLD, [-1.3, 0.25, -1.4], [0.5, 0.5, 0.5]);
  box(things, WORLD, [-0.75, 0.14, -1.1], [0.28, 0.28, 0.28]);
  kit.object('screen and boxes', things, card);
  const title = new Mesh();
  letter(title, 'low light corner', [-1.2, 0.003, 0.2], [1, 0, 0], [0, 0, -1], 0.12);
  kit.object('title', title, ink);
  kit.light(
    'lamp',
    { kind: 'area', color: [1, 0.86, 0.66], intensity: 30000, shape: 'square', width: 0.25, height: 0.25 },
    { translation: [1.95, 1.6, -0.9], rotation: shining([-1, -0.35, 0]) },
  );
  const eye = [-0.75, 1.35, 2.0];
  const camera = kit.shot('low-light-corner', eye, [-0.8, 0.75, -1.6], 24, [0, 47]);
  kit.scene.animations.push({
    node: camera,
    path: 'translation',
    interpolation: 'linear',
    times: Float32Array.of(0, 2),
    values: Float32Array.of(...eye, -0.69, 1.35, 2.0),
  });
  return kit.scene;
}
