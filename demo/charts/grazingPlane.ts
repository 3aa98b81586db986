/** Chart `grazing-plane`: a sun a few degrees over a wide plane: acne, detached and stair-stepped shadows show at once. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turned, turnedShape, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const SUN_ALTITUDE = (7 * Math.PI) / 180;

export function buildGrazingPlane(): SceneSource {
  const { kit, card, pale, ink } = startChart('grazing-plane', 380, 'boards', 'limewash');
  const plane = new Mesh();
  box(plane, WORLD, [0, -0.1, 0], [60, 0.2, 60]);
  kit.object('plane', plane, card);

  const things = new Mesh();
  for (let i = 0; i < 9; i++) box(things, turned(0.2 * i), [-3.2 + i * 0.8, 0.35, -1.5 - (i % 3)], [0.06, 0.7, 0.06]);
  box(things, turned(0.6), [0.2, 0.25, 0.9], [0.5, 0.5, 0.5], 0.02);
  // floats above the plane: its shadow must not touch it
  box(things, turned(0.3), [-1.1, 0.62, 0.2], [0.5, 0.5, 0.5], 0.02);
  for (let i = 0; i < 12; i++) box(things, WORLD, [2.1, 0.06 + i * 0.1, -3 + i * 0.3], [1.2, 0.02, 0.02]);
  turnedShape(
    things,
    { ...WORLD, origin: [1.5, 0, 0.3] },
    Array.from({ length: 17 }, (_, i) => {
      const a = (i / 16 - 0.5) * Math.PI;
      return [Math.cos(a) * 0.32, 0.32 + Math.sin(a) * 0.32] as const;
    }),
    32,
  );
  kit.object('things', things, pale);

  const title = new Mesh();
  letter(title, 'grazing plane', [-0.75, 0.003, 1.75], [1, 0, 0], [0, 0, -1], 0.13);
  kit.object('title', title, ink);
  const c = Math.cos(SUN_ALTITUDE);
  kit.light(
    'sun',
    { kind: 'sun', color: [1, 0.9, 0.74], intensity: 60000, angularDiameterRad: 0.0093 },
    { rotation: shining([c * 0.86, -Math.sin(SUN_ALTITUDE), -c * 0.51]) },
  );
  kit.shot('grazing-plane', [0.15, 1.15, 3.9], [0.1, 0.3, -0.6], 30, [0, 0]);
  return kit.scene;
}
