/**
 * Everything that sheds light, as next-event estimation needs it: one emitter is chosen by how much it may give at a
 * place, and rays that meet one learn with what density it would have been drawn. Twin: core/trace/emitters. The
 * surroundings are asked for, and which glowing triangle is drawn.
 */
import { cosine, PI, sine, turn } from './elementary';
import { FACING_FRONT, FACING_NONE } from './layouts/facings';
import * as E from './layouts/emitterOrder';
import { LIGHT_AREA, LIGHT_POINT, LIGHT_SPOT, LIGHT_SUN } from './layouts/lightKinds';
import {
  EMISSIVE_SLOT,
  M_ALPHA_MODE,
  M_DOUBLE_SIDED,
  M_EMISSIVE_R,
  M_TRANSMISSION,
  materialOf,
  ALPHA_BLEND,
} from './materialAt';
import {
  d,
  L_AREA,
  L_BYTES,
  L_CASTS,
  L_DISC_TAN,
  L_EXTENT,
  L_FACING,
  L_KIND,
  L_POINT,
  L_POWER,
  L_RADIUS,
  L_RANGE,
  L_ROUND,
  L_SHINES,
  L_SIDE_U,
  L_SIDE_V,
  L_SPOT_OFFSET,
  L_SPOT_SCALE,
  L_STRENGTH,
  luminance,
} from './pathRecord';
import { corner, f, positions, triangleMaterial, uvs } from './scenery';
import { acrossX, acrossY, acrossZ, besideX, besideY, besideZ, perpendiculars } from './scatter';
import { readSlot, texelBlue, texelGreen, texelRed } from './texture';

/** Weight that the faintest emitter has at least, as a share of the mean. */
const FLOOR: f64 = 0.02;

/** What arrives: direction towards it, distance, radiance, density per steradian (0: light without extent). */
export let toX: f64 = 0;
export let toY: f64 = 0;
export let toZ: f64 = 0;
export let distance: f64 = 0;
export let arriveR: f64 = 0;
export let arriveG: f64 = 0;
export let arriveB: f64 = 0;
export let arriveDensity: f64 = 0;

let lights: usize = 0;
export let lightCount: i32 = 0;
let weights: usize = 0;
/** Where the caller writes what it was asked for: as above, eight doubles. */
let answer: usize = 0;
/** Light of the surroundings all over; of all glowing triangles together its strength, middle and extent. */
let skyLux: f64 = 0;
let candela: f64 = 0;
let centreX: f64 = 0;
let centreY: f64 = 0;
let centreZ: f64 = 0;
let extent2: f64 = 0;
/** Probability per square metre with which a point of a glowing material is drawn, a double a material. */
let glowDensity: usize = 0;

