/** Direct light of a row's surfaces, a light at a time. Twin: core/shading/lighting. */
import { faceIrradiance } from './areaLight';
import { add, all, allAt, dot, greater, lesser, mix, mul, over, root, sub } from './four';
import {
  AREA,
  ARRIVES,
  BY_MAPS,
  DISC_TAN,
  FACE_OF_LIGHT,
  FACING_OF_LIGHT,
  FREELY,
  KIND,
  LIGHT_BYTES,
  POINT,
  POWER,
  RADIUS,
  RANGE,
  SAMPLED,
  SHINES,
  LIGHT_SPOT,
  SPOT_OFFSET,
  SPOT_SCALE,
  LIGHT_SUN,
} from './lightRecord';
import {
  ALPHA,
  ARRIVED,
  ARRIVING,
  BOOST,
  asked,
  col,
  COLUMN,
  DIFFUSE,
  DIRECT,
  F0,
  F90,
  FACE,
  fourOf,
  fours,
  LIVE,
  MATTE,
  MIRRORED,
  NORMAL,
  POSITION,
  put,
  VIEW,
  work,
} from './row';
import { clearLit, litB, litG, litR, setLitAll, shadowAt } from './shadowRead';
import { base } from './surface';

const PI: f32 = 3.141592653589793;
const FAINT: f32 = 1e-4;

/** The caller's: writes the share that passes by `setLit`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "arrive")
declare function arriveOutside(light: i32, whole: i32, lx: f64, ly: f64, lz: f64, distance: f64, faceCos: f64): void;

let lights: usize = 0;
let lightCount: i32 = 0;
export function bindLights(lights_: usize, count: i32): void {
  lights = lights_;
  lightCount = count;
}

/** What the caller answered. */
let answerR: f64 = 0;
let answerG: f64 = 0;
let answerB: f64 = 0;
export function setLit(r: f64, g: f64, b: f64): void {
  answerR = r;
  answerG = g;
  answerB = b;
}

/** Writes direct light of the row's fours, and how much of what would arrive does. */
export function lightRow(seeThrough: bool): void {
  const none = all(0);
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    put(a, DIRECT, none);
    put(a, DIRECT + COLUMN, none);
    put(a, DIRECT + 2 * COLUMN, none);
    put(a, ARRIVING, none);
    put(a, ARRIVED, none);
  }
  for (let i = 0; i < lightCount; i++) for (let k = 0; k < fours; k++) addLight(i, fourOf(k), seeThrough);
}

/** GGX with height-correlated masking (Walter 2007; Heitz 2014). @param sine2 squared sine of normal and half vector */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function ggx(alpha: v128, nl: v128, nv: v128, nh: v128, sine2: v128): v128 {
  const a2 = mul(alpha, alpha);
  // 1 − cos² + cos² α² by the sine: floats cannot tell cosines near one apart
  const q = add(mul(mul(nh, nh), a2), sine2);
  const d = over(a2, mul(mul(all(PI), q), q));
  const view = root(add(mul(sub(nv, mul(nv, a2)), nv), a2));
  const light = root(add(mul(sub(nl, mul(nl, a2)), nl), a2));
  return over(mul(d, all(0.5)), add(mul(nl, view), mul(nv, light)));
}

