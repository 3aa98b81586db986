/** Chart `moving-glint`: polished balls drift past under a sharp sun: highlights smaller than a pixel come and go. */
import type { SceneSource } from '@daxel/core/scene/source';
import { randomStream } from '@daxel/core/math/random';
import { Mesh } from '../shapes/mesh';
import { box, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const BALLS = 34;
const [AROUND, DOWN] = [12, 6];
const SECONDS = 3;

export function buildMovingGlint(): SceneSource {
  const { kit, card, ink } = startChart('moving-glint', 60, 'baize');
  const sheet = new Mesh();
  box(sheet, WORLD, [0, 0, -0.05], [8, 4.4, 0.1]);
  kit.object('card', sheet, card);
  const title = new Mesh();
  letter(title, 'moving glint', [-1.72, 0.71, 0.002], [1, 0, 0], [0, 1, 0], 0.065);
  kit.object('title', title, ink);
  const steel = kit.material('steel', { baseColor: [0.7, 0.7, 0.68, 1], metallic: 1, roughness: 0.14 });
  const random = randomStream(11);
  const balls = new Mesh();
  for (let i = 0; i < BALLS; i++) {
    const radius = 0.012 + 0.05 * random() ** 2;
    const row = i % 5;
    ball(balls, [-1.75 + (3.4 * (i + random())) / BALLS, -0.72 + 0.32 * row + 0.16 * random(), radius], radius);
  }
  const node = kit.object('balls', balls, steel);
  kit.scene.animations.push({
    node,
    path: 'translation',
    interpolation: 'linear',
    times: Float32Array.of(0, SECONDS),
    // a third of a pixel a frame at 960 pixels, so that glints meet every place of the grid
    values: Float32Array.of(0, 0, 0, 0.1, 0.021, 0),
  });
  kit.light('sun', { kind: 'sun', intensity: 4000, castsShadow: true }, { rotation: shining([-0.5, -0.55, -0.8]) });
  kit.shot('moving-glint', [0, 0, 3.05], [0, 0, 0], 30, [0, SECONDS * 24 - 1]);
  return kit.scene;
}

function ball(mesh: Mesh, centre: readonly number[], radius: number): void {
  mesh.grid(AROUND, DOWN, (s, t) => {
    const [a, b] = [s * 2 * Math.PI, t * Math.PI];
    const n = [Math.sin(b) * Math.cos(a), Math.sin(b) * Math.sin(a), Math.cos(b)];
    return { p: n.map((c, k) => centre[k] + c * radius), n };
  });
}
