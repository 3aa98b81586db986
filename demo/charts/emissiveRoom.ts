/** Chart `emissive-room`: a closed room that nothing lights but what glows: a small lamp and a large panel of as much light. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { box, turnedShape, WORLD } from '../shapes/solids';
import { startChart } from './card';
import { letter } from './lettering';

const HALF = 1.4;
const HEIGHT = 2;
const WALL = 0.15;
const LAMP = 0.05;
const PANEL = [0.9, 0.6] as const;
/** Of the panel, nit; the lamp's is as much more as it is smaller. */
const GLOW = 260;

export function buildEmissiveRoom(): SceneSource {
  const { kit, pale, card, ink } = startChart('emissive-room', 0, 'slate', 'limewash');
  const shell = new Mesh();
  const side = 2 * HALF;
  box(shell, WORLD, [0, -WALL / 2, 0], [side, WALL, side]);
  box(shell, WORLD, [0, HEIGHT + WALL / 2, 0], [side, WALL, side]);
  box(shell, WORLD, [0, HEIGHT / 2, -HALF - WALL / 2], [side, HEIGHT, WALL]);
  box(shell, WORLD, [0, HEIGHT / 2, HALF + WALL / 2], [side, HEIGHT, WALL]);
  box(shell, WORLD, [-HALF - WALL / 2, HEIGHT / 2, 0], [WALL, HEIGHT, side]);
  box(shell, WORLD, [HALF + WALL / 2, HEIGHT / 2, 0], [WALL, HEIGHT, side]);
  kit.object('shell', shell, pale);
  const things = new Mesh();
  // a screen keeps the light of the two apart
  box(things, WORLD, [0, 0.5, -0.75], [0.05, 1, 1.3]);
  box(things, WORLD, [-0.8, 0.15, -0.2], [0.3, 0.3, 0.3], 0.006);
  box(things, WORLD, [0.8, 0.15, -0.2], [0.3, 0.3, 0.3], 0.006);
  kit.object('screen and boxes', things, card);
  const glowing = (name: string, color: readonly [number, number, number], nit: number): number =>
    kit.material(name, {
      baseColor: [0.5, 0.5, 0.5, 1],
      roughness: 1,
      emissive: [color[0] * nit, color[1] * nit, color[2] * nit],
    });
  // as much light leaves a ball of this radius as a panel that shines to one side
  const more = (PANEL[0] * PANEL[1]) / (4 * Math.PI * LAMP * LAMP);
  const lamp = new Mesh();
  turnedShape(
    lamp,
    { ...WORLD, origin: [-0.85, 0.9, -1] },
    Array.from({ length: 17 }, (_, i): [number, number] => {
      const a = (i / 16) * Math.PI;
      return [Math.max(1e-4, LAMP * Math.sin(a)), LAMP * Math.cos(a)];
    }),
    24,
  );
  kit.object('lamp', lamp, glowing('lamp', [1, 0.72, 0.42], GLOW * more));
  const panel = new Mesh();
  box(panel, WORLD, [0.75, 0.9, -HALF + 0.02], [PANEL[0], PANEL[1], 0.03]);
  kit.object('panel', panel, glowing('panel', [0.62, 0.8, 1], GLOW));
  const title = new Mesh();
  letter(title, 'emissive room', [-0.62, 0.003, 0.75], [1, 0, 0], [0, 0, -1], 0.1);
  kit.object('title', title, ink);
  kit.shot('emissive-room', [0, 1.25, 1.3], [0, 0.72, -1], 19, [0, 0]);
  return kit.scene;
}
