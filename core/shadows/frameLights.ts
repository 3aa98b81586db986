/** The lights of one frame: where they are, and the maps that hold their shadows. */
import { cos, tan } from '../math/exact';
import { cross, length, transformPoint, unit, type Mat4 } from '../math/mat4';
import type { CompiledScene } from '../scene/compiled';
import { worldToPixels, type CameraView } from '../scene/camera';
import { blocksAcross, type ShadowView } from './shadowMap';

export const LIGHT_SUN = 0;
export const LIGHT_POINT = 1;
export const LIGHT_SPOT = 2;

export interface FrameLight {
  kind: number;
  /** World position, metres. */
  px: number;
  py: number;
  pz: number;
  /** Direction in which the light shines, unit. */
  dx: number;
  dy: number;
  dz: number;
  /** Lux (sun) or candela, per colour. */
  r: number;
  g: number;
  b: number;
  range: number;
  /** Of the lamp's ball, metres; 0 for a point. */
  radius: number;
  /** Spot falloff: (cos γ · scale + offset)², clamped (KHR_lights_punctual). */
  spotScale: number;
  spotOffset: number;
  /** Empty when the light casts no shadow; six faces +X −X +Y −Y +Z −Z for a point light. */
  maps: ShadowView[];
}

export interface ShadowOptions {
  resolution: number;
  localResolution: number;
  /** Metres from the camera that a sun's map covers. */
  distance: number;
  depthCodes: number;
}

/**
 * Lights with their shadow views laid out one after the other in one array of texels.
 * @returns the lights and the numbers of shadow texels and blocks
 */
export function frameLights(
  scene: CompiledScene,
  world: readonly Mat4[],
  camera: CameraView,
  aspect: number,
  options: ShadowOptions,
): { lights: FrameLight[]; texelCount: number; blockCount: number } {
  let texelCount = 0;
  let blockCount = 0;
  const lights = scene.meta.lights.map((source): FrameLight => {
    const m = world[source.node];
    const d = unit([-m[8], -m[9], -m[10]]);
    const cosOuter = cos(source.outerConeRad);
    const spotScale = 1 / Math.max(1e-3, cos(source.innerConeRad) - cosOuter);
    const light: FrameLight = {
      kind: source.kind === 'sun' ? LIGHT_SUN : source.kind === 'point' ? LIGHT_POINT : LIGHT_SPOT,
      px: m[12],
      py: m[13],
      pz: m[14],
      dx: d[0],
      dy: d[1],
      dz: d[2],
      r: source.color[0] * source.intensity,
      g: source.color[1] * source.intensity,
      b: source.color[2] * source.intensity,
      range: source.range,
      radius: source.radius,
      spotScale,
      spotOffset: -cosOuter * spotScale,
      maps: [],
    };
    if (source.castsShadow && source.intensity !== 0) {
      if (light.kind === LIGHT_SUN) light.maps.push(sunView(scene, d, camera, aspect, options));
      else if (light.kind === LIGHT_SPOT) light.maps.push(spotView(light, source.outerConeRad, options));
      else light.maps.push(...pointViews(light, options));
      for (const map of light.maps) {
        map.offset = texelCount;
        texelCount += map.resolution * map.resolution;
        map.blockOffset = blockCount;
        blockCount += blocksAcross(map.resolution) ** 2;
      }
    }
    return light;
  });
  return { lights, texelCount, blockCount };
}

/**
 * One map over the ball around the part of the camera's view that is nearer than the shadow distance. A ball keeps the
 * map's size when the camera turns, and its centre moves by whole texels only, so that edges do not crawl.
 */
function sunView(
  scene: CompiledScene,
  d: number[],
  camera: CameraView,
  aspect: number,
  options: ShadowOptions,
): ShadowView {
  const { min, max } = scene.meta.bounds;
  const ofView = viewBall(camera, aspect, options.distance);
  const ofScene = {
    centre: [0, 1, 2].map((c) => (min[c] + max[c]) / 2),
    radius: length([0, 1, 2].map((c) => (max[c] - min[c]) / 2)) * 1.001,
  };
  const { centre, radius } = ofScene.radius < ofView.radius ? ofScene : ofView;
  const right = unit(cross(Math.abs(d[1]) > 0.99 ? [0, 0, 1] : [0, 1, 0], d).map((c) => -c));
  const up = cross(right, d);
  const along = (axis: number[], p: ArrayLike<number>): number => axis[0] * p[0] + axis[1] * p[1] + axis[2] * p[2];
  // how far the scene reaches along the light, so that everything before the ball can cast into it
  let nearest = Infinity;
  for (let i = 0; i < 8; i++) {
    const corner = [i & 1 ? max[0] : min[0], i & 2 ? max[1] : min[1], i & 4 ? max[2] : min[2]];
    nearest = Math.min(nearest, along(d, corner));
  }
  const middle = along(d, centre);
  const front = Math.min(nearest, middle - radius) - 1e-3;
  const depth = middle + radius - front;
  const n = options.resolution;
  const texelSize = (2 * radius) / (n - 2);
  const snap = (c: number): number => Math.round(c / texelSize) * texelSize;
  const cx = snap(along(right, centre));
  const cy = snap(along(up, centre));
  const matrix = new Float64Array(16);
  for (let c = 0; c < 3; c++) {
    matrix[c] = right[c] / texelSize;
    matrix[4 + c] = -up[c] / texelSize;
    matrix[8 + c] = -d[c] / depth;
  }
  matrix[3] = n / 2 - cx / texelSize;
  matrix[7] = n / 2 + cy / texelSize;
  matrix[11] = 1 + front / depth;
  matrix[15] = 1;
  return {
    matrix,
    resolution: n,
    texelSize,
    perspective: false,
    depthScale: 1 / depth,
    depthCodes: options.depthCodes,
    offset: 0,
    blockOffset: 0,
  };
}

