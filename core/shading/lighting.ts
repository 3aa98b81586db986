/** Light that leaves a surface towards the eye, split into layers: direct, bounce, reflection, emission. */
import { componentAt, LIGHT_NUMBERS } from '../light/components';
import { faceIrradiance } from '../light/areaIrradiance';
import { FACING_FRONT, FACING_NONE, LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { middleOfLight, placeInLight, SAMPLE_FACING, SAMPLE_SIZE, SAMPLE_WEIGHT } from '../light/sampleLight';
import type { AskedAround } from '../around/askAround';
import { octahedralEncode } from '../math/octahedron';
import { hashCombine } from '../math/random';
import { irradianceAt } from '../math/sh';
import { sobol2 } from '../math/sobol';
import type { RayFrame } from '../scene/camera';
import { ENVIRONMENT_LEVELS, ENVIRONMENT_SIDE, type CompiledScene } from '../scene/compiled';
import type { RadianceFunction } from '../light/surroundings/kind';
import { contactOpen, type ContactInput } from '../shadows/contact';
import { shadowAt, type ShadedPlace, type ShadowReading } from '../shadows/shadowAt';
import type { ShadowMemory } from '../shadows/shadowMap';
import { traceShadow, type ShadowRays } from '../trace/traceShadow';
import { ggx, schlickWeight } from '../raster/reflectance';
import {
  S_ALPHA,
  S_BOOST,
  S_DIFFUSE,
  S_EMISSION,
  S_F0,
  S_F90,
  S_FACE,
  S_MIRRORED,
  S_NORMAL,
  S_OCCLUSION,
  S_POSITION,
  S_ROUGHNESS,
  S_VIEW,
} from '../raster/surface';

/** Layout of a light record. */
export const L_DIRECT = componentAt('direct');
export const L_BOUNCE = componentAt('bounce');
export const L_REFLECTION = componentAt('reflection');
export const L_EMISSION = componentAt('emission');
/** Weighted share of direct light that is not in shadow; not worked out for see-through surfaces. */
export const L_LIT = LIGHT_NUMBERS;
export const LIGHT_SIZE = LIGHT_NUMBERS + 4;

export interface LightingInput {
  scene: CompiledScene;
  lights: readonly FrameLight[];
  memory: ShadowMemory;
  /** How maps are read, by `FrameLight.index`. */
  readings: readonly ShadowReading[];
  /** Rays instead of maps, or null. */
  rays: ShadowRays | null;
  /** Positions on each light with extent that rays go to; 0 for its middle. */
  positions: number;
  /** Number of the pixel sample that is being shaded: rays of each go to other positions. */
  sample: number;
  seed: number;
  contact: ContactInput | null;
  /** Methods that say what reaches a place from around, or null where only the surroundings far away are asked. */
  around: AskedAround | null;
  /** The camera: places know how far from it they are. */
  camera: RayFrame;
  bounce: number;
  reflections: number;
  /** See `environmentTables`. */
  environmentSh: Float32Array;
  environmentMap: Float32Array;
  /** What smooth surfaces mirror of an environment picture, or null: the map is sharp enough for the others. */
  sharp: RadianceFunction | null;
}

const pair = new Float64Array(2);
const mirrored = new Float64Array(3);
const exact = new Float64Array(3);
const lit = new Float64Array(3);
const point = new Float64Array(SAMPLE_SIZE);
const spot2 = new Float64Array(2);
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };
/** Direct light that would arrive, and what does. */
const sums = { light: 0, lit: 0 };

/** Of a see-through surface without a matte part, highlights weaker than this (per steradian) are not followed. */
const FAINT = 1e-4;

/**
 * Writes the sixteen numbers of a light record for a surface record. Radiance in nit.
 * @param pixel number of the pixel, for random positions on lights
 * @param share part of the pixel sample's surroundings and glow that this call stands for: 0 leaves them out
 */
