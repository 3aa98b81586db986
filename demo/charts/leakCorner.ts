/** Chart `leak-corner`: a dark room without a window beside a bright one, two centimetres of wall between: light in it is a leak. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const THIN = 0.02;
const HEIGHT = 1.6;
/** Of a room, along x and z. */
const WIDE = 1.7;
const DEEP = 1.8;

export function buildLeakCorner(): SceneSource {
  const { kit, card, pale } = startChart('leak-corner', 900, 'boards', 'limewash');
  const floor = new Mesh();
  box(floor, WORLD, [0, -0.1, 0], [14, 0.2, 14]);
  kit.object('floor', floor, card);
  const walls = new Mesh();
  const wall = (x: number, z: number, wide: number, deep: number, height = HEIGHT): void =>
    box(walls, WORLD, [x, height / 2, z], [wide, height, deep]);
  wall(0, -DEEP / 2, 2 * WIDE + THIN, THIN);
  wall(-WIDE, 0, THIN, DEEP);
  wall(WIDE, 0, THIN, DEEP);
  // between the rooms
  wall(0, 0, THIN, DEEP);
  // the dark room is seen through a slot that lets hardly any sky in
  wall(-WIDE / 2, DEEP / 2, WIDE, THIN, 0.62);
  box(walls, WORLD, [-WIDE / 2, HEIGHT - 0.24, DEEP / 2], [WIDE, 0.48, THIN]);
  box(walls, WORLD, [-WIDE / 2, HEIGHT, 0], [WIDE + THIN, THIN, DEEP + THIN]);
  kit.object('walls', walls, pale);
  const block = new Mesh();
  box(block, WORLD, [-0.45, 0.2, -0.35], [0.4, 0.4, 0.4], 0.006);
  box(block, WORLD, [0.75, 0.2, -0.2], [0.4, 0.4, 0.4], 0.006);
  kit.object('blocks', block, pale);
  const title = new Mesh();
  letter(title, 'leak corner', [0.25, 0.003, 1.25], [1, 0, 0], [0, 0, -1], 0.13);
  kit.object('title', title, pale);
  kit.light(
    'sun',
    { kind: 'sun', color: [1, 0.95, 0.86], intensity: 30000, angularDiameterRad: 0.0093 },
    { rotation: shining([-0.55, -0.7, -0.45]) },
  );
  kit.shot('leak-corner', [-0.25, 1.35, 3.9], [-0.1, 0.66, 0], 30, [0, 0]);
  return kit.scene;
}
