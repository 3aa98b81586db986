/** Light that leaves a surface towards the eye: direct, bounce, reflection, emission. Twin: core/raster/lighting. */
import { faceIrradiance } from './areaLight';
import {
  f,
  record,
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
  two,
  whole,
} from './scenery';
import {
  AREA,
  ARRIVES,
  DISC_TAN,
  FACE,
  faceX,
  faceY,
  faceZ,
  FACING,
  KIND,
  litB,
  litG,
  litR,
  placeX,
  placeY,
  placeZ,
  POINT,
  POWER,
  RADIUS,
  RANGE,
  SAMPLED,
  setLit,
  setPlace,
  shadowAt,
  SHINES,
  SPOT,
  SPOT_OFFSET,
  SPOT_SCALE,
  SUN,
  viewDistance,
} from './shadowRead';

/** Bytes of a light's record: see core/raster/shadeKernel. */
const LIGHT: usize = 320 + 6 * 256;
/** How light arrives: unhindered, past the maps here, or as the caller says. */
const FREELY: f64 = 0;
const BY_MAPS: f64 = 1;

const PI: f64 = 3.141592653589793;
const FAINT: f64 = 1e-4;
const ENVIRONMENT_SIDE: i32 = 48;
const ENVIRONMENT_LEVELS: i32 = 6;
const SHARP_ROUGHNESS: f64 = 1 / 5.0;
const SH_TERMS: i32 = 18;

/** The caller's: writes the share that passes by `setLit`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "arrive")
declare function arriveOutside(
  light: i32,
  whole: i32,
  lx: f64,
  ly: f64,
  lz: f64,
  distance: f64,
  faceCos: f64,
): void;
/** The caller's: writes the environment in a direction by `setColor`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "mirror")
declare function mirrorOutside(x: f64, y: f64, z: f64): void;

let lights: usize = 0;
let lightCount: i32 = 0;
/** Irradiance coefficients as doubles: red, green, blue and nothing a term. */
let harmonics: usize = 0;
let environmentMap: usize = 0;
let bounceLevel: f64 = 0;
let reflectionLevel: f64 = 0;
let sharp: bool = false;
/** Position and direction of the camera. */
let eyeX: f64 = 0;
let eyeY: f64 = 0;
let eyeZ: f64 = 0;
let forwardX: f64 = 0;
let forwardY: f64 = 0;
let forwardZ: f64 = 0;

export function bindLighting(
  lights_: usize,
  count: i32,
  harmonics_: usize,
  map: usize,
  bounce: f64,
  reflections: f64,
  isSharp: i32,
): void {
  lights = lights_;
  lightCount = count;
  harmonics = harmonics_;
  environmentMap = map;
  bounceLevel = bounce;
  reflectionLevel = reflections;
  sharp = isSharp != 0;
}

export function bindCamera(x: f64, y: f64, z: f64, fx: f64, fy: f64, fz: f64): void {
  eyeX = x;
  eyeY = y;
  eyeZ = z;
  forwardX = fx;
  forwardY = fy;
  forwardZ = fz;
}

