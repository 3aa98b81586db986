/** What the demo consists of: scenes with the recipe, the patches and the hint that each starts with. */
import type { Rig } from '@daxel/core/light/rig';
import type { Recipe } from '@daxel/core/recipe/recipe';
import { startingRecipe } from '@daxel/core/recipe/startingRecipes';
import type { SceneSource } from '@daxel/core/scene/source';
import { buildBandCombs } from './charts/bandCombs';
import { buildColouredBox } from './charts/colouredBox';
import { buildEmissiveRoom } from './charts/emissiveRoom';
import { buildFarShadows } from './charts/farShadows';
import { buildFineLines } from './charts/fineLines';
import { buildGrazingPlane } from './charts/grazingPlane';
import { buildLeakCorner } from './charts/leakCorner';
import { buildLowLightCorner } from './charts/lowLightCorner';
import { buildMovingGlint } from './charts/movingGlint';
import { buildPenumbraScale } from './charts/penumbraScale';
import { buildSlowPanWires } from './charts/slowPanWires';
import { buildSparks } from './charts/sparks';
import { buildSpinningBar } from './charts/spinningBar';
import { buildThinWall } from './charts/thinWall';
import { buildDayRoom } from './dayRoom/dayRoom';
import { buildGallery } from './gallery/gallery';
import { buildLampRoom } from './lampRoom/lampRoom';
import { dayRoomRigs, lampRoomRigs } from './rigs';
import { buildStairwell } from './stairwell/stairwell';

