/** Shot `gallery`: outside on the walkway round the lantern, at dusk, while the beam passes. */
import { blackBody } from '@daxel/core/math/color';
import { lookAt, unit } from '@daxel/core/math/mat4';
import { rotationOf } from '@daxel/core/scene/compileScene';
import type { SceneSource } from '@daxel/core/scene/source';
import { buildLamp, buildPlinth } from '../lampRoom/furnishing';
import { buildLens, LENS_HEIGHT } from '../lampRoom/lens';
import { buildRocks, buildSea } from '../lampRoom/outside';
import { buildBronze, buildCeiling, buildPanes, buildPlaster, buildRibs } from '../lampRoom/room';
import { CAST_IRON, PANE, PRISM_GLASS, ROCK, SEA, tint } from '../matter';
import { SceneKit, shining } from '../sceneKit';
import * as paint from '../textures/surfaces';
import { buildRoof, buildWall, buildWallLamp } from './lantern';
import { buildGull, buildHills, buildShoreLights } from './shore';
import { BAY_ANGLE, BAYS, buildMesh, buildPlate, buildRails, buildRivets } from './walkway';

const FRAMES = 120;
const RATE = 24;
const END = (FRAMES - 1) / RATE;
/** Of lens and beam. */
const DEGREES_A_SECOND = 15;
/** Where the sun has all but set. */
const SUN = unit([0.86, 0.1, -0.5]) as [number, number, number];

/** @param textureSize pixels a side of the large textures; tests use small ones */
export function buildGallery(textureSize = 1024): SceneSource {
  const kit = new SceneKit('Marrow Skerry Light, gallery');
  const materials = createMaterials(kit, textureSize);
  addWalkway(kit, materials);
  kit.object('wall', buildWall(), materials.paint);
  kit.object('roof', buildRoof(), materials.roof);
  kit.object('inner wall', buildPlaster(), materials.plaster);
  kit.object('lattice', buildBronze(), materials.bronze);
  kit.object('panes', buildPanes(), materials.pane);
  kit.object('ceiling', buildCeiling(), materials.ceiling);
  kit.object('ribs', buildRibs(), materials.iron);
  kit.object('plinth', buildPlinth(), materials.iron);
  const lens = buildLens();
  const turning = kit.objectOf('lens', [
    [lens.glass, materials.lensGlass],
    [lens.brass, materials.brass],
  ]);
  const lamp = buildLamp(LENS_HEIGHT);
  kit.objectOf('lamp', [
    [lamp.burner, materials.brass],
    [lamp.mantle, materials.mantle],
  ]);
  kit.object('sea', buildSea(), materials.sea);
  kit.object('rocks', buildRocks(), materials.rock);
  kit.object('far shore', buildHills(), materials.hills);
  kit.object('shore lights', buildShoreLights(), materials.windows);
  addLight(kit, materials, turning);
  addGulls(kit, materials.gull);
  addCamera(kit);
  return kit.scene;
}

type Materials = ReturnType<typeof createMaterials>;