/** Metres along the view axis. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function alongView(x: f64, y: f64, z: f64): f64 {
  return (x - eyeX) * forwardX + (y - eyeY) * forwardY + (z - eyeZ) * forwardZ;
}

/** What the caller found of the environment. */
let outsideR: f64 = 0;
let outsideG: f64 = 0;
let outsideB: f64 = 0;
export function setColor(r: f64, g: f64, b: f64): void {
  outsideR = r;
  outsideG = g;
  outsideB = b;
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function colorR(): f64 {
  return outsideR;
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function colorG(): f64 {
  return outsideG;
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function colorB(): f64 {
  return outsideB;
}

/** The layers of the surface that was lit last. */
export let directR: f64 = 0;
export let directG: f64 = 0;
export let directB: f64 = 0;
export let bounceR: f64 = 0;
export let bounceG: f64 = 0;
export let bounceB: f64 = 0;
export let reflectionR: f64 = 0;
export let reflectionG: f64 = 0;
export let reflectionB: f64 = 0;
export let emissionR: f64 = 0;
export let emissionG: f64 = 0;
export let emissionB: f64 = 0;
export let litShare: f64 = 1;
/** Direct light that would arrive, and what does. */
let sumLight: f64 = 0;
let sumLit: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function s(at: usize): f64 {
  return load<f64>(record + at);
}

/** Lights the record. @param share part of the pixel sample's surroundings and glow that this call stands for */
export function lightSurface(seeThrough: bool, share: f64): void {
  directR = 0;
  directG = 0;
  directB = 0;
  const matte = s(S_DIFFUSE) + s(S_DIFFUSE + 8) + s(S_DIFFUSE + 16) > 0;
  sumLight = 0;
  sumLit = 0;
  const x = s(S_POSITION);
  const y = s(S_POSITION + 8);
  const z = s(S_POSITION + 16);
  setPlace(x, y, z, s(S_FACE), s(S_FACE + 8), s(S_FACE + 16), alongView(x, y, z));
  for (let i = 0; i < lightCount; i++) addLight(i, seeThrough && !matte);
  litShare = sumLight > 0 ? sumLit / sumLight : 1;
  addEnvironment(matte);
  emissionR = s(S_EMISSION);
  emissionG = s(S_EMISSION + 8);
  emissionB = s(S_EMISSION + 16);
  if (share != 1) {
    bounceR *= share;
    bounceG *= share;
    bounceB *= share;
    reflectionR *= share;
    reflectionG *= share;
    reflectionB *= share;
    emissionR *= share;
    emissionG *= share;
    emissionB *= share;
  }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function ggx(alpha: f64, nl: f64, nv: f64, nh: f64): f64 {
  const a2 = alpha * alpha;
  const q = (nh * a2 - nh) * nh + 1;
  const d = a2 / (PI * q * q);
  const v = 0.5 / (nl * sqrt<f64>((nv - nv * a2) * nv + a2) + nv * sqrt<f64>((nl - nl * a2) * nl + a2));
  return d * v;
}

function addLight(index: i32, glossOnly: bool): void {
  const light = lights + <usize>index * LIGHT;
  const nx = s(S_NORMAL);
  const ny = s(S_NORMAL + 8);
  const nz = s(S_NORMAL + 16);
  const kind = load<f64>(light + KIND);
  const whole = load<f64>(light + SAMPLED) == 0;
  let lx = -load<f64>(light + SHINES);
  let ly = -load<f64>(light + SHINES + 8);
  let lz = -load<f64>(light + SHINES + 16);
  let strength: f64 = 1;
  let distance: f64 = 1;
  if (kind != SUN) {
    lx = load<f64>(light + POINT) - placeX;
    ly = load<f64>(light + POINT + 8) - placeY;
    lz = load<f64>(light + POINT + 16) - placeZ;
    const d2 = lx * lx + ly * ly + lz * lz;
    distance = sqrt<f64>(d2);
    const range = load<f64>(light + RANGE);
    if (distance > range || d2 == 0) return;
    const inv = 1 / distance;
    lx *= inv;
    ly *= inv;
    lz *= inv;
    strength = 1 / d2;
    if (range != Infinity) {
      const q = d2 / (range * range);
      strength *= max<f64>(0, 1 - q * q);
    }
    const facing = load<f64>(light + FACING);
    if (facing != 0) {
      const c = -(
        lx * load<f64>(light + FACE) +
        ly * load<f64>(light + FACE + 8) +
        lz * load<f64>(light + FACE + 16)
      );
      if (c <= 0 && facing == 1) return;
      strength *= c < 0 ? -c : c;
    }
    if (kind == SPOT) {
      const along =
        lx * load<f64>(light + SHINES) + ly * load<f64>(light + SHINES + 8) + lz * load<f64>(light + SHINES + 16);
      const c = -along * load<f64>(light + SPOT_SCALE) + load<f64>(light + SPOT_OFFSET);
      if (c <= 0) return;
      strength *= c < 1 ? c * c : 1;
    }
  }
  const nl = nx * lx + ny * ly + nz * lz;
  const faceCos = faceX * lx + faceY * ly + faceZ * lz;
  const area = load<f64>(light + AREA);
  let received: f64 = nl > 0 ? nl * strength : 0;
  if (whole && area > 0) received = faceIrradiance(light, placeX, placeY, placeZ, nx, ny, nz) / area;
  else if (nl <= 0) return;
  // light from behind the true surface does not reach it, however the normal is bent
  if (received <= 0 || faceCos <= 0) return;
  const vx = s(S_VIEW);
  const vy = s(S_VIEW + 8);
  const vz = s(S_VIEW + 16);
  const nv = nx * vx + ny * vy + nz * vz;
  let hx = lx + vx;
  let hy = ly + vy;
  let hz = lz + vz;
  const hl = 1 / sqrt<f64>(hx * hx + hy * hy + hz * hz);
  hx *= hl;
  hy *= hl;
  hz *= hl;
  const nh = nx * hx + ny * hy + nz * hz;
  const vh = vx * hx + vy * hy + vz * hz;
  let spec: f64 = 0;
  if (nl > 0) {
    let alpha = s(S_ALPHA);
    if (whole) {
      // Karis 2013, representative points: a lobe as wide as the light
      const size =
        kind == SUN
          ? load<f64>(light + DISC_TAN)
          : (area > 0 ? sqrt<f64>(area / PI) : load<f64>(light + RADIUS)) / distance;
      alpha = min<f64>(1, alpha + size / 2);
    }
    spec = ggx(alpha, nl, nv, nh < 1 ? nh : 1);
  }
  if (glossOnly && spec < FAINT) return;
  const cosine = faceCos < 1 ? faceCos : 1;
  const arrives = load<f64>(light + ARRIVES);
  if (arrives == FREELY) setLit(1, 1, 1);
  else if (arrives == BY_MAPS) shadowAt(light, lx, ly, lz, distance, cosine);
  else arriveOutside(index, whole ? 1 : 0, lx, ly, lz, distance, cosine);
  const red = load<f64>(light + POWER);
  const green = load<f64>(light + POWER + 8);
  const blue = load<f64>(light + POWER + 16);
  const weight = received * (abs<f64>(red) + abs<f64>(green) + abs<f64>(blue));
  const passed = litR + litG + litB;
  sumLight += weight;
  sumLit += (weight * passed) / 3;
  if (passed == 0) return;
  const from = 1 - vh;
  const m = from < 0 ? 0 : from > 1 ? 1 : from;
  const m2 = m * m;
  const w = m2 * m2 * m;
  const f90 = s(S_F90);
  const kd = received * (1 / PI);
  const ks = nl * strength * spec;
  const f0 = s(S_F0) + (f90 - s(S_F0)) * w;
  const f1 = s(S_F0 + 8) + (f90 - s(S_F0 + 8)) * w;
  const f2 = s(S_F0 + 16) + (f90 - s(S_F0 + 16)) * w;
  directR += ((1 - s(S_MIRRORED)) * s(S_DIFFUSE) * kd + f0 * s(S_BOOST) * ks) * red * litR;
  directG += ((1 - s(S_MIRRORED + 8)) * s(S_DIFFUSE + 8) * kd + f1 * s(S_BOOST + 8) * ks) * green * litG;
  directB += ((1 - s(S_MIRRORED + 16)) * s(S_DIFFUSE + 16) * kd + f2 * s(S_BOOST + 16) * ks) * blue * litB;
}

function addEnvironment(matte: bool): void {
  const x = s(S_NORMAL);
  const y = s(S_NORMAL + 8);
  const z = s(S_NORMAL + 16);
  const vx = s(S_VIEW);
  const vy = s(S_VIEW + 8);
  const vz = s(S_VIEW + 16);
  const nv = x * vx + y * vy + z * vz;
  const roughness = s(S_ROUGHNESS);
  const occlusion = s(S_OCCLUSION);
  reflectedRadiance(2 * nv * x - vx, 2 * nv * y - vy, 2 * nv * z - vz, roughness);
  const open = occlusion < 1 ? glossyOcclusion(nv, occlusion, roughness) : 1;
  const level = reflectionLevel * open;
  const f0 = s(S_MIRRORED);
  const f1 = s(S_MIRRORED + 8);
  const f2 = s(S_MIRRORED + 16);
  reflectionR = mirroredR * f0 * level;
  reflectionG = mirroredG * f1 * level;
  reflectionB = mirroredB * f2 * level;
  if (!matte) {
    bounceR = 0;
    bounceG = 0;
    bounceB = 0;
    return;
  }
  irradianceAt(x, y, z);
  const bounce = (bounceLevel * occlusion) / PI;
  bounceR = mirroredR * s(S_DIFFUSE) * (1 - f0) * bounce;
  bounceG = mirroredG * s(S_DIFFUSE + 8) * (1 - f1) * bounce;
  bounceB = mirroredB * s(S_DIFFUSE + 16) * (1 - f2) * bounce;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function glossyOcclusion(nv: f64, occlusion: f64, roughness: f64): f64 {
  const sum = nv + occlusion;
  const power = 1 + 3 * (1 - roughness);
  const s2 = sum * sum;
  const low = sum + (s2 - sum) * min<f64>(1, power - 1);
  const high = s2 + (s2 * s2 - s2) * max<f64>(0, (power - 2) / 2);
  const v = (power < 2 ? low : high) - 1 + occlusion;
  return v < 0 ? 0 : v > 1 ? 1 : v;
}

let mirroredR: f64 = 0;
let mirroredG: f64 = 0;
let mirroredB: f64 = 0;

/** Blurred environment in a direction. */
function reflectedRadiance(x: f64, y: f64, z: f64, roughness: f64): void {
  const k = 1 / (abs<f64>(x) + abs<f64>(y) + abs<f64>(z));
  let a = x * k;
  let b = z * k;
  if (y < 0) {
    const t = a;
    a = (1 - abs<f64>(b)) * (a >= 0 ? 1 : -1);
    b = (1 - abs<f64>(t)) * (b >= 0 ? 1 : -1);
  }
  const side = ENVIRONMENT_SIDE;
  const px = min<f64>(48 - 1.001, max<f64>(0, (0.5 * a + 0.5) * <f64>side - 0.5));
  const py = min<f64>(48 - 1.001, max<f64>(0, (0.5 * b + 0.5) * <f64>side - 0.5));
  const left = floor<f64>(px);
  const top = floor<f64>(py);
  const x0 = whole(left);
  const y0 = whole(top);
  const fx = px - left;
  const fy = py - top;
  const level = min<f64>(ENVIRONMENT_LEVELS - 1, roughness * (ENVIRONMENT_LEVELS - 1));
  const l0 = min<i32>(ENVIRONMENT_LEVELS - 2, <i32>level);
  const far = level - <f64>l0;
  const near = 1 - far;
  const p = environmentMap + <usize>((l0 * side * side + y0 * side + x0) * 12);
  const row: usize = 48 * 12;
  const q = p + 48 * 48 * 12;
  const w00 = (1 - fx) * (1 - fy);
  const w10 = fx * (1 - fy);
  const w01 = (1 - fx) * fy;
  const w11 = fx * fy;
  const n00 = w00 * near;
  const n10 = w10 * near;
  const n01 = w01 * near;
  const n11 = w11 * near;
  const f00 = w00 * far;
  const f10 = w10 * far;
  const f01 = w01 * far;
  const f11 = w11 * far;
  let rg = f64x2.mul(two(p), f64x2.splat(n00));
  rg = f64x2.add(rg, f64x2.mul(two(p + 12), f64x2.splat(n10)));
  rg = f64x2.add(rg, f64x2.mul(two(p + row), f64x2.splat(n01)));
  rg = f64x2.add(rg, f64x2.mul(two(p + row + 12), f64x2.splat(n11)));
  rg = f64x2.add(rg, f64x2.mul(two(q), f64x2.splat(f00)));
  rg = f64x2.add(rg, f64x2.mul(two(q + 12), f64x2.splat(f10)));
  rg = f64x2.add(rg, f64x2.mul(two(q + row), f64x2.splat(f01)));
  rg = f64x2.add(rg, f64x2.mul(two(q + row + 12), f64x2.splat(f11)));
  mirroredR = f64x2.extract_lane(rg, 0);
  mirroredG = f64x2.extract_lane(rg, 1);
  mirroredB =
    f(p + 8) * n00 +
    f(p + 20) * n10 +
    f(p + row + 8) * n01 +
    f(p + row + 20) * n11 +
    f(q + 8) * f00 +
    f(q + 20) * f10 +
    f(q + row + 8) * f01 +
    f(q + row + 20) * f11;
  if (!sharp || roughness >= SHARP_ROUGHNESS) return;
  mirrorOutside(x, y, z);
  const exact = 1 - roughness / SHARP_ROUGHNESS;
  mirroredR += (outsideR - mirroredR) * exact;
  mirroredG += (outsideG - mirroredG) * exact;
  mirroredB += (outsideB - mirroredB) * exact;
}

let shRg: v128 = f64x2.splat(0);
let shB: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function term(k: usize, basis: f64): void {
  const at = harmonics + (k << 5);
  shRg = f64x2.add(shRg, f64x2.mul(v128.load(at), f64x2.splat(basis)));
  shB += load<f64>(at, 16) * basis;
}

/** Irradiance for a unit normal, never below zero. */
function irradianceAt(x: f64, y: f64, z: f64): void {
  const xx = x * x;
  const yy = y * y;
  const zz = z * z;
  shRg = f64x2.splat(0);
  shB = 0;
  term(0, 0.28209479177387814);
  term(1, 0.4886025119029199 * y);
  term(2, 0.4886025119029199 * z);
  term(3, 0.4886025119029199 * x);
  term(4, 1.0925484305920792 * x * y);
  term(5, 1.0925484305920792 * y * z);
  term(6, 0.31539156525252005 * (3 * zz - 1));
  term(7, 1.0925484305920792 * x * z);
  term(8, 0.5462742152960396 * (xx - yy));
  term(9, 2.5033429417967046 * x * y * (xx - yy));
  term(10, 1.7701307697799304 * y * z * (3 * xx - yy));
  term(11, 0.9461746957575601 * x * y * (7 * zz - 1));
  term(12, 0.6690465435572892 * y * z * (7 * zz - 3));
  term(13, 0.10578554691520431 * (35 * zz * zz - 30 * zz + 3));
  term(14, 0.6690465435572892 * x * z * (7 * zz - 3));
  term(15, 0.47308734787878004 * (xx - yy) * (7 * zz - 1));
  term(16, 1.7701307697799304 * x * z * (xx - 3 * yy));
  term(17, 0.6258357354491761 * (xx * (xx - 3 * yy) - yy * (3 * xx - yy)));
  const r = f64x2.extract_lane(shRg, 0);
  const g = f64x2.extract_lane(shRg, 1);
  mirroredR = r > 0 ? r : 0;
  mirroredG = g > 0 ? g : 0;
  mirroredB = shB > 0 ? shB : 0;
}