/** Squared sine between two unit vectors. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function sineSquared(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 {
  const x = sub(mul(ay, bz), mul(az, by));
  const y = sub(mul(az, bx), mul(ax, bz));
  const z = sub(mul(ax, by), mul(ay, bx));
  return dot(x, y, z, x, y, z);
}

function addLight(index: i32, a: usize, seeThrough: bool): void {
  const light = lights + <usize>index * LIGHT_BYTES;
  const kind = load<i32>(light, KIND);
  const whole = load<i32>(light, SAMPLED) == 0;
  const none = all(0);
  const one = all(1);
  let live = v128.load(a + LIVE);
  let lx: v128;
  let ly: v128;
  let lz: v128;
  let strength = one;
  let distance = one;
  if (kind == LIGHT_SUN) {
    lx = f32x4.neg(allAt(light + SHINES));
    ly = f32x4.neg(allAt(light + SHINES + 4));
    lz = f32x4.neg(allAt(light + SHINES + 8));
  } else {
    lx = sub(allAt(light + POINT), col(a, POSITION));
    ly = sub(allAt(light + POINT + 4), col(a, POSITION + COLUMN));
    lz = sub(allAt(light + POINT + 8), col(a, POSITION + 2 * COLUMN));
    const d2 = dot(lx, ly, lz, lx, ly, lz);
    distance = root(d2);
    const range = load<f32>(light, RANGE);
    live = v128.and(live, v128.and(f32x4.le(distance, all(range)), f32x4.gt(d2, none)));
    const inverse = over(one, distance);
    lx = mul(lx, inverse);
    ly = mul(ly, inverse);
    lz = mul(lz, inverse);
    strength = over(one, d2);
    if (range != Infinity) {
      // KHR_lights_punctual, range property
      const q = over(d2, all(range * range));
      strength = mul(strength, greater(sub(one, mul(q, q)), none));
    }
    const facing = load<i32>(light, FACING_OF_LIGHT);
    if (facing != 0) {
      const c = f32x4.neg(
        dot(
          lx,
          ly,
          lz,
          allAt(light + FACE_OF_LIGHT),
          allAt(light + FACE_OF_LIGHT + 4),
          allAt(light + FACE_OF_LIGHT + 8),
        ),
      );
      if (facing == 1) live = v128.and(live, f32x4.gt(c, none));
      strength = mul(strength, f32x4.abs(c));
    }
    if (kind == LIGHT_SPOT) {
      const along = dot(lx, ly, lz, allAt(light + SHINES), allAt(light + SHINES + 4), allAt(light + SHINES + 8));
      const c = sub(allAt(light + SPOT_OFFSET), mul(along, allAt(light + SPOT_SCALE)));
      live = v128.and(live, f32x4.gt(c, none));
      const inside = lesser(c, one);
      strength = mul(strength, mul(inside, inside));
    }
  }
  const nx = col(a, NORMAL);
  const ny = col(a, NORMAL + COLUMN);
  const nz = col(a, NORMAL + 2 * COLUMN);
  const fx = col(a, FACE);
  const fy = col(a, FACE + COLUMN);
  const fz = col(a, FACE + 2 * COLUMN);
  const nl = dot(nx, ny, nz, lx, ly, lz);
  const faceCos = dot(fx, fy, fz, lx, ly, lz);
  // light from behind the true surface does not reach it, however the normal is bent
  live = v128.and(live, f32x4.gt(faceCos, none));
  const before = f32x4.gt(nl, none);
  const area = load<f32>(light, AREA);
  let received = mul(nl, strength);
  if (whole && area > 0) {
    if (!v128.any_true(live)) return;
    received = faceReceived(light, a, live, area);
    live = v128.and(live, f32x4.gt(received, none));
  } else live = v128.and(live, v128.and(before, f32x4.gt(received, none)));
  if (!v128.any_true(live)) return;

  const vx = col(a, VIEW);
  const vy = col(a, VIEW + COLUMN);
  const vz = col(a, VIEW + 2 * COLUMN);
  let hx = add(lx, vx);
  let hy = add(ly, vy);
  let hz = add(lz, vz);
  const hl = over(one, root(dot(hx, hy, hz, hx, hy, hz)));
  hx = mul(hx, hl);
  hy = mul(hy, hl);
  hz = mul(hz, hl);
  let alpha = col(a, ALPHA);
  if (whole) {
    // Karis 2013, representative points: a lobe as wide as the light
    const half: f32 =
      kind == LIGHT_SUN ? load<f32>(light, DISC_TAN) : area > 0 ? sqrt<f32>(area / PI) : load<f32>(light, RADIUS);
    alpha = lesser(add(alpha, over(all(half * 0.5), distance)), one);
  }
  const nh = lesser(dot(nx, ny, nz, hx, hy, hz), one);
  const nv = dot(nx, ny, nz, vx, vy, vz);
  const gloss = ggx(alpha, nl, nv, nh, sineSquared(nx, ny, nz, hx, hy, hz));
  const spec = v128.and(gloss, before);
  if (seeThrough) {
    const followed = v128.or(f32x4.gt(col(a, MATTE), none), f32x4.ge(spec, all(FAINT)));
    live = v128.and(live, followed);
    if (!v128.any_true(live)) return;
  }
  clearLit(live);
  const arrives = load<i32>(light, ARRIVES);
  const cosine = lesser(faceCos, one);
  if (arrives == BY_MAPS) {
    const sine = root(sineSquared(fx, fy, fz, lx, ly, lz));
    shadowAt(light, a, live, lx, ly, lz, distance, cosine, sine);
  } else if (arrives != FREELY) askAbout(index, whole, a, live, lx, ly, lz, distance, cosine);

  const red = load<f32>(light, POWER);
  const green = load<f32>(light, POWER + 4);
  const blue = load<f32>(light, POWER + 8);
  received = v128.and(received, live);
  const weight = mul(received, all(abs<f32>(red) + abs<f32>(green) + abs<f32>(blue)));
  const passed = add(add(litR, litG), litB);
  put(a, ARRIVING, add(col(a, ARRIVING), weight));
  put(a, ARRIVED, add(col(a, ARRIVED), mul(weight, mul(passed, all(1 / 3.0)))));
  live = v128.and(live, f32x4.gt(passed, none));
  if (!v128.any_true(live)) return;
  // Schlick 1994
  const m = lesser(greater(sub(one, dot(vx, vy, vz, hx, hy, hz)), none), one);
  const m2 = mul(m, m);
  const grazing = mul(mul(m2, m2), m);
  const kd = mul(received, all(1 / PI));
  const ks = mul(mul(v128.and(nl, live), strength), spec);
  addChannel(a, 0, kd, ks, grazing, mul(all(red), litR), live);
  addChannel(a, COLUMN, kd, ks, grazing, mul(all(green), litG), live);
  addChannel(a, 2 * COLUMN, kd, ks, grazing, mul(all(blue), litB), live);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function addChannel(a: usize, c: usize, kd: v128, ks: v128, grazing: v128, power: v128, live: v128): void {
  const matte = mul(mul(sub(all(1), col(a, MIRRORED + c)), col(a, DIFFUSE + c)), kd);
  const gloss = mul(mul(mix(col(a, F0 + c), col(a, F90), grazing), col(a, BOOST + c)), ks);
  put(a, DIRECT + c, add(col(a, DIRECT + c), v128.and(mul(add(matte, gloss), power), live)));
}

/** What four places receive of a whole face, by its closed form, over its area. */
function faceReceived(light: usize, a: usize, live: v128, area: f32): v128 {
  const lanes = i32x4.bitmask(live);
  v128.store(work, all(0));
  for (let i: usize = 0; i < 4; i++) {
    if (((lanes >> (<i32>i)) & 1) == 0) continue;
    const at = a + (i << 2);
    const irradiance = faceIrradiance(
      light,
      load<f32>(at, POSITION),
      load<f32>(at + POSITION + COLUMN),
      load<f32>(at + POSITION + 2 * COLUMN),
      load<f32>(at + NORMAL),
      load<f32>(at + NORMAL + COLUMN),
      load<f32>(at + NORMAL + 2 * COLUMN),
    );
    store<f32>(work + (i << 2), <f32>(irradiance / <f64>area));
  }
  return v128.load(work);
}

