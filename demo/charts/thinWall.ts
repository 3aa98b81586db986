/** Chart `thin-wall`: a closed corner of walls two centimetres thick, the sun behind it: every bright line inside is a leak. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const THICK = 0.02;

export function buildThinWall(): SceneSource {
  const { kit, card, pale } = startChart('thin-wall', 600, 'sand', 'ochre');
  const floor = new Mesh();
  box(floor, WORLD, [0, -0.1, 0], [24, 0.2, 24]);
  kit.object('floor', floor, card);
  const walls = new Mesh();
  box(walls, WORLD, [0, 0.9, -1], [3.2, 1.8, THICK]);
  box(walls, WORLD, [1.6, 0.9, -0.1], [THICK, 1.8, 1.8 + THICK]);
  box(walls, WORLD, [-0.2, 0.45, 0.1], [THICK, 0.9, 1.1]);
  box(walls, WORLD, [0.75, 1.8, -0.1], [1.7 + THICK, THICK, 1.8 + THICK]);
  kit.object('walls', walls, pale);
  const title = new Mesh();
  letter(title, 'thin wall', [-1.75, 0.003, 0.95], [1, 0, 0], [0, 0, -1], 0.13);
  kit.object('title', title, pale);
  kit.light(
    'sun',
    { kind: 'sun', color: [1, 0.95, 0.86], intensity: 50000, angularDiameterRad: 0.0093 },
    { rotation: shining([-0.42, -0.62, 0.66]) },
  );
  kit.shot('thin-wall', [-1.5, 1.35, 3.5], [0.25, 0.62, -0.35], 30, [0, 0]);
  return kit.scene;
}
