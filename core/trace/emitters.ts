/**
 * Everything that sheds light in a frame, as next-event estimation needs it: one emitter is chosen by how much it may
 * give at a place, a point on it is drawn, and rays that meet an emitter by chance learn with what density it would have
 * been drawn (Veach & Guibas 1995, Optimally Combining Sampling Techniques for Monte Carlo Rendering).
 */
import { FACING_FRONT, FACING_NONE, LIGHT_AREA, LIGHT_POINT, LIGHT_SPOT, LIGHT_SUN } from '../light/frameLight';
import type { FrameLight } from '../light/frameLight';
import { perpendiculars, SAMPLE_FACING, SAMPLE_SIZE, sampleLight } from '../light/sampleLight';
import { luminance } from '../math/color';
import { cos, sin } from '../math/exact';
import type { RadianceFunction } from '../light/surroundings/kind';
import { environmentDensity, sampleEnvironment, type EnvironmentSampler } from './environmentSampler';
import type { GlowingTriangles } from './glowingTriangles';
import { lookAtPortals, portalsCrossed, throughPortal, type Portals } from './portals';

/** Two directions across another. */
const across = new Float64Array(6);

export interface Surroundings {
  radiance: RadianceFunction;
  sampler: EnvironmentSampler | null;
  portals: Portals | null;
  /** Factors for its three uses. */
  camera: number;
  light: number;
  reflection: number;
}

export interface Emitters {
  /** Lights that shine. */
  lights: readonly FrameLight[];
  /** Of `lights`, those a ray can meet. */
  extended: readonly number[];
  surroundings: Surroundings | null;
  glowing: GlowingTriangles | null;
  /** Lights, then the surroundings, then all glowing triangles together: one weight each. */
  weights: Float64Array;
}

/** Layout of what arrives from a drawn point: direction towards it, distance, radiance rgb, density per steradian. */
export const A_DIRECTION = 0;
export const A_DISTANCE = 3;
export const A_RADIANCE = 4;
/** 0 for a light without extent: `A_RADIANCE` is then irradiance across the direction. */
export const A_DENSITY = 7;
export const ARRIVAL_SIZE = 8;

export function createEmitters(
  all: readonly FrameLight[],
  surroundings: Surroundings | null,
  glowing: GlowingTriangles | null,
): Emitters {
  const lights = all.filter((l) => l.r !== 0 || l.g !== 0 || l.b !== 0);
  const extended = lights.flatMap((l, i) => (hasExtent(l) ? [i] : []));
  return { lights, extended, surroundings, glowing, weights: new Float64Array(lights.length + 2) };
}

export function hasExtent(l: FrameLight): boolean {
  return l.kind === LIGHT_SUN ? l.discTan > 0 : l.kind === LIGHT_AREA ? l.area > 0 : l.radius > 0;
}

/** Weight that the faintest emitter has at least, as a share of the mean. */
const FLOOR = 0.02;

/** Writes each emitter's chance to be chosen at a place into `weights`. @returns false when nothing can give light */
export function weighEmitters(e: Emitters, x: number, y: number, z: number): boolean {
  const { lights, weights, surroundings, glowing } = e;
  const n = lights.length;
  let sum = 0;
  for (let i = 0; i < n; i++) {
    weights[i] = possibleLux(lights[i], x, y, z);
    sum += weights[i];
  }
  weights[n] = surroundings?.sampler
    ? (surroundings.sampler.total / 4) * Math.max(surroundings.light, surroundings.reflection)
    : 0;
  weights[n + 1] = glowing ? luxOfGlow(glowing, x, y, z) : 0;
  sum += weights[n] + weights[n + 1];
  if (!(sum > 0)) return false;
  const floor = (FLOOR * sum) / (n + 2);
  let total = 0;
  for (let i = 0; i < n + 2; i++) {
    if (weights[i] > 0 && weights[i] < floor) weights[i] = floor;
    total += weights[i];
  }
  for (let i = 0; i < n + 2; i++) weights[i] /= total;
  return true;
}

