/** Shot `lamp-room`: the lantern of Marrow Skerry Light in the last light of the day. */
import { blackBody } from '@daxel/core/math/color';
import { unit } from '@daxel/core/math/mat4';
import type { SceneSource } from '@daxel/core/scene/source';
import { CAST_IRON, PANE, PRISM_GLASS, ROCK, SEA, tint } from '../matter';
import { SceneKit, shining } from '../sceneKit';
import * as paint from '../textures/surfaces';
import {
  buildBarometer,
  buildHandrail,
  buildLamp,
  buildOilCan,
  buildPlant,
  buildPlinth,
  buildRope,
  buildShelf,
  onSill,
} from './furnishing';
import { buildLens, LENS_HEIGHT } from './lens';
import { buildRocks, buildSea } from './outside';
import { buildBronze, buildCeiling, buildFloor, buildPanes, buildPlaster, buildRibs, buildTrim } from './room';

const FRAMES = 96;
const RATE = 24;

/** Where the low sun stands, seen from the room. */
const SUN_AZIMUTH = 2.02;
const SUN_ALTITUDE = 0.36;

/** @param textureSize pixels a side of the large textures; tests use small ones */
export function buildLampRoom(textureSize = 1024): SceneSource {
  const kit = new SceneKit('Marrow Skerry Light');
  const materials = createMaterials(kit, textureSize);
  const lens = buildLens();
  const turning = kit.objectOf('lens', [
    [lens.glass, materials.lensGlass],
    [lens.brass, materials.brass],
  ]);
  kit.object('floor', buildFloor(), materials.slate);
  kit.object('wall', buildPlaster(), materials.plaster);
  kit.object('trim', buildTrim(), materials.paintedWood);
  kit.object('lattice', buildBronze(), materials.bronze);
  kit.object('panes', buildPanes(), materials.pane);
  kit.object('ceiling', buildCeiling(), materials.ceiling);
  kit.object('ribs', buildRibs(), materials.iron);
  kit.object('plinth', buildPlinth(), materials.iron);
  const rail = buildHandrail();
  kit.objectOf('handrail', [
    [rail.brass, materials.brass],
    [rail.iron, materials.iron],
  ]);
  const plant = buildPlant(onSill(3, 0.36));
  kit.objectOf('geranium', [
    [plant.pot, materials.terracotta],
    [plant.soil, materials.soil],
    [plant.stalks, materials.stalk],
    [plant.leaves, materials.leaf],
    [plant.petals, materials.petal],
  ]);
  kit.object('rope', buildRope(-1.15, 0.35), materials.rope);
  const shelf = buildShelf(3);
  kit.objectOf('shelf', [
    [shelf.shelf, materials.wood],
    [shelf.brackets, materials.iron],
    [shelf.cover, materials.leather],
    [shelf.pages, materials.paper],
  ]);
  kit.object('oil can', buildOilCan([-0.62, 0, 0.86]), materials.copper);
  const barometer = buildBarometer(4);
  kit.objectOf('barometer', [
    [barometer.brass, materials.brass],
    [barometer.face, materials.dial],
    [barometer.glass, materials.pane],
  ]);
  const lamp = buildLamp(LENS_HEIGHT);
  kit.objectOf('lamp', [
    [lamp.burner, materials.brass],
    [lamp.mantle, materials.mantle],
  ]);
  kit.object('sea', buildSea(), materials.sea);
  kit.object('rocks', buildRocks(), materials.rock);

  addLight(kit);
  addMotion(kit, turning);
  return kit.scene;
}