export function lightSurface(
  input: LightingInput,
  s: Float64Array,
  seeThrough: boolean,
  pixel: number,
  share: number,
  out: Float64Array,
): void {
  out[L_DIRECT] = 0;
  out[L_DIRECT + 1] = 0;
  out[L_DIRECT + 2] = 0;
  const matte = s[S_DIFFUSE] + s[S_DIFFUSE + 1] + s[S_DIFFUSE + 2] > 0;
  addDirect(input, s, seeThrough && !matte, pixel, out);
  if (input.around) askOne(input.around, input.camera, s, seeThrough, pixel);
  addReflection(input, s, out);
  addBounce(input, s, matte, out);
  out[L_EMISSION] = s[S_EMISSION];
  out[L_EMISSION + 1] = s[S_EMISSION + 1];
  out[L_EMISSION + 2] = s[S_EMISSION + 2];
  if (share !== 1) for (let c = L_BOUNCE; c < LIGHT_NUMBERS; c++) out[c] *= share;
}

/** Makes `place` the surface's own. */
export function setPlace(camera: RayFrame, s: Float64Array): ShadedPlace {
  place.x = s[S_POSITION];
  place.y = s[S_POSITION + 1];
  place.z = s[S_POSITION + 2];
  place.fx = s[S_FACE];
  place.fy = s[S_FACE + 1];
  place.fz = s[S_FACE + 2];
  place.viewDistance =
    (place.x - camera.origin[0]) * camera.forward[0] +
    (place.y - camera.origin[1]) * camera.forward[1] +
    (place.z - camera.origin[2]) * camera.forward[2];
  return place;
}

function addDirect(input: LightingInput, s: Float64Array, glossOnly: boolean, pixel: number, out: Float64Array): void {
  const { lights } = input;
  sums.light = 0;
  sums.lit = 0;
  setPlace(input.camera, s);
  for (let i = 0; i < lights.length; i++) {
    const light = lights[i];
    if (light.sampled || input.rays === null || input.positions === 0) {
      middleOfLight(light, point);
      addLight(input, light, !light.sampled, 1, s, glossOnly, out);
      continue;
    }
    const n = input.positions;
    const seed = hashCombine(hashCombine(input.seed, pixel), light.index + 1);
    for (let k = 0; k < n; k++) {
      sobol2(input.sample * n + k, seed, spot2);
      placeInLight(light, spot2[0], spot2[1], point);
      addLight(input, light, false, point[SAMPLE_WEIGHT] / n, s, glossOnly, out);
    }
  }
  out[L_LIT] = sums.light > 0 ? sums.lit / sums.light : 1;
}

/**
 * Adds the light that comes from the place in `point`.
 * @param whole that place stands for a light with extent: closed forms give its size back
 */
