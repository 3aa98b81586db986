/**
 * Shot `stairwell`: the tower below the lamp room by day. Light comes by the door, by two deep windows and down the hatch,
 * and reaches most of the shaft at its second and third bounce.
 */
import { rotationOf } from '@daxel/core/scene/compileScene';
import { lookAt, unit } from '@daxel/core/math/mat4';
import type { SceneSource } from '@daxel/core/scene/source';
import { CAST_IRON, PANE, ROCK, tint } from '../matter';
import { SceneKit, shining } from '../sceneKit';
import { Mesh } from '../shapes/mesh';
import { tube, turnedShape, WORLD, type Frame } from '../shapes/solids';
import * as paint from '../textures/surfaces';
import { buildFloor, buildGround, buildHead, buildWall, onCircle, RADIUS } from './shaft';
import { buildRail, buildTreads, FIRST_DEGREES, RISE, treadDegrees, treadTop, TURN_DEGREES } from './stairs';

const FRAMES = 72;
const RATE = 24;
/** The lantern hangs by the wall, above a tread that the camera climbs towards. */
const LANTERN_TREAD = 27;
const LANTERN_HEIGHT = 1.75;
/** Metres above the treads, and from the middle of the shaft. */
const EYE_HEIGHT = 1.5;
const EYE_RADIUS = 1.02;
/** Of the first frame. */
const FIRST_TREAD = 13;
/** Half a turn. */
const CLIMBS = 180 / TURN_DEGREES;

/** @param textureSize pixels along a texture's side: smaller for tests */
export function buildStairwell(textureSize = 1024): SceneSource {
  const kit = new SceneKit('stairwell');
  const white = kit.material('whitewash', kit.surface(paint.whitewash(textureSize, (2 * Math.PI * RADIUS) / 3)));
  const slate = kit.material('slate', kit.surface(paint.slate(textureSize, 0.2, 0.75)));
  const granite = kit.material('granite', { baseColor: [0.31, 0.295, 0.28, 1], roughness: 0.8 });
  const iron = kit.material('cast iron', { ...CAST_IRON, normalTexture: kit.image(paint.ironNormals(64)) });
  const boards = kit.material('painted boards', { baseColor: [0.36, 0.13, 0.09, 1], roughness: 0.6 });
  kit.object('wall', buildWall(), white);
  kit.object('floor', buildFloor(), slate);
  kit.object('treads', buildTreads(), granite);
  kit.object('rail', buildRail(), iron);
  kit.object('head', buildHead(), boards);
  kit.object('ground', buildGround(), kit.material('rock', ROCK));
  addLantern(kit, iron);
  addDaylight(kit);
  addClimb(kit);
  return kit.scene;
}

function addLantern(kit: SceneKit, iron: number): void {
  const degrees = treadDegrees(LANTERN_TREAD);
  const y = treadTop(LANTERN_TREAD) + LANTERN_HEIGHT;
  const at = onCircle(degrees, RADIUS - 0.2, y);
  const f: Frame = { ...WORLD, origin: [...at] };
  const body = new Mesh();
  const [hook, wall] = [onCircle(degrees, RADIUS - 0.2, y + 0.26), onCircle(degrees, RADIUS + 0.02, y + 0.26)];
  tube(body, [[...wall], [...hook]], 0.009, 8, true);
  tube(body, [[...hook], [at[0], y + 0.14, at[2]]], 0.005, 8, true);
  turnedShape(
    body,
    f,
    [
      [1e-4, 0.15],
      [0.02, 0.145],
      [0.06, 0.1],
      [0.06, 0.1],
      [0.06, 0.09],
      [0.06, 0.09],
      [1e-4, 0.088],
    ],
    24,
  );
  turnedShape(
    body,
    f,
    [
      [1e-4, -0.05],
      [0.055, -0.055],
      [0.055, -0.055],
      [0.062, -0.1],
      [0.062, -0.1],
      [1e-4, -0.102],
    ],
    24,
  );
  const glass = new Mesh();
  turnedShape(
    glass,
    f,
    [
      [0.05, 0.09],
      [0.055, 0.02],
      [0.05, -0.05],
    ],
    24,
  );
  const flame = new Mesh();
  turnedShape(
    flame,
    f,
    [
      [1e-4, 0.035],
      [0.007, 0.01],
      [0.009, -0.01],
      [1e-4, -0.028],
    ],
    12,
  );
  const warm = tint(2100);
  const [r, g, b] = warm;
  kit.objectOf('lantern', [
    [body, iron],
    [glass, kit.material('lantern glass', PANE)],
    [flame, kit.material('flame', { baseColor: [0.6, 0.5, 0.4, 1], emissive: [r * 12000, g * 12000, b * 12000] })],
  ]);
  kit.light('lantern light', { kind: 'point', color: warm, intensity: 14, radius: 0.012 }, { translation: [...at] });
}

function addDaylight(kit: SceneKit): void {
  // through the upper window, down across the well
  const sun = unit([onCircle(235, 1, 0)[0], 0.62, onCircle(235, 1, 0)[2]]);
  kit.light(
    'sun',
    { kind: 'sun', color: tint(5200), intensity: 42000, angularDiameterRad: 0.0093 },
    { rotation: shining([-sun[0], -sun[1], -sun[2]]) },
  );
  kit.sky(
    [
      { y: -1, radiance: [500, 520, 560] },
      { y: -0.02, radiance: [900, 950, 1050] },
      { y: 0.02, radiance: [3800, 4100, 4600] },
      { y: 0.3, radiance: [2600, 3300, 4600] },
      { y: 1, radiance: [1500, 2300, 3900] },
    ],
    { direction: [sun[0], sun[1], sun[2]], radiance: [9000, 8400, 7200], sharpness: 12 },
  );
}

/** The camera climbs half a turn, looking ahead and up across the well. */
function addClimb(kit: SceneKit): void {
  const stations = 25;
  const eyeAt = (t: number): number[] => {
    const k = FIRST_TREAD + CLIMBS * t;
    // a step is felt, as one who carries a camera up a stair would smooth it
    return [
      ...onCircle(
        FIRST_DEGREES + k * TURN_DEGREES,
        EYE_RADIUS,
        (k + 1) * RISE + EYE_HEIGHT + 0.012 * Math.cos(2 * Math.PI * k),
      ),
    ];
  };
  const targetAt = (t: number): number[] => {
    const k = FIRST_TREAD + CLIMBS * t + 7.4;
    return [...onCircle(FIRST_DEGREES + k * TURN_DEGREES, 0.75, (k + 1) * RISE + 0.25)];
  };
  const camera = kit.shot('stairwell', eyeAt(0), targetAt(0), 15, [0, FRAMES - 1]);
  const end = (FRAMES - 1) / RATE;
  const shares = Array.from({ length: stations }, (_, i) => i / (stations - 1));
  const times = Float32Array.from(shares, (t) => t * end);
  const way = (path: 'translation' | 'rotation', values: number[]): void =>
    void kit.scene.animations.push({
      node: camera,
      path,
      interpolation: 'linear',
      times,
      values: Float32Array.from(values),
    });
  way('translation', shares.flatMap(eyeAt));
  way(
    'rotation',
    shares.flatMap((t) => [...rotationOf(lookAt(eyeAt(t), targetAt(t)))]),
  );
}
