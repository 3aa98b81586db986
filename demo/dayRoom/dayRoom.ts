/**
 * Shot `day room`: where the keeper sits by day. Sky, a hazy sun and a glowing panel light it; a red cloth, a white wall, a
 * mirror, a glass of water and brass show what soft light does.
 */
import { unit } from '@daxel/core/math/mat4';
import type { SceneSource } from '@daxel/core/scene/source';
import { PANE, ROCK, SEA, tint } from '../matter';
import { SceneKit, shining } from '../sceneKit';
import * as paint from '../textures/surfaces';
import {
  buildHangingLamp,
  buildMirror,
  buildPanel,
  buildPlant,
  buildRug,
  buildShelf,
  buildStool,
  buildTelescope,
} from './furnishing';
import { buildCeiling, buildDoor, buildFloor, buildJoinery, buildOutside, buildPanes, buildWalls } from './room';
import {
  buildBowl,
  buildCandlestick,
  buildCloth,
  buildJug,
  buildLegs,
  buildLemons,
  buildTumbler,
  onTable,
} from './table';

const FRAMES = 96;
const RATE = 24;
/** Of the panel, nit. */
const GLOW = 1500;
/** Height of the stool that carries the plant. */
const STOOL = 0.42;
/** Where the sun stands: low in the west, before the window. */
const SUN = unit([-0.8, 0.42, 0.22]) as [number, number, number];

/** @param textureSize pixels a side of the large textures; tests use small ones */
export function buildDayRoom(textureSize = 1024): SceneSource {
  const kit = new SceneKit('day room');
  const m = createMaterials(kit, textureSize);
  kit.object('walls', buildWalls(), m.limewash);
  kit.object('floor', buildFloor(), m.oak);
  kit.object('ceiling', buildCeiling(), m.paint);
  kit.object('joinery', buildJoinery(), m.paint);
  kit.object('panes', buildPanes(), m.pane);
  const door = buildDoor();
  kit.objectOf('door', [
    [door.boards, m.blue],
    [door.knob, m.brass],
  ]);
  const outside = buildOutside();
  kit.object('sea', outside.sea, m.sea);
  kit.object('shore', outside.shore, m.rock);
  addTable(kit, m);
  addFurnishing(kit, m);
  addLight(kit);
  addMotion(kit);
  return kit.scene;
}

type Materials = ReturnType<typeof createMaterials>;

function createMaterials(kit: SceneKit, size: number) {
  const half = Math.max(64, size / 2);
  const plain = (name: string, color: [number, number, number], roughness: number): number =>
    kit.material(name, { baseColor: [...color, 1], roughness });
  const polished = kit.image(paint.metalData('brass data', half, 0.1, 0.3, 1));
  const warm = tint(3000);
  return {
    limewash: kit.material('limewash', kit.surface(paint.limewash(size))),
    oak: kit.material('oak boards', kit.surface(paint.boards(size))),
    paint: plain('white paint', [0.7, 0.69, 0.64], 0.4),
    pane: kit.material('pane', PANE),
    blue: plain('blue paint', [0.06, 0.16, 0.2], 0.4),
    brass: kit.material('brass', {
      baseColor: [0.83, 0.6, 0.28, 1],
      metallic: 1,
      roughness: 1,
      metallicRoughnessTexture: polished,
    }),
    mirror: kit.material('mirror', { baseColor: [0.9, 0.91, 0.9, 1], metallic: 1, roughness: 0 }),
    cloth: kit.material('red cloth', {
      baseColor: [0.46, 0.022, 0.018, 1],
      roughness: 0.85,
      doubleSided: true,
      normalTexture: kit.image(paint.weave(half / 2)),
    }),
    glass: kit.material('glass', {
      baseColor: [0.98, 0.99, 0.985, 1],
      transmission: 1,
      roughness: 0,
      ior: 1.5,
      thickness: 0.004,
    }),
    water: kit.material('water', {
      baseColor: [0.97, 0.99, 0.99, 1],
      transmission: 1,
      roughness: 0,
      ior: 1.33,
      thickness: 0.05,
    }),
    glaze: plain('white glaze', [0.76, 0.75, 0.71], 0.12),
    greenGlaze: plain('green glaze', [0.05, 0.13, 0.11], 0.15),
    lemon: kit.material('lemon', {
      baseColor: [0.78, 0.55, 0.05, 1],
      roughness: 0.42,
      normalTexture: kit.image(paint.peel(half / 2)),
    }),
    wax: plain('wax', [0.78, 0.7, 0.52], 0.35),
    soil: plain('soil', [0.05, 0.035, 0.025], 0.95),
    leaf: kit.material('long leaf', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.strapLeaf(half / 2), 'clamp'),
      roughness: 0.38,
      doubleSided: true,
    }),
    wood: kit.material('walnut', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(paint.wood(half)),
      roughness: 0.4,
    }),
    panel: kit.material('glowing paper', {
      baseColor: [0.8, 0.78, 0.72, 1],
      roughness: 0.9,
      emissive: [warm[0] * GLOW, warm[1] * GLOW, warm[2] * GLOW],
    }),
    paleBraid: kit.material('pale braid', {
      baseColor: [0.52, 0.46, 0.36, 1],
      roughness: 0.95,
      normalTexture: kit.image(paint.ropeNormals(half)),
    }),
    darkBraid: kit.material('dark braid', {
      baseColor: [0.07, 0.12, 0.16, 1],
      roughness: 0.95,
      normalTexture: kit.image(paint.ropeNormals(half)),
    }),
    books: [
      plain('green leather', [0.05, 0.1, 0.06], 0.45),
      plain('brown leather', [0.2, 0.09, 0.045], 0.45),
      plain('ochre cloth', [0.45, 0.28, 0.09], 0.8),
    ],
    sea: kit.material('sea', { ...SEA, normalTexture: kit.image(paint.seaNormals(half, 30)) }),
    rock: kit.material('rock', ROCK),
  };
}