function addLight(
  input: LightingInput,
  light: FrameLight,
  whole: boolean,
  share: number,
  s: Float64Array,
  glossOnly: boolean,
  out: Float64Array,
): void {
  const nx = s[S_NORMAL];
  const ny = s[S_NORMAL + 1];
  const nz = s[S_NORMAL + 2];
  let lx = -point[3];
  let ly = -point[4];
  let lz = -point[5];
  let strength = share;
  let distance = 1;
  if (light.kind !== LIGHT_SUN) {
    lx = point[0] - place.x;
    ly = point[1] - place.y;
    lz = point[2] - place.z;
    const d2 = lx * lx + ly * ly + lz * lz;
    distance = Math.sqrt(d2);
    if (distance > light.range || d2 === 0) return;
    const inv = 1 / distance;
    lx *= inv;
    ly *= inv;
    lz *= inv;
    strength = share / d2;
    if (light.range !== Infinity) {
      // KHR_lights_punctual, range property
      const q = d2 / (light.range * light.range);
      strength *= Math.max(0, 1 - q * q);
    }
    if (point[SAMPLE_FACING] !== FACING_NONE) {
      const c = -(lx * point[6] + ly * point[7] + lz * point[8]);
      if (c <= 0 && point[SAMPLE_FACING] === FACING_FRONT) return;
      strength *= c < 0 ? -c : c;
    }
    if (light.kind === LIGHT_SPOT) {
      const c = -(lx * light.dx + ly * light.dy + lz * light.dz) * light.spotScale + light.spotOffset;
      if (c <= 0) return;
      strength *= c < 1 ? c * c : 1;
    }
  }
  const nl = nx * lx + ny * ly + nz * lz;
  const faceCos = place.fx * lx + place.fy * ly + place.fz * lz;
  // irradiance over radiant strength; of a whole area from its closed form, which sees past the middle
  let received = nl > 0 ? nl * strength : 0;
  if (whole && light.area > 0) received = areaReceived(light, nx, ny, nz, share);
  else if (nl <= 0) return;
  // light from behind the true surface does not reach it, however the normal is bent
  if (received <= 0 || faceCos <= 0) return;
  const vx = s[S_VIEW];
  const vy = s[S_VIEW + 1];
  const vz = s[S_VIEW + 2];
  const nv = nx * vx + ny * vy + nz * vz;
  let hx = lx + vx;
  let hy = ly + vy;
  let hz = lz + vz;
  const hl = 1 / Math.sqrt(hx * hx + hy * hy + hz * hz);
  hx *= hl;
  hy *= hl;
  hz *= hl;
  const nh = nx * hx + ny * hy + nz * hz;
  const vh = vx * hx + vy * hy + vz * hz;
  let spec = 0;
  if (nl > 0) {
    spec = whole ? wideGloss(light, s[S_ALPHA], distance, nl, nv, nh) : ggx(s[S_ALPHA], nl, nv, nh < 1 ? nh : 1);
  }
  if (glossOnly && spec < FAINT) return;
  arrive(input, light, whole, lx, ly, lz, distance, faceCos < 1 ? faceCos : 1);
  const weight = received * (Math.abs(light.r) + Math.abs(light.g) + Math.abs(light.b));
  sums.light += weight;
  sums.lit += (weight * (lit[0] + lit[1] + lit[2])) / 3;
  if (lit[0] + lit[1] + lit[2] === 0) return;
  const w = schlickWeight(vh);
  const f90 = s[S_F90];
  const kd = received * (1 / Math.PI);
  const ks = nl * strength * spec;
  const f0 = s[S_F0] + (f90 - s[S_F0]) * w;
  const f1 = s[S_F0 + 1] + (f90 - s[S_F0 + 1]) * w;
  const f2 = s[S_F0 + 2] + (f90 - s[S_F0 + 2]) * w;
  const m = S_MIRRORED;
  const b = S_BOOST;
  out[L_DIRECT] += ((1 - s[m]) * s[S_DIFFUSE] * kd + f0 * s[b] * ks) * light.r * lit[0];
  out[L_DIRECT + 1] += ((1 - s[m + 1]) * s[S_DIFFUSE + 1] * kd + f1 * s[b + 1] * ks) * light.g * lit[1];
  out[L_DIRECT + 2] += ((1 - s[m + 2]) * s[S_DIFFUSE + 2] * kd + f2 * s[b + 2] * ks) * light.b * lit[2];
}

function areaReceived(light: FrameLight, nx: number, ny: number, nz: number, share: number): number {
  return (faceIrradiance(light, place.x, place.y, place.z, nx, ny, nz) / light.area) * share;
}

/** A highlight as wide as the light seen from the surface (Karis 2013, representative points: widened normalisation). */
function wideGloss(light: FrameLight, alpha: number, distance: number, nl: number, nv: number, nh: number): number {
  const size =
    light.kind === LIGHT_SUN
      ? light.discTan
      : (light.area > 0 ? Math.sqrt(light.area / Math.PI) : light.radius) / distance;
  const wide = Math.min(1, alpha + size / 2);
  return ggx(wide, nl, nv, nh < 1 ? nh : 1);
}

/** Light that reaches the place of a surface record past what is in the way, rgb 0…1, valid until the next call. */
export function arriveAt(
  input: LightingInput,
  s: Float64Array,
  light: FrameLight,
  whole: boolean,
  lx: number,
  ly: number,
  lz: number,
  distance: number,
  faceCos: number,
): Float64Array {
  setPlace(input.camera, s);
  arrive(input, light, whole, lx, ly, lz, distance, faceCos);
  return lit;
}

