/** Shadow maps of lamps: one of a spot, faces of a cube around a point or an area light. */
import { tan } from '../math/exact';
import { cross, unit } from '../math/mat4';
import { worldToPixels } from '../scene/camera';
import { FACING_FRONT, LIGHT_AREA, type FrameLight } from '../light/frameLight';
import type { ShadowView } from '../light/shadowView';

/** The shell of a lamp does not shadow its own light: maps begin outside the light's radius. */
function nearOf(light: FrameLight): number {
  if (light.kind === LIGHT_AREA) return 0.005;
  return Math.max(0.02, light.radius * 1.2);
}

/** @param reach metres to the farthest place the light can shade */
export function spotView(
  light: FrameLight,
  outerConeRad: number,
  resolution: number,
  depthCodes: number,
  reach: number,
): ShadowView {
  const up = Math.abs(light.dy) > 0.99 ? [0, 0, 1] : [0, 1, 0];
  const half = tan(Math.min(outerConeRad + 0.02, 1.45));
  return lampView(light, [light.dx, light.dy, light.dz], up, half, resolution, depthCodes, reach);
}

/**
 * Six faces +X −X +Y −Y +Z −Z of the cube whose −Z looks where the light shines (world axes for a point light).
 * The face behind a one-sided area light is not drawn: it stands as its front and is never looked into.
 */
export function cubeViews(light: FrameLight, resolution: number, depthCodes: number, reach: number): ShadowView[] {
  const [x, y, z] = cubeAxes(light);
  const minus = (v: number[]): number[] => v.map((c) => -c);
  const faces: [number[], number[]][] = [
    [x, y],
    [minus(x), y],
    [y, z],
    [minus(y), z],
    [z, y],
    [minus(z), y],
  ];
  const views = faces.map(([forward, up]) => lampView(light, forward, up, 1, resolution, depthCodes, reach));
  if (light.facing === FACING_FRONT && light.kind === LIGHT_AREA) views[4] = views[5];
  return views;
}

function cubeAxes(light: FrameLight): [number[], number[], number[]] {
  if (light.kind !== LIGHT_AREA)
    return [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ];
  return [
    unit([light.ux, light.uy, light.uz]),
    unit([light.vx, light.vy, light.vz]),
    [-light.dx, -light.dy, -light.dz],
  ];
}

function lampView(
  light: FrameLight,
  forward: number[],
  up: number[],
  halfAngleTan: number,
  n: number,
  depthCodes: number,
  reach: number,
): ShadowView {
  const eye = [light.px, light.py, light.pz];
  const near = nearOf(light);
  const back = forward.map((c) => -c);
  const right = unit(cross(up, back));
  const top = cross(back, right);
  const world = Float64Array.of(...right, 0, ...top, 0, ...back, 0, ...eye, 1);
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
    span: Math.max(reach, near * 2),
    end: Infinity,
    depthCodes,
    offset: 0,
    blockOffset: 0,
    tileOffset: 0,
  };
}

/** Which of a light's six maps a direction from it falls into. */
export function cubeFace(light: FrameLight, x: number, y: number, z: number): number {
  if (light.kind === LIGHT_AREA) {
    // the vectors of the face are not of unit length: compare along unit axes
    const u = 1 / Math.sqrt(light.ux * light.ux + light.uy * light.uy + light.uz * light.uz);
    const v = 1 / Math.sqrt(light.vx * light.vx + light.vy * light.vy + light.vz * light.vz);
    const a = (x * light.ux + y * light.uy + z * light.uz) * u;
    const b = (x * light.vx + y * light.vy + z * light.vz) * v;
    z = -(x * light.dx + y * light.dy + z * light.dz);
    x = a;
    y = b;
  }
  const ax = Math.abs(x);
  const ay = Math.abs(y);
  const az = Math.abs(z);
  if (ax >= ay && ax >= az) return x >= 0 ? 0 : 1;
  if (ay >= az) return y >= 0 ? 2 : 3;
  return z >= 0 ? 4 : 5;
}