/** Chooses by the weights. @param u a number in [0, 1) */
export function chooseEmitter(e: Emitters, u: number): number {
  const { weights } = e;
  let left = u;
  let last = 0;
  for (let i = 0; i < weights.length; i++) {
    if (weights[i] === 0) continue;
    last = i;
    left -= weights[i];
    if (left < 0) break;
  }
  return last;
}

function luxOfGlow(g: GlowingTriangles, x: number, y: number, z: number): number {
  const dx = g.centre[0] - x;
  const dy = g.centre[1] - y;
  const dz = g.centre[2] - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  return g.candela / Math.max(d2, g.spread * g.spread, 1e-6);
}

/** Illuminance that a light can give at a place at most, roughly; 0 only where it gives none. */
function possibleLux(l: FrameLight, x: number, y: number, z: number): number {
  const strength = luminance(Math.abs(l.r), Math.abs(l.g), Math.abs(l.b));
  if (l.kind === LIGHT_SUN) return strength;
  const dx = x - l.px;
  const dy = y - l.py;
  const dz = z - l.pz;
  const d2 = dx * dx + dy * dy + dz * dz;
  const size2 = l.kind === LIGHT_AREA ? l.area : l.radius * l.radius;
  if (l.range !== Infinity && d2 > (l.range + Math.sqrt(size2)) ** 2) return 0;
  const ahead = dx * l.dx + dy * l.dy + dz * l.dz;
  if (l.kind === LIGHT_AREA && l.facing === FACING_FRONT && ahead <= 0) return 0;
  if (l.kind === LIGHT_SPOT && l.radius === 0 && (ahead / Math.sqrt(d2)) * l.spotScale + l.spotOffset <= 0) return 0;
  return strength / Math.max(d2, size2, 1e-6);
}

/** Fall-off towards the end of a light's reach (KHR_lights_punctual, range property). */
function reachShare(l: FrameLight, d2: number): number {
  if (l.range === Infinity) return 1;
  const q = d2 / (l.range * l.range);
  return q < 1 ? 1 - q * q : 0;
}

/** @param c cosine between the spot's axis and the way the light goes */
function spotShare(l: FrameLight, c: number): number {
  const k = c * l.spotScale + l.spotOffset;
  return k <= 0 ? 0 : k < 1 ? k * k : 1;
}

const point = new Float64Array(SAMPLE_SIZE);

/** Draws a point of a light as seen from a place; a density is not yet times the chance of the light. @returns false: dark */
export function arriveFromLight(
  l: FrameLight,
  x: number,
  y: number,
  z: number,
  u: number,
  v: number,
  out: Float64Array,
): boolean {
  if (l.kind === LIGHT_POINT && l.radius > 0) return arriveFromBall(l, x, y, z, u, v, out);
  sampleLight(l, u, v, point);
  if (l.kind === LIGHT_SUN) {
    setDirection(out, -point[3], -point[4], -point[5], Infinity);
    if (l.discTan === 0) return setRadiance(out, l, 1, 0);
    const density = discDensity(l, -(out[0] * l.dx + out[1] * l.dy + out[2] * l.dz));
    return setRadiance(out, l, density, density);
  }
  const dx = point[0] - x;
  const dy = point[1] - y;
  const dz = point[2] - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  if (d2 === 0) return false;
  const d = Math.sqrt(d2);
  setDirection(out, dx / d, dy / d, dz / d, d);
  let share = reachShare(l, d2);
  const c = -(out[0] * l.dx + out[1] * l.dy + out[2] * l.dz);
  if (l.kind === LIGHT_SPOT) share *= spotShare(l, c);
  if (point[SAMPLE_FACING] === FACING_FRONT && c <= 0) return false;
  if (share === 0 || c === 0) return false;
  if (!hasExtent(l)) return setRadiance(out, l, share / d2, 0);
  const face = Math.abs(c);
  const area = faceArea(l);
  // an area light's strength is nit × m², a spot's is candela at any angle within its cone
  const nit = l.kind === LIGHT_AREA ? share / area : share / (area * face);
  return setRadiance(out, l, nit, d2 / (area * face));
}

