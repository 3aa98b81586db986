/** Points on the faces of lights. Every mean over them gives the whole light, so shadows come out with true penumbrae. */
import { cos, sin } from '../math/exact';
import { FACING_FRONT, LIGHT_POINT, LIGHT_SUN, type FrameLight } from './frameLight';

/** Two directions across another. */
const across = new Float64Array(6);

/** Layout of a sample: position, direction in which it shines, normal of the face there, FACING_*, factor on the light. */
export const SAMPLE_POSITION = 0;
export const SAMPLE_DIRECTION = 3;
export const SAMPLE_NORMAL = 6;
export const SAMPLE_FACING = 9;
export const SAMPLE_WEIGHT = 10;
export const SAMPLE_SIZE = 11;

/**
 * Writes the point (u, v) of a light.
 *
 * - sun: a direction within its disc, even over the disc
 * - area: a point of its face
 * - point: a point of its ball's surface that shines by the cosine: a ball of candela I has the luminance I / (π r²) on
 *   4 π r², so each point stands for 4 I cos θ
 * - spot: a point of the disc across its axis
 *
 * @param u, v numbers in [0, 1)
 */
export function sampleLight(light: FrameLight, u: number, v: number, out: Float64Array): void {
  middleOfLight(light, out);
  if (light.kind === LIGHT_SUN) {
    if (light.discTan === 0) return;
    onDisc(u, v);
    perpendiculars(light.dx, light.dy, light.dz, across);
    const ax = across[0];
    const ay = across[1];
    const az = across[2];
    const bx = across[3];
    const by = across[4];
    const bz = across[5];
    const a = disc[0] * light.discTan;
    const b = disc[1] * light.discTan;
    const x = light.dx + ax * a + bx * b;
    const y = light.dy + ay * a + by * b;
    const z = light.dz + az * a + bz * b;
    const l = 1 / Math.sqrt(x * x + y * y + z * z);
    out[3] = x * l;
    out[4] = y * l;
    out[5] = z * l;
  } else if (light.area > 0) {
    let a = 2 * u - 1;
    let b = 2 * v - 1;
    if (light.round) {
      onDisc(u, v);
      a = disc[0];
      b = disc[1];
    }
    out[0] += light.ux * a + light.vx * b;
    out[1] += light.uy * a + light.vy * b;
    out[2] += light.uz * a + light.vz * b;
  } else if (light.radius > 0 && light.kind === LIGHT_POINT) {
    const y = 1 - 2 * u;
    const r = Math.sqrt(Math.max(0, 1 - y * y));
    const phi = 2 * Math.PI * v;
    const x = r * cos(phi);
    const z = r * sin(phi);
    out[0] += x * light.radius;
    out[1] += y * light.radius;
    out[2] += z * light.radius;
    out[6] = x;
    out[7] = y;
    out[8] = z;
    out[SAMPLE_FACING] = FACING_FRONT;
    out[SAMPLE_WEIGHT] = 4;
  } else if (light.radius > 0) {
    onDisc(u, v);
    perpendiculars(light.dx, light.dy, light.dz, across);
    const ax = across[0];
    const ay = across[1];
    const az = across[2];
    const bx = across[3];
    const by = across[4];
    const bz = across[5];
    const a = disc[0] * light.radius;
    const b = disc[1] * light.radius;
    out[0] += ax * a + bx * b;
    out[1] += ay * a + by * b;
    out[2] += az * a + bz * b;
  }
}

/** By how much the third number of a place in a ball turns with the other two: fine enough to be independent of them. */
const [TURNS_U, TURNS_V] = [17, 29];

/**
 * Writes a place of a light for all that it lights at once, as a shadow map must have it. Of a ball these lie within it, and
 * each stands for the same light in all directions: the first three numbers of an even point of the unit sphere in four
 * dimensions (Shoemake 1992, Uniform Random Rotations), which seen from anywhere are spread evenly over the ball's disc
 * (Archimedes). Points of its surface, which shine by the cosine, would light some places from few of them and others from many.
 * @param u, v numbers in [0, 1)
 */
export function placeInLight(light: FrameLight, u: number, v: number, out: Float64Array): void {
  if (light.kind !== LIGHT_POINT || light.radius === 0) return sampleLight(light, u, v, out);
  middleOfLight(light, out);
  const flat = light.radius * Math.sqrt(1 - u);
  const w = TURNS_U * u + TURNS_V * v;
  out[0] += flat * cos(2 * Math.PI * v);
  out[1] += light.radius * Math.sqrt(u) * sin(2 * Math.PI * (w - Math.floor(w)));
  out[2] += flat * sin(2 * Math.PI * v);
}

/** Writes the middle of a light, standing for all of it. */
export function middleOfLight(light: FrameLight, out: Float64Array): void {
  out[0] = light.px;
  out[1] = light.py;
  out[2] = light.pz;
  out[3] = light.dx;
  out[4] = light.dy;
  out[5] = light.dz;
  out[6] = light.fx;
  out[7] = light.fy;
  out[8] = light.fz;
  out[SAMPLE_FACING] = light.facing;
  out[SAMPLE_WEIGHT] = 1;
}

/** A light of one point: what a shadow map drawn from there belongs to. @param share of the whole light it stands for */
export function lightAtSample(light: FrameLight, sample: Float64Array, share: number): FrameLight {
  const k = sample[SAMPLE_WEIGHT] * share;
  return {
    ...light,
    px: sample[0],
    py: sample[1],
    pz: sample[2],
    dx: sample[3],
    dy: sample[4],
    dz: sample[5],
    fx: sample[6],
    fy: sample[7],
    fz: sample[8],
    facing: sample[SAMPLE_FACING],
    r: light.r * k,
    g: light.g * k,
    b: light.b * k,
    sampled: true,
    maps: [],
  };
}

const disc = new Float64Array(2);

/** Shirley & Chiu 1997, A Low Distortion Map Between Disk and Square. */
function onDisc(u: number, v: number): void {
  const a = 2 * u - 1;
  const b = 2 * v - 1;
  if (a === 0 && b === 0) {
    disc[0] = disc[1] = 0;
    return;
  }
  const wide = Math.abs(a) > Math.abs(b);
  const r = wide ? a : b;
  const phi = wide ? (Math.PI / 4) * (b / a) : Math.PI / 2 - (Math.PI / 4) * (a / b);
  disc[0] = r * cos(phi);
  disc[1] = r * sin(phi);
}

/** Two unit vectors perpendicular to a unit vector (Duff et al. 2017, Building an Orthonormal Basis, Revisited). @param out xyz of both */
export function perpendiculars(x: number, y: number, z: number, out: Float64Array): void {
  const s = z >= 0 ? 1 : -1;
  const a = -1 / (s + z);
  const b = x * y * a;
  out[0] = 1 + s * x * x * a;
  out[1] = s * b;
  out[2] = -s * x;
  out[3] = b;
  out[4] = s + y * y * a;
  out[5] = -y;
}