/** Smallest ball, centred on the view axis, around the camera's view up to a distance. */
function viewBall(camera: CameraView, aspect: number, distance: number): { centre: number[]; radius: number } {
  const { lens, world } = camera;
  if (lens.kind === 'orthographic') {
    const half = length([lens.ymag * aspect, lens.ymag, distance / 2]);
    return { centre: transformPoint(world, [0, 0, -distance / 2]), radius: half };
  }
  const t = tan(lens.yfovRad / 2);
  const k2 = t * t * (1 + aspect * aspect);
  // the ball through the eye and the far corners, unless it would be smaller around the far rectangle alone
  const z = k2 >= 1 ? distance : (distance * (1 + k2)) / 2;
  const radius = k2 >= 1 ? distance * Math.sqrt(k2) : z;
  return { centre: transformPoint(world, [0, 0, -z]), radius };
}

/** The shell of a lamp does not shadow its own light: maps begin outside the light's radius. */
function nearOf(radius: number): number {
  return Math.max(0.02, radius * 1.2);
}

function localView(
  light: FrameLight,
  forward: number[],
  up: number[],
  halfAngleTan: number,
  options: ShadowOptions,
): ShadowView {
  const eye = [light.px, light.py, light.pz];
  const near = nearOf(light.radius);
  const back = forward.map((c) => -c);
  const right = unit(cross(up, back));
  const top = cross(back, right);
  const world = Float64Array.of(...right, 0, ...top, 0, ...back, 0, ...eye, 1);
  const n = options.localResolution;
  const focal = n / (2 * halfAngleTan);
  const lens = { kind: 'perspective' as const, yfovRad: Math.PI / 2, ymag: 1, near };
  // a quarter turn has a focal length of n / 2; other angles scale the columns about the middle
  const matrix = worldToPixels({ world, lens }, n, n);
  const scale = focal / (n / 2);
  for (let c = 0; c < 4; c++) {
    matrix[c] = scale * (matrix[c] - (n / 2) * matrix[12 + c]) + (n / 2) * matrix[12 + c];
    matrix[4 + c] = scale * (matrix[4 + c] - (n / 2) * matrix[12 + c]) + (n / 2) * matrix[12 + c];
  }
  return {
    matrix,
    resolution: n,
    texelSize: 1 / focal,
    perspective: true,
    depthScale: near,
    depthCodes: options.depthCodes,
    offset: 0,
    blockOffset: 0,
  };
}

function spotView(light: FrameLight, outerConeRad: number, options: ShadowOptions): ShadowView {
  const up = Math.abs(light.dy) > 0.99 ? [0, 0, 1] : [0, 1, 0];
  const half = tan(Math.min(outerConeRad + 0.02, 1.45));
  return localView(light, [light.dx, light.dy, light.dz], up, half, options);
}

function pointViews(light: FrameLight, options: ShadowOptions): ShadowView[] {
  const faces: [number[], number[]][] = [
    [
      [1, 0, 0],
      [0, 1, 0],
    ],
    [
      [-1, 0, 0],
      [0, 1, 0],
    ],
    [
      [0, 1, 0],
      [0, 0, 1],
    ],
    [
      [0, -1, 0],
      [0, 0, 1],
    ],
    [
      [0, 0, 1],
      [0, 1, 0],
    ],
    [
      [0, 0, -1],
      [0, 1, 0],
    ],
  ];
  return faces.map(([forward, up]) => localView(light, forward, up, 1, options));
}

/** Which of a point light's six maps a direction from the light falls into. */
export function cubeFace(x: number, y: number, z: number): number {
  const ax = Math.abs(x);
  const ay = Math.abs(y);
  const az = Math.abs(z);
  if (ax >= ay && ax >= az) return x >= 0 ? 0 : 1;
  if (ay >= az) return y >= 0 ? 2 : 3;
  return z >= 0 ? 4 : 5;
}