/** The caller's: draws a direction of the surroundings from a place, into the answer. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "drawSky")
declare function drawSky(x: f64, y: f64, z: f64, u: f64, v: f64): void;

/** The caller's: radiance of the surroundings in a direction, and the density of drawing it from a place if `asked`, into the answer's last four. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "meetSky")
declare function meetSkyOutside(x: f64, y: f64, z: f64, dx: f64, dy: f64, dz: f64, asked: i32): void;

/** The caller's: draws a glowing triangle. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "pickTriangle")
declare function pickTriangle(u: f64): i32;

/** @param at see the layout emitterOrder */
export function bindEmitters(at: usize): void {
  lights = <usize>d(at + E.LIGHTS);
  lightCount = <i32>d(at + E.LIGHT_COUNT);
  weights = <usize>d(at + E.WEIGHTS);
  answer = <usize>d(at + E.ANSWER);
  skyLux = d(at + E.SKY_LUX);
  candela = d(at + E.CANDELA);
  centreX = d(at + E.CENTRE);
  centreY = d(at + E.CENTRE + 8);
  centreZ = d(at + E.CENTRE + 16);
  extent2 = d(at + E.EXTENT2);
  glowDensity = <usize>d(at + E.GLOW_DENSITY);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function lightAt(index: i32): usize {
  return lights + <usize>index * L_BYTES;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function chanceOf(index: i32): f64 {
  return d(weights + ((<usize>index) << 3));
}

/** Has the light a shadow, and how far from its middle does its shell reach, which does not shadow its own light? */
export function casts(index: i32): bool {
  return d(lightAt(index) + L_CASTS) != 0;
}
export function shellOf(index: i32): f64 {
  return max<f64>(0.005, d(lightAt(index) + L_RADIUS) * 0.2);
}

/** Writes each emitter's chance to be chosen at a place. @returns false when nothing can give light */
export function weighEmitters(x: f64, y: f64, z: f64): bool {
  const n = lightCount;
  let sum: f64 = 0;
  let w = weights;
  for (let i = 0; i < n; i++, w += 8) {
    const lux = possibleLux(lightAt(i), x, y, z);
    store<f64>(w, lux);
    sum += lux;
  }
  let glow: f64 = 0;
  if (candela > 0) {
    const dx = centreX - x;
    const dy = centreY - y;
    const dz = centreZ - z;
    glow = candela / max<f64>(max<f64>(dx * dx + dy * dy + dz * dz, extent2), 1e-6);
  }
  store<f64>(w, skyLux);
  store<f64>(w, glow, 8);
  sum += skyLux + glow;
  if (!(sum > 0)) return false;
  const least = (FLOOR * sum) / <f64>(n + 2);
  let total: f64 = 0;
  const end = w + 16;
  for (w = weights; w < end; w += 8) {
    let own = d(w);
    if (own > 0 && own < least) {
      own = least;
      store<f64>(w, own);
    }
    total += own;
  }
  const share = 1 / total;
  for (w = weights; w < end; w += 8) store<f64>(w, d(w) * share);
  return true;
}

/** Chooses by the weights. @param u a number in [0, 1) */
export function chooseEmitter(u: f64): i32 {
  let left = u;
  let last = 0;
  for (let i = 0; i < lightCount + 2; i++) {
    const w = chanceOf(i);
    if (w == 0) continue;
    last = i;
    left -= w;
    if (left < 0) break;
  }
  return last;
}

/** Illuminance that a light can give at a place at most, roughly; 0 only where it gives none. */
function possibleLux(l: usize, x: f64, y: f64, z: f64): f64 {
  const kind = d(l + L_KIND);
  const strength = d(l + L_STRENGTH);
  if (kind == LIGHT_SUN) return strength;
  const dx = x - d(l + L_POINT);
  const dy = y - d(l + L_POINT + 8);
  const dz = z - d(l + L_POINT + 16);
  const d2 = dx * dx + dy * dy + dz * dz;
  const radius = d(l + L_RADIUS);
  const size2 = kind == LIGHT_AREA ? d(l + L_AREA) : radius * radius;
  const range = d(l + L_RANGE);
  if (range != Infinity) {
    const reach = range + sqrt<f64>(size2);
    if (d2 > reach * reach) return 0;
  }
  const ahead = dx * d(l + L_SHINES) + dy * d(l + L_SHINES + 8) + dz * d(l + L_SHINES + 16);
  if (kind == LIGHT_AREA && d(l + L_FACING) == FACING_FRONT && ahead <= 0) return 0;
  if (kind == LIGHT_SPOT && radius == 0 && (ahead / sqrt<f64>(d2)) * d(l + L_SPOT_SCALE) + d(l + L_SPOT_OFFSET) <= 0)
    return 0;
  return strength / max<f64>(max<f64>(d2, size2), 1e-6);
}

/** Fall-off towards the end of a light's reach (KHR_lights_punctual, range property). */
function reachShare(l: usize, d2: f64): f64 {
  const range = d(l + L_RANGE);
  if (range == Infinity) return 1;
  const q = d2 / (range * range);
  return q < 1 ? 1 - q * q : 0;
}

/** @param c cosine between the spot's axis and the way the light goes */
function spotShare(l: usize, c: f64): f64 {
  const k = c * d(l + L_SPOT_SCALE) + d(l + L_SPOT_OFFSET);
  return k <= 0 ? 0 : k < 1 ? k * k : 1;
}

function faceArea(l: usize): f64 {
  const radius = d(l + L_RADIUS);
  return d(l + L_KIND) == LIGHT_AREA ? d(l + L_AREA) : PI * radius * radius;
}

/** Points lie evenly on a disc at unit distance: its solid angle shrinks with the cube of the cosine. */
function discDensity(l: usize, c: f64): f64 {
  const half = d(l + L_DISC_TAN);
  return 1 / (PI * half * half * c * c * c);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function setWay(x: f64, y: f64, z: f64, far: f64): void {
  toX = x;
  toY = y;
  toZ = z;
  distance = far;
}

function setRadiance(l: usize, factor: f64, density: f64): bool {
  arriveR = d(l + L_POWER) * factor;
  arriveG = d(l + L_POWER + 8) * factor;
  arriveB = d(l + L_POWER + 16) * factor;
  arriveDensity = density;
  return true;
}

/** Point of the unit disc (Shirley & Chiu 1997, A Low Distortion Map Between Disk and Square). */
let discX: f64 = 0;
let discY: f64 = 0;

function onDisc(u: f64, v: f64): void {
  const a = 2 * u - 1;
  const b = 2 * v - 1;
  discX = discY = 0;
  if (a == 0 && b == 0) return;
  const wide = abs<f64>(a) > abs<f64>(b);
  const r = wide ? a : b;
  turn(wide ? (PI / 4) * (b / a) : PI / 2 - (PI / 4) * (a / b));
  discX = r * cosine;
  discY = r * sine;
}

/** Draws a point of a light as seen from a place; its density is not yet times the chance of the light. @returns false: dark */
export function arriveFromLight(index: i32, x: f64, y: f64, z: f64, u: f64, v: f64): bool {
  const l = lightAt(index);
  const kind = d(l + L_KIND);
  const radius = d(l + L_RADIUS);
  if (kind == LIGHT_POINT && radius > 0) return arriveFromBall(l, x, y, z, u, v);
  const sx = d(l + L_SHINES);
  const sy = d(l + L_SHINES + 8);
  const sz = d(l + L_SHINES + 16);
  if (kind == LIGHT_SUN) {
    const half = d(l + L_DISC_TAN);
    if (half == 0) {
      setWay(-sx, -sy, -sz, Infinity);
      return setRadiance(l, 1, 0);
    }
    onDisc(u, v);
    perpendiculars(sx, sy, sz);
    const a = discX * half;
    const b = discY * half;
    const wx = sx + acrossX * a + besideX * b;
    const wy = sy + acrossY * a + besideY * b;
    const wz = sz + acrossZ * a + besideZ * b;
    const n = -1 / sqrt<f64>(wx * wx + wy * wy + wz * wz);
    setWay(wx * n, wy * n, wz * n, Infinity);
    const density = discDensity(l, -(toX * sx + toY * sy + toZ * sz));
    return setRadiance(l, density, density);
  }
  let qx = d(l + L_POINT);
  let qy = d(l + L_POINT + 8);
  let qz = d(l + L_POINT + 16);
  if (d(l + L_AREA) > 0) {
    let a = 2 * u - 1;
    let b = 2 * v - 1;
    if (d(l + L_ROUND) != 0) {
      onDisc(u, v);
      a = discX;
      b = discY;
    }
    qx += d(l + L_SIDE_U) * a + d(l + L_SIDE_V) * b;
    qy += d(l + L_SIDE_U + 8) * a + d(l + L_SIDE_V + 8) * b;
    qz += d(l + L_SIDE_U + 16) * a + d(l + L_SIDE_V + 16) * b;
  } else if (radius > 0) {
    onDisc(u, v);
    perpendiculars(sx, sy, sz);
    const a = discX * radius;
    const b = discY * radius;
    qx += acrossX * a + besideX * b;
    qy += acrossY * a + besideY * b;
    qz += acrossZ * a + besideZ * b;
  }
  const dx = qx - x;
  const dy = qy - y;
  const dz = qz - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  if (d2 == 0) return false;
  const far = sqrt<f64>(d2);
  setWay(dx / far, dy / far, dz / far, far);
  let share = reachShare(l, d2);
  const c = -(toX * sx + toY * sy + toZ * sz);
  if (kind == LIGHT_SPOT) share *= spotShare(l, c);
  if (d(l + L_FACING) == FACING_FRONT && c <= 0) return false;
  if (share == 0 || c == 0) return false;
  if (d(l + L_EXTENT) == 0) return setRadiance(l, share / d2, 0);
  const face = abs<f64>(c);
  const area = faceArea(l);
  // an area light's strength is nit × m², a spot's is candela at any angle within its cone
  return setRadiance(l, kind == LIGHT_AREA ? share / area : share / (area * face), d2 / (area * face));
}

/** The part of a ball that is seen, evenly in solid angle. */
function arriveFromBall(l: usize, x: f64, y: f64, z: f64, u: f64, v: f64): bool {
  const dx = d(l + L_POINT) - x;
  const dy = d(l + L_POINT + 8) - y;
  const dz = d(l + L_POINT + 16) - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  const radius = d(l + L_RADIUS);
  const r2 = radius * radius;
  if (d2 <= r2) return false;
  const far = sqrt<f64>(d2);
  const sin2 = r2 / d2;
  // 1 − cos without cancellation
  const height = sin2 / (1 + sqrt<f64>(1 - sin2));
  const c = 1 - u * height;
  const s = sqrt<f64>(max<f64>(0, 1 - c * c));
  const wx = dx / far;
  const wy = dy / far;
  const wz = dz / far;
  perpendiculars(wx, wy, wz);
  turn(2 * PI * v);
  const a = s * cosine;
  const b = s * sine;
  setWay(
    wx * c + acrossX * a + besideX * b,
    wy * c + acrossY * a + besideY * b,
    wz * c + acrossZ * a + besideZ * b,
    far * c - sqrt<f64>(max<f64>(0, r2 - d2 * s * s)),
  );
  return setRadiance(l, reachShare(l, d2) / (PI * r2), 1 / (2 * PI * height));
}

/** Draws a direction of the surroundings from a place; radiance is not yet times a factor of use. */
export function arriveFromSurroundings(x: f64, y: f64, z: f64, u: f64, v: f64): void {
  drawSky(x, y, z, u, v);
  setWay(d(answer), d(answer + 8), d(answer + 16), Infinity);
  takeAnswer();
}

/** Surroundings in a direction; with the density of drawing it from a place, if one was `asked`. */
export function meetSurroundings(x: f64, y: f64, z: f64, dx: f64, dy: f64, dz: f64, asked: bool): void {
  meetSkyOutside(x, y, z, dx, dy, dz, asked ? 1 : 0);
  takeAnswer();
}

function takeAnswer(): void {
  arriveR = d(answer + 32);
  arriveG = d(answer + 40);
  arriveB = d(answer + 48);
  arriveDensity = d(answer + 56);
}

/** Do both faces of a material glow? */
export function glowsBothWays(m: usize): bool {
  return (
    load<f32>(m, M_DOUBLE_SIDED) == 1 || load<f32>(m, M_ALPHA_MODE) == ALPHA_BLEND || load<f32>(m, M_TRANSMISSION) > 0
  );
}

/** Density per square metre with which a point of a triangle would have been drawn. */
export function glowDensityOf(t: i32): f64 {
  return d(glowDensity + ((<usize>load<u16>(triangleMaterial + ((<usize>t) << 1))) << 3));
}

/** Draws a point of a glowing triangle. The choice of emitter leaves no even number over, so the triangle has its own. */
export function arriveFromGlow(choose: f64, u: f64, v: f64, x: f64, y: f64, z: f64): bool {
  const t = pickTriangle(min<f64>(0.9999999, max<f64>(0, 1 - (1 - choose) / chanceOf(lightCount + 1))));
  const r = sqrt<f64>(u);
  const b1 = r * (1 - v);
  const b2 = r * v;
  const b0 = 1 - r;
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  const p0 = positions + i0 * 12;
  const p1 = positions + i1 * 12;
  const p2 = positions + i2 * 12;
  const dx = f(p0) * b0 + f(p1) * b1 + f(p2) * b2 - x;
  const dy = f(p0 + 4) * b0 + f(p1 + 4) * b1 + f(p2 + 4) * b2 - y;
  const dz = f(p0 + 8) * b0 + f(p1 + 8) * b1 + f(p2 + 8) * b2 - z;
  const d2 = dx * dx + dy * dy + dz * dz;
  if (d2 == 0) return false;
  const far = sqrt<f64>(d2);
  setWay(dx / far, dy / far, dz / far, far);
  const ux = f(p1) - f(p0);
  const uy = f(p1 + 4) - f(p0 + 4);
  const uz = f(p1 + 8) - f(p0 + 8);
  const wx = f(p2) - f(p0);
  const wy = f(p2 + 4) - f(p0 + 4);
  const wz = f(p2 + 8) - f(p0 + 8);
  const cx = uy * wz - uz * wy;
  const cy = uz * wx - ux * wz;
  const cz = ux * wy - uy * wx;
  const length = sqrt<f64>(cx * cx + cy * cy + cz * cz);
  const c: f64 = length > 0 ? (toX * cx + toY * cy + toZ * cz) / length : 0;
  const m = materialOf(t);
  if (c == 0 || (c > 0 && !glowsBothWays(m))) return false;
  arriveDensity = (glowDensityOf(t) * d2) / abs<f64>(c);
  arriveR = f(m + M_EMISSIVE_R);
  arriveG = f(m + M_EMISSIVE_R + 4);
  arriveB = f(m + M_EMISSIVE_R + 8);
  if (load<f32>(m, EMISSIVE_SLOT) >= 0) {
    const uv0 = uvs + (i0 << 3);
    const uv1 = uvs + (i1 << 3);
    const uv2 = uvs + (i2 << 3);
    const tu = f(uv0) + (f(uv1) - f(uv0)) * b1 + (f(uv2) - f(uv0)) * b2;
    const tv = f(uv0 + 4) + (f(uv1 + 4) - f(uv0 + 4)) * b1 + (f(uv2 + 4) - f(uv0 + 4)) * b2;
    readSlot(m + EMISSIVE_SLOT, tu, tv, 0, 0, 0, 0);
    arriveR *= texelRed();
    arriveG *= texelGreen();
    arriveB *= texelBlue();
  }
  return luminance(arriveR, arriveG, arriveB) > 0;
}

/** Can rays meet the light? */
export function hasExtent(index: i32): bool {
  return d(lightAt(index) + L_EXTENT) != 0;
}

/** What a ray meets of a light, if it does before `limit`, as if drawn. @returns false when it misses */
export function meetLight(index: i32, ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, limit: f64): bool {
  const l = lightAt(index);
  const kind = d(l + L_KIND);
  const sx = d(l + L_SHINES);
  const sy = d(l + L_SHINES + 8);
  const sz = d(l + L_SHINES + 16);
  if (kind == LIGHT_SUN) {
    if (limit != Infinity) return false;
    const c = -(dx * sx + dy * sy + dz * sz);
    const half = d(l + L_DISC_TAN);
    if (c <= 0 || 1 - c * c > half * half * c * c) return false;
    const density = discDensity(l, c);
    setWay(dx, dy, dz, Infinity);
    return setRadiance(l, density, density);
  }
  const cx = d(l + L_POINT) - ox;
  const cy = d(l + L_POINT + 8) - oy;
  const cz = d(l + L_POINT + 16) - oz;
  if (kind == LIGHT_POINT) {
    const b = cx * dx + cy * dy + cz * dz;
    const d2 = cx * cx + cy * cy + cz * cz;
    const radius = d(l + L_RADIUS);
    const r2 = radius * radius;
    // squared distance of the ray from the middle
    const ex = cx - b * dx;
    const ey = cy - b * dy;
    const ez = cz - b * dz;
    const off2 = ex * ex + ey * ey + ez * ez;
    if (b <= 0 || d2 <= r2 || off2 >= r2) return false;
    const t = b - sqrt<f64>(r2 - off2);
    if (t >= limit) return false;
    const sin2 = r2 / d2;
    setWay(dx, dy, dz, t);
    const height = sin2 / (1 + sqrt<f64>(1 - sin2));
    return setRadiance(l, reachShare(l, d2) / (PI * r2), 1 / (2 * PI * height));
  }
  const down = dx * sx + dy * sy + dz * sz;
  if (down == 0) return false;
  const t = (cx * sx + cy * sy + cz * sz) / down;
  if (t <= 0 || t >= limit) return false;
  if (d(l + L_FACING) == FACING_FRONT && down > 0) return false;
  if (!isOnFace(l, kind, t * dx - cx, t * dy - cy, t * dz - cz)) return false;
  let share = reachShare(l, t * t);
  const c = -down;
  if (d(l + L_FACING) == FACING_NONE) share *= spotShare(l, c);
  if (share == 0) return false;
  const face = abs<f64>(c);
  const area = faceArea(l);
  setWay(dx, dy, dz, t);
  return setRadiance(l, kind == LIGHT_AREA ? share / area : share / (area * face), (t * t) / (area * face));
}

function isOnFace(l: usize, kind: f64, x: f64, y: f64, z: f64): bool {
  if (kind == LIGHT_SPOT) {
    const radius = d(l + L_RADIUS);
    return x * x + y * y + z * z <= radius * radius;
  }
  const ux = d(l + L_SIDE_U);
  const uy = d(l + L_SIDE_U + 8);
  const uz = d(l + L_SIDE_U + 16);
  const wx = d(l + L_SIDE_V);
  const wy = d(l + L_SIDE_V + 8);
  const wz = d(l + L_SIDE_V + 16);
  const a = (x * ux + y * uy + z * uz) / (ux * ux + uy * uy + uz * uz);
  const b = (x * wx + y * wy + z * wz) / (wx * wx + wy * wy + wz * wz);
  return d(l + L_ROUND) != 0 ? a * a + b * b <= 1 : abs<f64>(a) <= 1 && abs<f64>(b) <= 1;
}
