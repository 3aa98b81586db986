/** What the demo consists of: scenes with the recipe, the patches and the hint that each starts with. */
import type { Recipe } from '@daxel/core/recipe/recipe';
import { startingRecipe } from '@daxel/core/recipe/startingRecipes';
import type { SceneSource } from '@daxel/core/scene/source';
import { buildFineLines } from './charts/fineLines';
import { buildGrazingPlane } from './charts/grazingPlane';
import { buildThinWall } from './charts/thinWall';
import { buildLampRoom } from './lampRoom/lampRoom';

export interface DemoScene {
  project: string;
  file: string;
  /** Name of the scene's one shot. */
  shot: string;
  build: () => SceneSource;
  recipe: Recipe;
  /** In shares of the picture. */
  patches: { name: string; x: number; y: number; width: number; height: number }[];
  /** One line of what to try. */
  hint: string;
}

const LIGHT = 'Marrow Skerry Light';
const CHARTS = 'Charts';

export const DEMO_SCENES: readonly DemoScene[] = [
  {
    project: LIGHT,
    file: 'lamp-room.glb',
    shot: 'lamp-room',
    build: () => buildLampRoom(),
    recipe: recipe('Dailies', {
      'lens.exposure': -10,
      'lens.bloom': 4,
      'shadows.distance': 9,
      'shadows.slopeBias': 1.5,
    }),
    patches: [
      { name: 'window bars', x: 0.76, y: 0.04, width: 0.17, height: 0.2 },
      { name: 'lens rings', x: 0.42, y: 0.24, width: 0.17, height: 0.2 },
      { name: 'leaves', x: 0.83, y: 0.3, width: 0.15, height: 0.2 },
      { name: 'wall under the sill', x: 0.78, y: 0.62, width: 0.17, height: 0.2 },
    ],
    hint: 'Choose Samples in the ribbon, set Draft pixel samples to 1, and hold B: the window bars show what 4 samples bought.',
  },
  {
    project: CHARTS,
    file: 'chart-fine-lines.glb',
    shot: 'fine-lines',
    build: buildFineLines,
    recipe: recipe('Dailies', { 'lens.exposure': -9, 'lens.tone': 'none' }),
    patches: [
      { name: 'rings', x: 0.06, y: 0.3, width: 0.18, height: 0.22 },
      { name: 'finest lines', x: 0.72, y: 0.2, width: 0.18, height: 0.22 },
    ],
    hint: 'Raise pixel samples until the false rings at the zone plate’s rim are gone.',
  },
  {
    project: CHARTS,
    file: 'chart-grazing-plane.glb',
    shot: 'grazing-plane',
    build: buildGrazingPlane,
    recipe: recipe('Dailies', { 'lens.exposure': -12, 'shadows.distance': 30 }),
    patches: [
      { name: 'open plane', x: 0.1, y: 0.62, width: 0.18, height: 0.22 },
      { name: 'far shadow', x: 0.6, y: 0.34, width: 0.18, height: 0.2 },
    ],
    hint: 'Set Slope bias and Normal offset to 0 to see acne, then find the least that cures it.',
  },
  {
    project: CHARTS,
    file: 'chart-thin-wall.glb',
    shot: 'thin-wall',
    build: buildThinWall,
    recipe: recipe('Dailies', { 'lens.exposure': -11.5, 'shadows.distance': 14 }),
    patches: [
      { name: 'foot of the wall', x: 0.4, y: 0.55, width: 0.18, height: 0.22 },
      { name: 'corner', x: 0.62, y: 0.4, width: 0.18, height: 0.22 },
    ],
    hint: 'Raise Normal offset: light leaks under the wall. A finer map needs less of it.',
  },
];

function recipe(start: string, both: Recipe['draft']): Recipe {
  const base = startingRecipe(start) as Recipe;
  return { name: base.name, draft: { ...base.draft, ...both }, final: { ...base.final, ...both } };
}