/** The part of a ball that is seen, evenly in solid angle. */
function arriveFromBall(
  l: FrameLight,
  x: number,
  y: number,
  z: number,
  u: number,
  v: number,
  out: Float64Array,
): boolean {
  const dx = l.px - x;
  const dy = l.py - y;
  const dz = l.pz - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  const r2 = l.radius * l.radius;
  if (d2 <= r2) return false;
  const d = Math.sqrt(d2);
  const sin2 = r2 / d2;
  // 1 − cos without cancellation
  const height = sin2 / (1 + Math.sqrt(1 - sin2));
  const c = 1 - u * height;
  const s = Math.sqrt(Math.max(0, 1 - c * c));
  const phi = 2 * Math.PI * v;
  const wx = dx / d;
  const wy = dy / d;
  const wz = dz / d;
  perpendiculars(wx, wy, wz, across);
  const ax = across[0];
  const ay = across[1];
  const az = across[2];
  const bx = across[3];
  const by = across[4];
  const bz = across[5];
  const a = s * cos(phi);
  const b = s * sin(phi);
  const along = d * c - Math.sqrt(Math.max(0, r2 - d2 * s * s));
  setDirection(out, wx * c + ax * a + bx * b, wy * c + ay * a + by * b, wz * c + az * a + bz * b, along);
  return setRadiance(out, l, reachShare(l, d2) / (Math.PI * r2), 1 / (2 * Math.PI * height));
}

/** Share of directions drawn through portals where any is seen; the others find what shines past them. */
const THROUGH_PORTALS = 0.75;

/** Draws a direction of the surroundings from a place; radiance is not yet times a factor of use. */
export function arriveFromSurroundings(
  s: Surroundings,
  x: number,
  y: number,
  z: number,
  u: number,
  v: number,
  out: Float64Array,
): void {
  const all = s.portals ? lookAtPortals(s.portals, x, y, z) : 0;
  const share = all > 0 ? THROUGH_PORTALS : 0;
  if (u < share) throughPortal(s.portals!, all, x, y, z, u / share, v, drawn);
  else sampleEnvironment(s.sampler!, (u - share) / (1 - share), v, drawn);
  const [dx, dy, dz] = drawn;
  setDirection(out, dx, dy, dz, Infinity);
  s.radiance(dx, dy, dz, rgb);
  for (let c = 0; c < 3; c++) out[A_RADIANCE + c] = rgb[c];
  out[A_DENSITY] = all > 0 ? mixedDensity(s, all, x, y, z, dx, dy, dz) : drawn[3];
}

function mixedDensity(
  s: Surroundings,
  all: number,
  x: number,
  y: number,
  z: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  const through = portalsCrossed(s.portals!, x, y, z, dx, dy, dz) / all;
  return (1 - THROUGH_PORTALS) * environmentDensity(s.sampler!, dx, dy, dz) + THROUGH_PORTALS * through;
}

const drawn = new Float64Array(4);
const rgb = new Float64Array(3);

/** Density per steradian with which a direction would have been drawn from a place, not yet times the surroundings' chance. */
export function surroundingsDensity(
  s: Surroundings,
  x: number,
  y: number,
  z: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  if (!s.sampler) return 0;
  const all = s.portals ? lookAtPortals(s.portals, x, y, z) : 0;
  return all > 0 ? mixedDensity(s, all, x, y, z, dx, dy, dz) : environmentDensity(s.sampler, dx, dy, dz);
}

/**
 * What a ray meets of a light, if it does before `limit`: direction, distance, radiance and density as if drawn.
 * @returns false when it misses
 */