/** Asks the caller how much of a light reaches four places. */
function askAbout(
  index: i32,
  whole: bool,
  a: usize,
  live: v128,
  lx: v128,
  ly: v128,
  lz: v128,
  distance: v128,
  cosine: v128,
): void {
  v128.store(work, lx);
  v128.store(work, ly, 16);
  v128.store(work, lz, 32);
  v128.store(work, distance, 48);
  v128.store(work, cosine, 64);
  v128.store(work, all(0), 80);
  v128.store(work, all(0), 96);
  v128.store(work, all(0), 112);
  const lanes = i32x4.bitmask(live);
  for (let i: usize = 0; i < 4; i++) {
    if (((lanes >> (<i32>i)) & 1) == 0) continue;
    const at = a + (i << 2);
    // in the scene, not from the point near the camera
    store<f64>(asked, <f64>f32x4.extract_lane(base, 0) + <f64>load<f32>(at + POSITION));
    store<f64>(asked, <f64>f32x4.extract_lane(base, 1) + <f64>load<f32>(at + POSITION + COLUMN), 8);
    store<f64>(asked, <f64>f32x4.extract_lane(base, 2) + <f64>load<f32>(at + POSITION + 2 * COLUMN), 16);
    store<f64>(asked, <f64>load<f32>(at + FACE), 48);
    store<f64>(asked, <f64>load<f32>(at + FACE + COLUMN), 56);
    store<f64>(asked, <f64>load<f32>(at + FACE + 2 * COLUMN), 64);
    const w = work + (i << 2);
    arriveOutside(
      index,
      whole ? 1 : 0,
      load<f32>(w),
      load<f32>(w, 16),
      load<f32>(w, 32),
      load<f32>(w, 48),
      load<f32>(w, 64),
    );
    store<f32>(w, <f32>answerR, 80);
    store<f32>(w, <f32>answerG, 96);
    store<f32>(w, <f32>answerB, 112);
  }
  setLitAll(v128.load(work, 80), v128.load(work, 96), v128.load(work, 112));
}