function createMaterials(kit: SceneKit, size: number) {
  const half = Math.max(64, size / 2);
  const plates = paint.wetPlates(size);
  const polished = kit.image(paint.metalData('brass data', half, 0.12, 0.34, 0.75));
  const dull = kit.image(paint.metalData('bronze data', half, 0.32, 0.6, 0.6));
  const indoor = { occlusionTexture: kit.image(paint.evenData('indoor shade', 0.3, 1, 1)) };
  const warm = blackBody(2600);
  const lit = (nit: number): [number, number, number] => [warm[0] * nit, warm[1] * nit, warm[2] * nit];
  return {
    plates: kit.material('deck plates', {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: kit.image(plates.color),
      metallicRoughnessTexture: kit.image(plates.data),
      occlusionTexture: kit.image(plates.data),
      normalTexture: kit.image(plates.normal),
      roughness: 1,
      metallic: 1,
    }),
    rivets: kit.material('rivets', { baseColor: [0.1, 0.1, 0.105, 1], roughness: 0.3, specular: 1 }),
    rails: kit.material('railing', {
      baseColor: [0.62, 0.62, 0.6, 1],
      roughness: 0.32,
      normalTexture: kit.image(paint.ironNormals(half)),
      normalScale: 0.5,
    }),
    wire: kit.material('wire mesh', { baseColor: [0.55, 0.56, 0.57, 1], metallic: 1, roughness: 0.3 }),
    paint: kit.material('painted iron', {
      baseColor: [0.66, 0.63, 0.56, 1],
      roughness: 0.4,
      normalTexture: kit.image(paint.ironNormals(half)),
    }),
    roof: kit.material('roof', { baseColor: [0.09, 0.14, 0.12, 1], roughness: 0.5 }),
    plaster: kit.material('plaster', { baseColor: [0.62, 0.56, 0.45, 1], roughness: 0.8, ...indoor }),
    ceiling: kit.material('ceiling boards', { baseColor: [0.5, 0.44, 0.34, 1], roughness: 0.75, ...indoor }),
    bronze: kit.material('bronze', {
      baseColor: [0.24, 0.17, 0.11, 1],
      metallic: 1,
      roughness: 1,
      metallicRoughnessTexture: dull,
    }),
    brass: kit.material('brass', {
      baseColor: [0.78, 0.56, 0.27, 1],
      metallic: 1,
      roughness: 1,
      metallicRoughnessTexture: polished,
      ...indoor,
    }),
    iron: kit.material('cast iron', { ...CAST_IRON, ...indoor }),
    lensGlass: kit.material('prism glass', PRISM_GLASS),
    pane: kit.material('pane', PANE),
    mantle: kit.material('mantle', { baseColor: [0.8, 0.8, 0.8, 1], roughness: 1, emissive: lit(60_000) }),
    bulb: kit.material('bulb', { baseColor: [0.8, 0.8, 0.8, 1], roughness: 1, emissive: lit(16_000) }),
    windows: kit.material('lit windows', { baseColor: [0.2, 0.2, 0.2, 1], roughness: 1, emissive: lit(1100) }),
    sea: kit.material('sea', { ...SEA, normalTexture: kit.image(paint.seaNormals(size, 60)) }),
    rock: kit.material('rock', ROCK),
    // the air before it has taken most of its colour
    hills: kit.material('far shore', { baseColor: [0.2, 0.22, 0.27, 1], roughness: 1, specular: 0 }),
    gull: kit.material('gull', { baseColor: [0.7, 0.7, 0.7, 1], roughness: 0.8, doubleSided: true }),
  };
}

/** A turn about the vertical axis, as a quaternion. */
function turnY(angle: number): [number, number, number, number] {
  return [0, Math.sin(angle / 2), 0, Math.cos(angle / 2)];
}

/** Plates differ; what stands on them is the same in every bay. */
function addWalkway(kit: SceneKit, materials: Materials): void {
  const first = kit.scene.meshes.length;
  for (const [name, mesh, material] of [
    ['rivets', buildRivets(), materials.rivets],
    ['rails', buildRails(), materials.rails],
    ['wire mesh', buildMesh(), materials.wire],
  ] as const)
    kit.scene.meshes.push({ name, primitives: [mesh.primitive(material)] });
  for (let bay = 0; bay < BAYS; bay++) {
    const rotation = turnY(bay * BAY_ANGLE);
    const plate = kit.object(`plate ${bay + 1}`, buildPlate(bay), materials.plates);
    kit.scene.nodes[plate].rotation = rotation;
    kit.node(`rivets ${bay + 1}`, { mesh: first, rotation, drawClass: 'small' });
    kit.node(`rails ${bay + 1}`, { mesh: first + 1, rotation });
    kit.node(`wire mesh ${bay + 1}`, { mesh: first + 2, rotation, drawClass: 'small' });
  }
}