/** Light that arrives at `place` past what is in the way, rgb 0…1, into `lit`. */
function arrive(
  input: LightingInput,
  light: FrameLight,
  whole: boolean,
  lx: number,
  ly: number,
  lz: number,
  distance: number,
  faceCos: number,
): void {
  lit[0] = lit[1] = lit[2] = 1;
  if (!light.castsShadow) return;
  if (input.rays !== null) {
    // the shell of a lamp does not shadow its own light
    const shell = Math.max(0.005, light.radius * (whole ? 1.2 : 0.2));
    const reach = light.kind === LIGHT_SUN ? Infinity : distance - shell;
    if (reach > 0) traceShadow(input.rays, place, lx, ly, lz, reach, lit);
  } else if (light.maps.length > 0) {
    shadowAt(input.memory, input.readings[light.index], light, place, lx, ly, lz, distance, faceCos, lit);
  }
  if (input.contact === null || lit[0] + lit[1] + lit[2] === 0) return;
  const far = light.kind === LIGHT_SUN ? Infinity : distance;
  if (!contactOpen(input.contact, place.x, place.y, place.z, lx, ly, lz, far)) lit[0] = lit[1] = lit[2] = 0;
}

/** Asks what reaches a surface from around, into the one row of a place. */
function askOne(around: AskedAround, { origin }: RayFrame, s: Float64Array, seeThrough: boolean, pixel: number): void {
  const { one } = around;
  one.seeThrough = seeThrough;
  // floats tell places exactly where the camera looks closely
  one.base = origin;
  for (let c = 0; c < 3; c++) {
    one.position[c][0] = s[S_POSITION + c] - origin[c];
    one.normal[c][0] = s[S_NORMAL + c];
    one.face[c][0] = s[S_FACE + c];
    one.diffuse[c][0] = s[S_DIFFUSE + c];
    one.view[c][0] = s[S_VIEW + c];
    one.mirrored[c][0] = s[S_MIRRORED + c];
  }
  one.roughness[0] = s[S_ROUGHNESS];
  around.gatherOne(pixel);
}

function addReflection(input: LightingInput, s: Float64Array, out: Float64Array): void {
  out[L_REFLECTION] = out[L_REFLECTION + 1] = out[L_REFLECTION + 2] = 0;
  const { around, reflections } = input;
  if (reflections > 0) {
    const x = s[S_NORMAL];
    const y = s[S_NORMAL + 1];
    const z = s[S_NORMAL + 2];
    const vx = s[S_VIEW];
    const vy = s[S_VIEW + 1];
    const vz = s[S_VIEW + 2];
    const nv = x * vx + y * vy + z * vz;
    const roughness = s[S_ROUGHNESS];
    const occlusion = around ? Math.min(s[S_OCCLUSION], around.one.open[0]) : s[S_OCCLUSION];
    reflectedRadiance(input, 2 * nv * x - vx, 2 * nv * y - vy, 2 * nv * z - vz, roughness, mirrored);
    // Lagarde & de Rousiers 2014, SIGGRAPH course on physically based shading: occlusion seen by a glossy lobe
    const open = occlusion < 1 ? glossyOcclusion(nv, occlusion, roughness) : 1;
    const level = reflections * open;
    for (let c = 0; c < 3; c++) out[L_REFLECTION + c] = mirrored[c] * s[S_MIRRORED + c] * level;
  }
  if (!around || around.one.mirrorSure[0] === 0) return;
  const sure = around.one.mirrorSure[0];
  for (let c = 0; c < 3; c++)
    out[L_REFLECTION + c] += (around.one.mirror[c][0] * s[S_MIRRORED + c] - out[L_REFLECTION + c]) * sure;
}

function addBounce(input: LightingInput, s: Float64Array, matte: boolean, out: Float64Array): void {
  out[L_BOUNCE] = out[L_BOUNCE + 1] = out[L_BOUNCE + 2] = 0;
  if (!matte) return;
  const one = input.around?.one;
  if (input.bounce > 0) {
    if (one) irradianceAt(input.environmentSh, one.bent[0][0], one.bent[1][0], one.bent[2][0], mirrored);
    else irradianceAt(input.environmentSh, s[S_NORMAL], s[S_NORMAL + 1], s[S_NORMAL + 2], mirrored);
    const occlusion = one ? Math.min(s[S_OCCLUSION], one.open[0]) : s[S_OCCLUSION];
    const bounce = (input.bounce * occlusion) / Math.PI;
    for (let c = 0; c < 3; c++) out[L_BOUNCE + c] = mirrored[c] * s[S_DIFFUSE + c] * (1 - s[S_MIRRORED + c]) * bounce;
  }
  if (!one || one.bounceSure[0] === 0) return;
  const sure = one.bounceSure[0];
  for (let c = 0; c < 3; c++) {
    const found = (one.bounce[c][0] / Math.PI) * s[S_DIFFUSE + c] * (1 - s[S_MIRRORED + c]);
    out[L_BOUNCE + c] += (found - out[L_BOUNCE + c]) * sure;
  }
}

