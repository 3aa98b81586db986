/** Chart `coloured-box`: a room with one warm and one cold wall under a panel of light: their colours spill onto all that is white. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turned, turnedShape, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

/** Half the width of the room, and its height, metres. */
const HALF = 1;
const HEIGHT = 2;
const WALL = 0.1;

export function buildColouredBox(): SceneSource {
  const { kit, pale, ink } = startChart('coloured-box', 0);
  const matte = (name: string, [r, g, b]: readonly [number, number, number]): number =>
    kit.material(name, { baseColor: [r, g, b, 1], roughness: 0.9, specular: 0.3 });
  const shell = new Mesh();
  box(shell, WORLD, [0, -WALL / 2, 0], [2 * HALF, WALL, 2 * HALF]);
  box(shell, WORLD, [0, HEIGHT + WALL / 2, 0], [2 * HALF, WALL, 2 * HALF]);
  box(shell, WORLD, [0, HEIGHT / 2, -HALF - WALL / 2], [2 * HALF, HEIGHT, WALL]);
  kit.object('shell', shell, pale);
  for (const [side, name, color] of [
    [-1, 'terracotta wall', [0.52, 0.13, 0.06]],
    [1, 'blue wall', [0.07, 0.2, 0.42]],
  ] as const) {
    const wall = new Mesh();
    box(wall, WORLD, [side * (HALF + WALL / 2), HEIGHT / 2, 0], [WALL, HEIGHT + 2 * WALL, 2 * HALF + WALL]);
    kit.object(name, wall, matte(name, color));
  }
  const things = new Mesh();
  box(things, turned(0.32), [-0.42, 0.55, -0.32], [0.5, 1.1, 0.5], 0.01);
  box(things, turned(-0.4), [0.4, 0.2, 0.22], [0.55, 0.4, 0.55], 0.01);
  kit.object('plinths', things, pale);
  const ball = new Mesh();
  turnedShape(
    ball,
    { ...WORLD, origin: [0.4, 0.62, 0.22] },
    Array.from({ length: 25 }, (_, i): [number, number] => {
      const a = (i / 24) * Math.PI;
      return [Math.max(1e-4, 0.22 * Math.sin(a)), 0.22 * Math.cos(a)];
    }),
    48,
  );
  kit.object('ball', ball, matte('chalk', [0.7, 0.69, 0.66]));
  const title = new Mesh();
  letter(title, 'coloured box', [-0.5, 1.76, -0.985], [1, 0, 0], [0, 1, 0], 0.07);
  kit.object('title', title, ink);
  kit.light(
    'panel',
    { kind: 'area', color: [1, 0.94, 0.86], intensity: 9000, shape: 'rectangle', width: 0.7, height: 0.5 },
    { translation: [0, HEIGHT - 0.01, 0], rotation: shining([0, -1, 1e-4]) },
  );
  kit.shot('coloured-box', [0, 1.05, 4.3], [0, 0.98, 0], 33, [0, 0]);
  return kit.scene;
}