function addLight(kit: SceneKit, materials: Materials, lens: number): void {
  kit.light(
    'sun',
    { kind: 'sun', color: tint(2500), intensity: 420, angularDiameterRad: 0.0093 },
    { rotation: shining([-SUN[0], -SUN[1], -SUN[2]]) },
  );
  kit.light(
    'lamp light',
    { kind: 'point', color: tint(2600), intensity: 2600, radius: 0.03, range: 12 },
    { translation: [0, LENS_HEIGHT, 0] },
  );
  for (const [k, angle] of [0.98, 2.1].entries()) {
    const { cage, glass, at } = buildWallLamp(angle);
    kit.objectOf(`wall lamp ${k + 1}`, [
      [cage, materials.bronze],
      [glass, materials.bulb],
    ]);
    kit.light(
      `wall light ${k + 1}`,
      { kind: 'point', color: tint(2700), intensity: 260, radius: 0.05, range: 9 },
      { translation: [at[0] * 1.03, at[1] - 0.07, at[2] * 1.03] },
    );
  }
  const turn = (DEGREES_A_SECOND * Math.PI) / 180;
  const times = Float32Array.from({ length: 31 }, (_, i) => (i / 30) * END);
  const carriage = kit.node('beams');
  for (const [k, side] of [0, Math.PI].entries()) {
    // light of the lens leaves beside its frames, 5° below the horizon, so that it meets the rail
    const down = 0.087;
    const direction = [Math.sin(side) * Math.cos(down), -Math.sin(down), Math.cos(side) * Math.cos(down)] as const;
    kit.light(
      `beam ${k + 1}`,
      {
        kind: 'spot',
        color: tint(3000),
        intensity: 30_000,
        innerConeRad: 0.05,
        outerConeRad: 0.2,
        radius: 0.05,
        range: 700,
      },
      {
        parent: carriage,
        rotation: shining(direction),
        translation: [Math.sin(side) * 0.72, LENS_HEIGHT, Math.cos(side) * 0.72],
      },
    );
  }
  const start = 0.75;
  for (const [node, from] of [
    [lens, 0],
    [carriage, start],
  ])
    kit.scene.animations.push({
      node,
      path: 'rotation',
      interpolation: 'linear',
      times,
      values: Float32Array.from([...times].flatMap((t) => turnY(from + turn * t))),
    });
  kit.sky(
    [
      { y: -1, radiance: [3, 4, 6] },
      { y: -0.02, radiance: [18, 17, 22] },
      { y: 0.012, radiance: [105, 62, 44] },
      { y: 0.09, radiance: [58, 47, 56] },
      { y: 0.3, radiance: [21, 29, 50] },
      { y: 1, radiance: [8, 13, 28] },
    ],
    {
      direction: unit([SUN[0], 0.06, SUN[2]]) as [number, number, number],
      radiance: [230, 110, 36],
      sharpness: 8,
    },
  );
}

function addGulls(kit: SceneKit, material: number): void {
  const mesh = kit.scene.meshes.push({ name: 'gull', primitives: [buildGull().primitive(material)] }) - 1;
  for (const [k, [x, y, z]] of [
    [15, 3.4, 2],
    [21, 5.2, -3],
    [30, 2.2, 6],
  ].entries()) {
    const node = kit.node(`gull ${k + 1}`, { mesh, translation: [x, y, z], rotation: turnY(2.4 + 0.3 * k) });
    kit.scene.animations.push({
      node,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, END / 2, END),
      values: Float32Array.of(x, y, z, x + 5, y + 0.5 - 0.4 * k, z - 7, x + 9, y + 0.4, z - 15),
    });
  }
}

/** Along the rail by 45°, then the eye turns out to the sea. */
function addCamera(kit: SceneKit): void {
  const pose = (t: number): { eye: number[]; target: number[] } => {
    const s = t / END;
    const eased = s * s * (3 - 2 * s);
    const angle = 0.32 + 0.75 * eased;
    const eye = [Math.sin(angle) * 3, 1.56, Math.cos(angle) * 3];
    const along = [Math.cos(angle), 0, -Math.sin(angle)];
    const out = [Math.sin(angle), 0, Math.cos(angle)];
    const turn = -0.44 + 0.72 * Math.max(0, (eased - 0.3) / 0.7) ** 2;
    const [a, o] = [Math.cos(turn), Math.sin(turn)];
    return { eye, target: eye.map((e, c) => e + along[c] * a + out[c] * o - (c === 1 ? 0.25 : 0)) };
  };
  const first = pose(0);
  const camera = kit.shot('gallery', first.eye, first.target, 28, [0, FRAMES - 1]);
  const times = Float32Array.from({ length: 41 }, (_, i) => (i / 40) * END);
  const poses = [...times].map(pose);
  const channel = { node: camera, interpolation: 'linear', times } as const;
  kit.scene.animations.push(
    { ...channel, path: 'translation', values: Float32Array.from(poses.flatMap((p) => p.eye)) },
    {
      ...channel,
      path: 'rotation',
      values: Float32Array.from(poses.flatMap((p) => rotationOf(lookAt(p.eye, p.target)))),
    },
  );
}