export function meetLight(
  l: FrameLight,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  limit: number,
  out: Float64Array,
): boolean {
  if (l.kind === LIGHT_SUN) {
    if (limit !== Infinity) return false;
    const c = -(dx * l.dx + dy * l.dy + dz * l.dz);
    if (c <= 0 || 1 - c * c > l.discTan * l.discTan * c * c) return false;
    const density = discDensity(l, c);
    setDirection(out, dx, dy, dz, Infinity);
    return setRadiance(out, l, density, density);
  }
  const cx = l.px - ox;
  const cy = l.py - oy;
  const cz = l.pz - oz;
  if (l.kind === LIGHT_POINT) {
    const b = cx * dx + cy * dy + cz * dz;
    const d2 = cx * cx + cy * cy + cz * cz;
    const r2 = l.radius * l.radius;
    // squared distance of the ray from the middle
    const px = cx - b * dx;
    const py = cy - b * dy;
    const pz = cz - b * dz;
    const off2 = px * px + py * py + pz * pz;
    if (b <= 0 || d2 <= r2 || off2 >= r2) return false;
    const t = b - Math.sqrt(r2 - off2);
    if (t >= limit) return false;
    const sin2 = r2 / d2;
    setDirection(out, dx, dy, dz, t);
    const height = sin2 / (1 + Math.sqrt(1 - sin2));
    return setRadiance(out, l, reachShare(l, d2) / (Math.PI * r2), 1 / (2 * Math.PI * height));
  }
  const down = dx * l.dx + dy * l.dy + dz * l.dz;
  if (down === 0) return false;
  const t = (cx * l.dx + cy * l.dy + cz * l.dz) / down;
  if (t <= 0 || t >= limit) return false;
  if (l.facing === FACING_FRONT && down > 0) return false;
  if (!isOnFace(l, t * dx - cx, t * dy - cy, t * dz - cz)) return false;
  let share = reachShare(l, t * t);
  const c = -down;
  if (l.facing === FACING_NONE) share *= spotShare(l, c);
  if (share === 0) return false;
  const face = Math.abs(c);
  const area = faceArea(l);
  setDirection(out, dx, dy, dz, t);
  const nit = l.kind === LIGHT_AREA ? share / area : share / (area * face);
  return setRadiance(out, l, nit, (t * t) / (area * face));
}

function isOnFace(l: FrameLight, x: number, y: number, z: number): boolean {
  if (l.kind === LIGHT_SPOT) return x * x + y * y + z * z <= l.radius * l.radius;
  const a = (x * l.ux + y * l.uy + z * l.uz) / (l.ux * l.ux + l.uy * l.uy + l.uz * l.uz);
  const b = (x * l.vx + y * l.vy + z * l.vz) / (l.vx * l.vx + l.vy * l.vy + l.vz * l.vz);
  return l.round ? a * a + b * b <= 1 : Math.abs(a) <= 1 && Math.abs(b) <= 1;
}

function faceArea(l: FrameLight): number {
  return l.kind === LIGHT_AREA ? l.area : Math.PI * l.radius * l.radius;
}

/** Points lie evenly on a disc at unit distance: its solid angle shrinks with the cube of the cosine. */
function discDensity(l: FrameLight, c: number): number {
  return 1 / (Math.PI * l.discTan * l.discTan * c * c * c);
}

function setDirection(out: Float64Array, x: number, y: number, z: number, distance: number): void {
  out[0] = x;
  out[1] = y;
  out[2] = z;
  out[A_DISTANCE] = distance;
}

function setRadiance(out: Float64Array, l: FrameLight, factor: number, density: number): true {
  out[A_RADIANCE] = l.r * factor;
  out[A_RADIANCE + 1] = l.g * factor;
  out[A_RADIANCE + 2] = l.b * factor;
  out[A_DENSITY] = density;
  return true;
}