function glossyOcclusion(nv: number, occlusion: number, roughness: number): number {
  const sum = nv + occlusion;
  const power = 1 + 3 * (1 - roughness);
  // sum^power for a power between 1 and 4, by squaring: exact enough and the same everywhere
  const s2 = sum * sum;
  const low = sum + (s2 - sum) * Math.min(1, power - 1);
  const high = s2 + (s2 * s2 - s2) * Math.max(0, (power - 2) / 2);
  const v = (power < 2 ? low : high) - 1 + occlusion;
  return v < 0 ? 0 : v > 1 ? 1 : v;
}

/** Below this roughness a picture is mirrored sharply; from there on the table's first blur takes over. */
const SHARP_ROUGHNESS = 1 / (ENVIRONMENT_LEVELS - 1);

/** Blurred environment in a direction. */
function reflectedRadiance(
  input: LightingInput,
  x: number,
  y: number,
  z: number,
  roughness: number,
  out: Float64Array,
): void {
  octahedralEncode(x, y, z, pair);
  const side = ENVIRONMENT_SIDE;
  const map = input.environmentMap;
  const px = Math.min(side - 1.001, Math.max(0, pair[0] * side - 0.5));
  const py = Math.min(side - 1.001, Math.max(0, pair[1] * side - 0.5));
  const x0 = px | 0;
  const y0 = py | 0;
  const fx = px - x0;
  const fy = py - y0;
  const level = Math.min(ENVIRONMENT_LEVELS - 1, roughness * (ENVIRONMENT_LEVELS - 1));
  const l0 = Math.min(ENVIRONMENT_LEVELS - 2, level | 0);
  const fl = level - l0;
  const a = (l0 * side * side + y0 * side + x0) * 3;
  const b = a + side * side * 3;
  const row = side * 3;
  const w00 = (1 - fx) * (1 - fy);
  const w10 = fx * (1 - fy);
  const w01 = (1 - fx) * fy;
  const w11 = fx * fy;
  // both levels of a corner are blended by one set of eight weights
  const far = fl;
  const near = 1 - fl;
  const n00 = w00 * near;
  const n10 = w10 * near;
  const n01 = w01 * near;
  const n11 = w11 * near;
  const f00 = w00 * far;
  const f10 = w10 * far;
  const f01 = w01 * far;
  const f11 = w11 * far;
  const a2 = a + row;
  const b2 = b + row;
  out[0] =
    map[a] * n00 +
    map[a + 3] * n10 +
    map[a2] * n01 +
    map[a2 + 3] * n11 +
    map[b] * f00 +
    map[b + 3] * f10 +
    map[b2] * f01 +
    map[b2 + 3] * f11;
  out[1] =
    map[a + 1] * n00 +
    map[a + 4] * n10 +
    map[a2 + 1] * n01 +
    map[a2 + 4] * n11 +
    map[b + 1] * f00 +
    map[b + 4] * f10 +
    map[b2 + 1] * f01 +
    map[b2 + 4] * f11;
  out[2] =
    map[a + 2] * n00 +
    map[a + 5] * n10 +
    map[a2 + 2] * n01 +
    map[a2 + 5] * n11 +
    map[b + 2] * f00 +
    map[b + 5] * f10 +
    map[b2 + 2] * f01 +
    map[b2 + 5] * f11;
  if (input.sharp === null || roughness >= SHARP_ROUGHNESS) return;
  input.sharp(x, y, z, exact);
  const k = 1 - roughness / SHARP_ROUGHNESS;
  for (let c = 0; c < 3; c++) out[c] += (exact[c] - out[c]) * k;
}