function addTable(kit: SceneKit, m: Materials): void {
  kit.object('cloth', buildCloth(), m.cloth);
  kit.object('table legs', buildLegs(), m.wood);
  const tumbler = buildTumbler(onTable(0.27, 0.2));
  kit.object('glass', tumbler.glass, m.glass);
  kit.object('water', tumbler.water, m.water);
  const bowl = onTable(-0.1, 0.06);
  kit.object('bowl', buildBowl(bowl), m.brass);
  kit.object('lemons', buildLemons(bowl), m.lemon);
  kit.object('jug', buildJug(onTable(-0.43, -0.04)), m.glaze);
  const stick = buildCandlestick(onTable(0.5, -0.08));
  kit.objectOf('candlestick', [
    [stick.brass, m.brass],
    [stick.candle, m.wax],
  ]);
}

function addFurnishing(kit: SceneKit, m: Materials): void {
  const mirror = buildMirror(0.2, 1.56, 0.34);
  kit.object('mirror', mirror.glass, m.mirror);
  kit.object('mirror frame', mirror.frame, m.brass);
  const panel = buildPanel();
  kit.object('panel', panel.glow, m.panel);
  kit.object('panel frame', panel.frame, m.wood);
  kit.object('stool', buildStool(-1.42, -1.4, STOOL), m.wood);
  const plant = buildPlant(-1.42, STOOL, -1.4);
  kit.objectOf('plant', [
    [plant.pot, m.greenGlaze],
    [plant.soil, m.soil],
    [plant.leaves, m.leaf],
  ]);
  const telescope = buildTelescope(-1.2, 0.12, 1.24, [-0.95, 0.2, -0.32]);
  kit.objectOf('telescope', [
    [telescope.brass, m.brass],
    [telescope.wood, m.wood],
    [telescope.lens, m.pane],
  ]);
  const lamp = buildHangingLamp();
  kit.objectOf('hanging lamp', [
    [lamp.brass, m.brass],
    [lamp.cord, m.soil],
  ]);
  const rug = buildRug(0.3, -0.62);
  kit.objectOf('rug', [
    [rug.pale, m.paleBraid],
    [rug.dark, m.darkBraid],
  ]);
  const shelf = buildShelf();
  kit.objectOf('shelf', [[shelf.board, m.wood], ...shelf.books.map((mesh, i) => [mesh, m.books[i]] as const)]);
}

function addLight(kit: SceneKit): void {
  kit.light(
    'sun',
    // through haze: a wide disc
    { kind: 'sun', color: tint(4300), intensity: 5500, angularDiameterRad: (1.7 * Math.PI) / 180 },
    { rotation: shining([-SUN[0], -SUN[1], -SUN[2]]) },
  );
  kit.sky(
    [
      { y: -1, radiance: [260, 300, 340] },
      { y: -0.02, radiance: [1500, 1650, 1850] },
      { y: 0.02, radiance: [3900, 4000, 4100] },
      { y: 0.3, radiance: [2500, 3000, 3800] },
      { y: 1, radiance: [1300, 1900, 3100] },
    ],
    { direction: SUN, radiance: [8000, 6800, 5200], sharpness: 16 },
  );
}

/** The camera goes slowly to the right: the plant and the telescope pass before the wall, the mirror turns to the window. */
function addMotion(kit: SceneKit): void {
  const eye = [0.06, 1.46, 1.3];
  const camera = kit.shot('day room', eye, [0.02, 0.96, -1.2], 24, [0, FRAMES - 1]);
  const end = (FRAMES - 1) / RATE;
  const times = Float32Array.from({ length: 25 }, (_, i) => (i / 24) * end);
  kit.scene.animations.push({
    node: camera,
    path: 'translation',
    interpolation: 'linear',
    times,
    values: Float32Array.from(
      [...times].flatMap((t) => {
        const s = t / end;
        return [eye[0] + 0.45 * s * s * (3 - 2 * s), eye[1] + 0.02 * s, eye[2] - 0.08 * s];
      }),
    ),
  });
}
