/** Chart `far-shadows`: rows of posts from one metre to a hundred and fifty: cascades, distance, resolution far away. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turned, WORLD } from '../shapes/solids';
import { shining } from '../sceneKit';
import { startChart } from './card';
import { letter } from './lettering';

const SUN_ALTITUDE = (22 * Math.PI) / 180;

export function buildFarShadows(): SceneSource {
  const { kit, card, pale, ink } = startChart('far-shadows', 900, 'sand', 'limewash');
  const plane = new Mesh();
  box(plane, WORLD, [0, -0.1, -80], [240, 0.2, 240]);
  kit.object('plane', plane, card);
  const posts = new Mesh();
  // each row a quarter farther than the one before, and as much larger in part
  for (let z = 1; z < 150; z *= 1.25) {
    const size = 0.05 + z * 0.006;
    for (let i = -3; i <= 3; i++)
      box(posts, turned(i * 0.3), [i * (0.5 + z * 0.12), size * 5, -z], [size, size * 10, size]);
    box(posts, WORLD, [0.3 + z * 0.05, size * 8, -z - 0.2], [size * 9, size * 0.6, size * 0.6]);
  }
  kit.object('posts', posts, pale);
  const title = new Mesh();
  letter(title, 'far shadows', [-0.62, 0.003, 1.05], [1, 0, 0], [0, 0, -1], 0.12);
  kit.object('title', title, ink);
  const c = Math.cos(SUN_ALTITUDE);
  kit.light(
    'sun',
    { kind: 'sun', color: [1, 0.93, 0.8], intensity: 40000, angularDiameterRad: 0.0093 },
    { rotation: shining([c * 0.8, -Math.sin(SUN_ALTITUDE), -c * 0.6]) },
  );
  kit.shot('far-shadows', [0, 1.6, 5], [0, 0.5, -8], 30, [0, 0]);
  return kit.scene;
}