function createMaterials(kit: SceneKit, size: number) {
  const surface = (images: paint.SurfaceImages) => ({
    ...kit.surface(images),
    occlusionTexture: kit.image(images.data),
  });
  const half = Math.max(64, size / 2);
  const polished = kit.image(paint.metalData('brass data', half, 0.12, 0.34, 0.75));
  const dull = kit.image(paint.metalData('bronze data', half, 0.32, 0.6, 0.5));
  const shade = kit.image(paint.evenData('indoor shade', 0.45, 1, 1));
  const indoor = { occlusionTexture: shade };
  const metal = (name: string, color: [number, number, number], data = polished): number =>
    kit.material(name, {
      baseColor: [...color, 1],
      metallic: 1,
      roughness: 1,
      metallicRoughnessTexture: data,
      occlusionTexture: data,
    });
  const warm = blackBody(2600);
  return {
    slate: kit.material('slate', surface(paint.slate(size * 2, 0.76, 0.68))),
    plaster: kit.material('plaster', surface(paint.plaster(size))),
    brass: metal('brass', [0.78, 0.56, 0.27]),
    copper: metal('copper', [0.72, 0.41, 0.28]),
    bronze: metal('bronze', [0.24, 0.17, 0.11], dull),
    iron: kit.material('cast iron', {
      ...CAST_IRON,
      normalTexture: kit.image(paint.ironNormals(half)),
      ...indoor,
    }),
    ceiling: kit.material('ceiling boards', { baseColor: [0.42, 0.38, 0.31, 1], roughness: 0.75, ...indoor }),
    paintedWood: kit.material('painted wood', { baseColor: [0.42, 0.4, 0.34, 1], roughness: 0.45, ...indoor }),
    lensGlass: kit.material('prism glass', {
      ...PRISM_GLASS,
      occlusionTexture: kit.image(paint.evenData('glass shade', 0.9, 1, 1)),
    }),
    pane: kit.material('pane', { ...PANE, occlusionTexture: shade }),
    terracotta: kit.material('terracotta', { baseColor: [0.46, 0.2, 0.11, 1], roughness: 0.85, ...indoor }),
    soil: kit.material('soil', { baseColor: [0.05, 0.035, 0.025, 1], roughness: 0.95, ...indoor }),
    stalk: kit.material('stalk', { baseColor: [0.13, 0.2, 0.06, 1], roughness: 0.7, ...indoor }),
    leaf: kit.material('leaf', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.leaf(half), 'clamp'),
      roughness: 0.55,
      alphaMode: 'mask',
      doubleSided: true,
      occlusionTexture: shade,
    }),
    petal: kit.material('petal', { baseColor: [0.68, 0.06, 0.07, 1], roughness: 0.6, doubleSided: true, ...indoor }),
    rope: kit.material('rope', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.ropeColor(half)),
      normalTexture: kit.image(paint.ropeNormals(half)),
      roughness: 0.9,
      ...indoor,
    }),
    wood: kit.material('shelf wood', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.wood(half)),
      roughness: 0.55,
      ...indoor,
    }),
    leather: kit.material('leather', { baseColor: [0.2, 0.055, 0.04, 1], roughness: 0.45, ...indoor }),
    paper: kit.material('paper', { baseColor: [0.72, 0.66, 0.52, 1], roughness: 0.9, ...indoor }),
    dial: kit.material('dial', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.dial(half)),
      roughness: 0.35,
      ...indoor,
    }),
    mantle: kit.material('mantle', {
      baseColor: [0.8, 0.8, 0.8, 1],
      roughness: 1,
      emissive: [warm[0] * 60000, warm[1] * 60000, warm[2] * 60000],
    }),
    sea: kit.material('sea', { ...SEA, normalTexture: kit.image(paint.seaNormals(size, 60)) }),
    rock: kit.material('rock', ROCK),
  };
}

function sunDirection(): [number, number, number] {
  const c = Math.cos(SUN_ALTITUDE);
  // the sun stands in the north-west, to the left and a little before the camera
  return [-Math.sin(SUN_AZIMUTH) * c, Math.sin(SUN_ALTITUDE), Math.cos(SUN_AZIMUTH) * c];
}

function addLight(kit: SceneKit): void {
  const sun = sunDirection();
  kit.light(
    'sun',
    { kind: 'sun', color: tint(3300), intensity: 9000, angularDiameterRad: 0.0093 },
    { rotation: shining([-sun[0], -sun[1], -sun[2]]) },
  );
  kit.light(
    'lamp light',
    { kind: 'point', color: tint(2600), intensity: 420, radius: 0.03 },
    { translation: [0, LENS_HEIGHT, 0] },
  );
  kit.sky(
    [
      { y: -1, radiance: [40, 46, 60] },
      { y: -0.02, radiance: [220, 190, 190] },
      { y: 0.015, radiance: [1050, 690, 470] },
      { y: 0.12, radiance: [620, 560, 600] },
      { y: 0.4, radiance: [230, 300, 470] },
      { y: 1, radiance: [110, 165, 310] },
    ],
    {
      direction: unit([sun[0], 0.1, sun[2]]) as [number, number, number],
      radiance: [2600, 1350, 480],
      sharpness: 7,
    },
  );
}

function addMotion(kit: SceneKit, lens: number): void {
  const eye = [0.12, 1.55, 1.93];
  const camera = kit.shot('lamp-room', eye, [-0.02, 1.33, 0], 24, [0, FRAMES - 1]);
  const end = (FRAMES - 1) / RATE;
  const times = Float32Array.from({ length: 25 }, (_, i) => (i / 24) * end);
  const turn = (40 * Math.PI) / 180;
  kit.scene.animations.push({
    node: lens,
    path: 'rotation',
    interpolation: 'linear',
    times,
    values: Float32Array.from(
      [...times].flatMap((t) => [0, Math.sin(((t / end) * turn) / 2), 0, Math.cos(((t / end) * turn) / 2)]),
    ),
  });
  const sway = (t: number, k: number): number =>
    0.004 * (Math.sin(t * (2.1 + k)) + 0.6 * Math.sin(t * (5.3 + 2 * k) + k));
  kit.scene.animations.push({
    node: camera,
    path: 'translation',
    interpolation: 'linear',
    times,
    values: Float32Array.from(
      [...times].flatMap((t) => [
        eye[0] + 0.5 * (t / end) + sway(t, 0),
        eye[1] + sway(t, 1),
        eye[2] - 0.08 * (t / end),
      ]),
    ),
  });
}