export interface DemoScene {
  project: string;
  file: string;
  /** Name of the scene's one shot. */
  shot: string;
  build: () => SceneSource;
  recipe: Recipe;
  /** In shares of the picture. */
  patches: { name: string; x: number; y: number; width: number; height: number }[];
  /** Further lightings to compare, made from the scene's own. */
  rigs?: (own: Rig) => Rig[];
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
    }),
    patches: [
      { name: 'window bars', x: 0.76, y: 0.04, width: 0.17, height: 0.2 },
      { name: 'lens rings', x: 0.42, y: 0.24, width: 0.17, height: 0.2 },
      { name: 'leaves', x: 0.83, y: 0.3, width: 0.15, height: 0.2 },
      { name: 'wall under the sill', x: 0.78, y: 0.62, width: 0.17, height: 0.2 },
    ],
    rigs: lampRoomRigs,
    hint: 'Choose Samples in the ribbon, set Draft pixel samples to 1, and hold B: the window bars show what 4 samples bought.',
  },
  {
    project: LIGHT,
    file: 'gallery.glb',
    shot: 'gallery',
    build: () => buildGallery(),
    recipe: recipe('Dailies', {
      'lens.exposure': -7.25,
      'lens.bloom': 5,
      'shadows.distance': 150,
      'shadows.cascades': 4,
      'shadows.split': 85,
    }),
    patches: [
      { name: 'wire mesh', x: 0.64, y: 0.72, width: 0.17, height: 0.2 },
      { name: 'wet deck', x: 0.36, y: 0.7, width: 0.17, height: 0.2 },
      { name: 'lattice', x: 0.08, y: 0.12, width: 0.17, height: 0.2 },
      { name: 'shore and sea', x: 0.62, y: 0.14, width: 0.17, height: 0.2 },
    ],
    hint: 'In Geometry turn Levels of detail on and choose the view Detail: far bays thin out. On Motion they pop.',
  },
  {
    project: LIGHT,
    file: 'stairwell.glb',
    shot: 'stairwell',
    build: () => buildStairwell(),
    recipe: recipe('Dailies', {
      'lens.exposure': -9.25,
      'lens.bloom': 3,
      'reflections.method': 'traced',
      'shadows.distance': 12,
      'bounce.method': 'voxels',
    }),
    patches: [
      { name: 'treads from below', x: 0.08, y: 0.06, width: 0.17, height: 0.2 },
      { name: 'wall', x: 0.68, y: 0.22, width: 0.17, height: 0.2 },
      { name: 'balusters', x: 0.4, y: 0.36, width: 0.17, height: 0.2 },
    ],
    hint: 'Choose Bounce and set Method to surroundings: the shaft is lit through its walls. Voxels keep the sky out and pass light on.',
  },
  {
    project: LIGHT,
    file: 'day-room.glb',
    shot: 'day room',
    build: () => buildDayRoom(),
    recipe: recipe(
      'Dailies',
      {
        'lens.exposure': -8,
        'lens.bloom': 3,
        'reflections.method': 'traced',
        'shadows.distance': 8,
        'bounce.method': 'probes',
      },
      { 'samples.method': 'path', 'samples.pixel': 64, 'samples.denoise': 'spatial' },
      { 'samples.method': 'raster', 'samples.denoise': 'off' },
    ),
    patches: [
      { name: 'mirror', x: 0.45, y: 0.08, width: 0.17, height: 0.2 },
      { name: 'glass and lemon', x: 0.52, y: 0.5, width: 0.17, height: 0.2 },
      { name: 'folds', x: 0.4, y: 0.68, width: 0.17, height: 0.2 },
      { name: 'wall by the plant', x: 0.14, y: 0.3, width: 0.17, height: 0.2 },
    ],
    rigs: dayRoomRigs,
    hint: 'Choose Samples and set Draft Method to path traced: the mirror, the glass and the wall by the cloth. Five more lightings wait on Light.',
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
    hint: 'Turn Automatic bias off and set both biases to 0: acne. The view Shadow faults marks every pixel of it.',
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
    hint: 'Turn Automatic bias off and raise Normal offset: light leaks under the wall. The view Shadow faults marks it.',
  },
  {
    project: CHARTS,
    file: 'chart-penumbra-scale.glb',
    shot: 'penumbra-scale',
    build: buildPenumbraScale,
    recipe: recipe('Dailies', { 'lens.exposure': -8.75, 'shadows.localResolution': 1024 }),
    patches: [
      { name: 'cube that floats', x: 0.44, y: 0.58, width: 0.18, height: 0.22 },
      { name: 'leaning fence', x: 0.06, y: 0.44, width: 0.18, height: 0.22 },
    ],
    hint: 'Make the square light wider on Light: its shadows soften at once. Light samples 1 draws them hard, for comparison.',
  },
  {
    project: CHARTS,
    file: 'chart-far-shadows.glb',
    shot: 'far-shadows',
    build: buildFarShadows,
    recipe: recipe('Dailies', { 'lens.exposure': -11.5, 'shadows.distance': 150, 'shadows.cascades': 1 }),
    patches: [
      { name: 'near posts', x: 0.42, y: 0.72, width: 0.18, height: 0.22 },
      { name: 'far posts', x: 0.42, y: 0.4, width: 0.18, height: 0.16 },
    ],
    hint: 'Raise Cascades from 1 to 4, look at both patches, then choose the view Cascades under the picture.',
  },
  {
    project: CHARTS,
    file: 'chart-band-combs.glb',
    shot: 'band-combs',
    build: buildBandCombs,
    recipe: recipe('Dailies', {
      'lens.exposure': -8,
      'shadows.localResolution': 1024,
      'shadows.lightSamples': 2,
      'shadows.filter': 'hard',
    }),
    patches: [
      { name: 'fine comb', x: 0.16, y: 0.4, width: 0.18, height: 0.22 },
      { name: 'coarse comb', x: 0.66, y: 0.4, width: 0.18, height: 0.22 },
    ],
    hint: 'Eight positions on the light and hard comparisons leave bands. Choose a patch and let Shadow edges find the cure.',
  },
  {
    project: CHARTS,
    file: 'chart-spinning-bar.glb',
    shot: 'spinning-bar',
    build: buildSpinningBar,
    recipe: recipe(
      'Dailies',
      { 'lens.exposure': -9, 'lens.tone': 'none', 'samples.shutter': 4 },
      { 'samples.pixel': 4, 'samples.shutter': 16 },
    ),
    patches: [
      { name: 'tip of the bar', x: 0.52, y: 0.08, width: 0.18, height: 0.22 },
      { name: 'ticks', x: 0.22, y: 0.42, width: 0.16, height: 0.16 },
    ],
    hint: 'Four shutter samples leave a row of ghosts at the tip. Raise Shutter samples until they melt into one blur.',
  },
  {
    project: CHARTS,
    file: 'chart-moving-glint.glb',
    shot: 'moving-glint',
    build: buildMovingGlint,
    recipe: recipe('Dailies', { 'lens.exposure': -10 }),
    patches: [
      { name: 'small balls', x: 0.12, y: 0.4, width: 0.18, height: 0.22 },
      { name: 'large balls', x: 0.6, y: 0.4, width: 0.18, height: 0.22 },
    ],
    hint: 'Open Motion and render a second: the glints sparkle. Try what calms them, and what that costs.',
  },
  {
    project: CHARTS,
    file: 'chart-slow-pan-wires.glb',
    shot: 'slow-pan-wires',
    build: buildSlowPanWires,
    recipe: recipe(
      'Dailies',
      { 'lens.exposure': -9, 'lens.tone': 'none', 'samples.pixel': 1 },
      { 'samples.pixel': 16 },
    ),
    patches: [
      { name: 'thinnest wires', x: 0.08, y: 0.4, width: 0.18, height: 0.22 },
      { name: 'finest lines', x: 0.74, y: 0.12, width: 0.18, height: 0.22 },
    ],
    hint: 'Open Motion and render a second at one pixel sample: wires break and crawl. The suspects say what governs it.',
  },
  {
    project: CHARTS,
    file: 'chart-low-light-corner.glb',
    shot: 'low-light-corner',
    build: buildLowLightCorner,
    recipe: recipe(
      'Dailies',
      { 'lens.exposure': -5, 'samples.method': 'path', 'samples.pattern': 'moving', 'samples.pixel': 2 },
      { 'samples.pixel': 64, 'samples.scale': 100 },
      { 'samples.scale': 50 },
    ),
    patches: [
      { name: 'dark corner', x: 0.24, y: 0.36, width: 0.18, height: 0.22 },
      { name: 'floor by the boxes', x: 0.4, y: 0.66, width: 0.18, height: 0.2 },
    ],
    hint: 'Open Motion and render half a second: the corner boils. Denoise calms single frames, and may crawl itself.',
  },
  {
    project: CHARTS,
    file: 'chart-coloured-box.glb',
    shot: 'coloured-box',
    build: buildColouredBox,
    recipe: recipe('Dailies', { 'lens.exposure': -8.5, 'bounce.method': 'voxels' }),
    patches: [
      { name: 'tall plinth', x: 0.36, y: 0.4, width: 0.14, height: 0.2 },
      { name: 'ball', x: 0.55, y: 0.55, width: 0.14, height: 0.2 },
    ],
    hint: 'Choose Bounce and hold each Method against traced: which takes the walls’ colours to the plinths, and at what price?',
  },
  {
    project: CHARTS,
    file: 'chart-leak-corner.glb',
    shot: 'leak-corner',
    build: buildLeakCorner,
    recipe: recipe('Dailies', { 'lens.exposure': -11.25, 'shadows.distance': 12, 'bounce.method': 'voxels' }),
    patches: [
      { name: 'dark room', x: 0.26, y: 0.46, width: 0.16, height: 0.16 },
      { name: 'bright room', x: 0.58, y: 0.5, width: 0.16, height: 0.2 },
    ],
    hint: 'Lower Voxel resolution to 32: light comes through the thin wall. The view Voxel size says why; probes see to their own walls.',
  },
  {
    project: CHARTS,
    file: 'chart-emissive-room.glb',
    shot: 'emissive-room',
    build: buildEmissiveRoom,
    recipe: recipe('Dailies', { 'lens.exposure': -6, 'bounce.method': 'probes', 'bounce.probeSpacing': 0.2 }),
    patches: [
      { name: 'by the lamp', x: 0.12, y: 0.5, width: 0.18, height: 0.22 },
      { name: 'by the panel', x: 0.7, y: 0.5, width: 0.18, height: 0.22 },
    ],
    hint: 'Nothing shines but what glows. Surroundings leave it black; with few voxel cones the small lamp makes stars on the walls.',
  },
  {
    project: CHARTS,
    file: 'chart-sparks.glb',
    shot: 'sparks',
    build: buildSparks,
    recipe: recipe(
      'Dailies',
      { 'lens.exposure': -7, 'samples.pixel': 2, 'samples.shutter': 4 },
      { 'samples.pixel': 4, 'samples.shutter': 16 },
    ),
    patches: [
      { name: 'fountain', x: 0.36, y: 0.28, width: 0.18, height: 0.22 },
      { name: 'reeds', x: 0.68, y: 0.36, width: 0.18, height: 0.22 },
    ],
    hint: 'Open Motion and try four takes: sparks, reeds and the hand that holds the camera differ. Keep one; it stays the same.',
  },
];

function recipe(
  start: string,
  both: Recipe['draft'],
  final: Recipe['final'] = {},
  draft: Recipe['draft'] = {},
): Recipe {
  const base = startingRecipe(start) as Recipe;
  return { name: base.name, draft: { ...base.draft, ...both, ...draft }, final: { ...base.final, ...both, ...final } };
}
