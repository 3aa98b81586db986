/** Light that a row's surfaces take from all around: bounce and reflection. Twin: core/shading/lighting, core/math/sh. */
import {
  add,
  all,
  allAt,
  dot,
  firstHalves,
  firstTwo,
  greater,
  lane0,
  lane1,
  lane2,
  lane3,
  lastHalves,
  lastTwo,
  lesser,
  mix,
  mul,
  over,
  pick,
  sub,
  three,
} from './four';
import {
  BENT,
  BOUNCE,
  BOUNCE_SURE,
  col,
  COLUMN,
  DIFFUSE,
  FOUND_BOUNCE,
  FOUND_MIRROR,
  fourOf,
  fours,
  LIVE,
  madeOf,
  MATTE,
  MIRROR_SURE,
  MIRRORED,
  NORMAL,
  OCCLUSION,
  OPEN,
  put,
  REFLECTION,
  ROUGHNESS,
  VIEW,
  work,
} from './row';

/** The caller's: writes the environment in a direction by `setColor`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "mirror")
declare function mirrorOutside(x: f64, y: f64, z: f64): void;

const PI: f32 = 3.141592653589793;
/** Pixels across a level of the environment map, bytes of a pixel, a row, a level. */
const SIDE: i32 = 48;
const TEXEL: usize = 12;
const MAP_ROW: usize = 48 * 12;
const MAP_LEVEL: usize = 48 * 48 * 12;
const LEVELS: i32 = 6;
const SHARP_ROUGHNESS: f32 = 1 / 5.0;

/** Irradiance coefficients, times the factors of their terms: red, green, blue and nothing a term. */
let harmonics: usize = 0;
let map: usize = 0;
let bounceLevel: f32 = 0;
let reflectionLevel: f32 = 0;
let sharp: bool = false;
/** Room for maps at one roughness: what surfaces of one plain material mirror. FLAT of 4 numbers a pixel, then their roughness. */
let flats: usize = 0;
const FLAT: usize = 8;
const FLAT_BYTES: usize = 48 * 48 * 16;

/** @param flats_ room for FLAT maps and as many numbers */
export function bindEnvironment(
  harmonics_: usize,
  map_: usize,
  bounce: f32,
  reflections: f32,
  isSharp: i32,
  flats_: usize,
): void {
  flats = flats_;
  for (let k: usize = 0; k < FLAT; k++) store<f32>(flats + FLAT * FLAT_BYTES + (k << 2), -1);
  harmonics = harmonics_;
  map = map_;
  bounceLevel = bounce;
  reflectionLevel = reflections;
  sharp = isSharp != 0;
}

/** What the caller found. */
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

/** Writes bounce and reflection of the row's fours. @param share part of the pixel sample that this call stands for */
export function surroundRow(share: f32): void {
  if (reflectionLevel * share != 0) for (let k = 0; k < fours; k++) reflectFour(fourOf(k), share);
  else darken(REFLECTION);
  if (bounceLevel * share == 0) return darken(BOUNCE);
  // red, green and blue held something else
  normalX = all(NaN);
  for (let k = 0; k < fours; k++) bounceFour(fourOf(k), share, NORMAL);
}

/** The same where methods say what comes from around: the surroundings fill what these are not sure of. */
export function surroundRowBy(share: f32): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    // what stands near is darker by itself and in the picture of it: the darker of both counts
    put(a, OCCLUSION, lesser(col(a, OCCLUSION), col(a, OPEN)));
    if (reflectionLevel * share != 0) reflectFour(a, share);
    else darkenFour(a, REFLECTION);
    normalX = all(NaN);
    // what methods are sure of all over is mixed in alone
    const sure = f32x4.ge(col(a, BOUNCE_SURE), all(1));
    if (bounceLevel * share != 0 && !i32x4.all_true(sure)) bounceFour(a, share, BENT);
    else darkenFour(a, BOUNCE);
    fillIn(a, all(share));
    // its numbers are no longer those of its material alone
    store<u32>(madeOf(a), 0);
  }
}

/** Mixes in what methods found, as far as they are sure. */
function fillIn(a: usize, share: v128): void {
  const one = all(1);
  const mirrorSure = col(a, MIRROR_SURE);
  const bounceSure = col(a, BOUNCE_SURE);
  const matte = mul(mul(col(a, MATTE), all(1 / PI)), share);
  for (let c: usize = 0; c < 3 * COLUMN; c += COLUMN) {
    const mirrored = col(a, MIRRORED + c);
    const mirror = mul(mul(col(a, FOUND_MIRROR + c), mirrored), share);
    put(a, REFLECTION + c, mix(col(a, REFLECTION + c), mirror, mirrorSure));
    const bounce = mul(mul(mul(col(a, FOUND_BOUNCE + c), col(a, DIFFUSE + c)), sub(one, mirrored)), matte);
    put(a, BOUNCE + c, mix(col(a, BOUNCE + c), bounce, bounceSure));
  }
}

/** Nothing of a layer reaches the row's fours. */
function darken(layer: usize): void {
  for (let k = 0; k < fours; k++) darkenFour(fourOf(k), layer);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function darkenFour(a: usize, layer: usize): void {
  const none = all(0);
  put(a, layer, none);
  put(a, layer + COLUMN, none);
  put(a, layer + 2 * COLUMN, none);
}

/** Four colours that are looked up one by one: as columns. */
let red: v128 = f32x4.splat(0);
let green: v128 = f32x4.splat(0);
let blue: v128 = f32x4.splat(0);

function reflectFour(a: usize, share: f32): void {
  const nx = col(a, NORMAL);
  const ny = col(a, NORMAL + COLUMN);
  const nz = col(a, NORMAL + 2 * COLUMN);
  const vx = col(a, VIEW);
  const vy = col(a, VIEW + COLUMN);
  const vz = col(a, VIEW + 2 * COLUMN);
  const nv = dot(nx, ny, nz, vx, vy, vz);
  const twice = add(nv, nv);
  const roughness = col(a, ROUGHNESS);
  mapAt(a, sub(mul(twice, nx), vx), sub(mul(twice, ny), vy), sub(mul(twice, nz), vz), roughness);
  const occlusion = col(a, OCCLUSION);
  const covered = f32x4.lt(occlusion, all(1));
  let level = all(reflectionLevel * share);
  if (v128.any_true(covered)) level = pick(covered, mul(level, glossyOcclusion(nv, occlusion, roughness)), level);
  put(a, REFLECTION, mul(mul(red, col(a, MIRRORED)), level));
  put(a, REFLECTION + COLUMN, mul(mul(green, col(a, MIRRORED + COLUMN)), level));
  put(a, REFLECTION + 2 * COLUMN, mul(mul(blue, col(a, MIRRORED + 2 * COLUMN)), level));
}

/** Occlusion seen by a glossy lobe (Lagarde, de Rousiers 2014): see the twin. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function glossyOcclusion(nv: v128, occlusion: v128, roughness: v128): v128 {
  const one = all(1);
  const sum = add(nv, occlusion);
  const power = add(one, mul(all(3), sub(one, roughness)));
  const s2 = mul(sum, sum);
  const low = add(sum, mul(sub(s2, sum), lesser(sub(power, one), one)));
  const high = add(s2, mul(sub(mul(s2, s2), s2), greater(mul(sub(power, all(2)), all(0.5)), all(0))));
  const v = add(sub(pick(f32x4.lt(power, all(2)), low, high), one), occlusion);
  return lesser(greater(v, all(0)), one);
}

/** Blurred environment in four directions, into red, green and blue. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function mapAt(a: usize, x: v128, y: v128, z: v128, roughness: v128): void {
  const one = all(1);
  const k = over(one, add(add(f32x4.abs(x), f32x4.abs(y)), f32x4.abs(z)));
  const u = mul(x, k);
  const v = mul(z, k);
  const sign = all(-0.0);
  const below = f32x4.lt(y, all(0));
  // one with the sign of a number
  const folded = mul(sub(one, f32x4.abs(v)), v128.or(one, v128.and(u, sign)));
  const folded2 = mul(sub(one, f32x4.abs(u)), v128.or(one, v128.and(v, sign)));
  const half = all(0.5);
  const side = all(<f32>SIDE);
  const most = all(48 - 1.001);
  const px = lesser(greater(sub(mul(add(mul(pick(below, folded, u), half), half), side), half), all(0)), most);
  const py = lesser(greater(sub(mul(add(mul(pick(below, folded2, v), half), half), side), half), all(0)), most);
  const x0 = i32x4.trunc_sat_f32x4_s(px);
  const y0 = i32x4.trunc_sat_f32x4_s(py);
  if (load<u32>(madeOf(a)) != 0) {
    flatAt(
      flatOf(f32x4.extract_lane(roughness, 0)),
      x0,
      y0,
      sub(px, f32x4.convert_i32x4_s(x0)),
      sub(py, f32x4.convert_i32x4_s(y0)),
    );
    sharpenSome(a, x, y, z, roughness);
    return;
  }
  const level = lesser(mul(roughness, all(<f32>(LEVELS - 1))), all(<f32>(LEVELS - 1)));
  const l0 = i32x4.min_s(i32x4.trunc_sat_f32x4_s(level), i32x4.splat(LEVELS - 2));
  v128.store(work, sub(px, f32x4.convert_i32x4_s(x0)));
  v128.store(work, sub(py, f32x4.convert_i32x4_s(y0)), 16);
  v128.store(work, sub(level, f32x4.convert_i32x4_s(l0)), 32);
  const texels = i32x4.add(i32x4.mul(i32x4.add(i32x4.mul(l0, i32x4.splat(SIDE)), y0), i32x4.splat(SIDE)), x0);
  v128.store(work, i32x4.mul(texels, i32x4.splat(<i32>TEXEL)), 48);
  for (let i: usize = 0; i < 16; i += 4) {
    const p = map + <usize>load<u32>(work + i, 48);
    const fx = allAt(work + i);
    const fy = allAt(work + i + 16);
    const far = allAt(work + i + 32);
    const q = p + MAP_LEVEL;
    const a0 = mix(three(p), three(q), far);
    const a1 = mix(three(p + TEXEL), three(q + TEXEL), far);
    const b0 = mix(three(p + MAP_ROW), three(q + MAP_ROW), far);
    const b1 = mix(three(p + MAP_ROW + TEXEL), three(q + MAP_ROW + TEXEL), far);
    v128.store(work + (i << 2), mix(mix(a0, a1, fx), mix(b0, b1, fx), fy), 64);
  }
  takeColours(v128.load(work, 64), v128.load(work, 80), v128.load(work, 96), v128.load(work, 112));
  sharpenSome(a, x, y, z, roughness);
}

/** Four colours to columns. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function takeColours(e0: v128, e1: v128, e2: v128, e3: v128): void {
  const low = firstTwo(e0, e1);
  const high = firstTwo(e2, e3);
  red = firstHalves(low, high);
  green = lastHalves(low, high);
  blue = firstHalves(lastTwo(e0, e1), lastTwo(e2, e3));
}

/** The map at one roughness. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function flatOf(roughness: f32): usize {
  const k = (reinterpret<u32>(roughness) >> 18) & (<u32>(FLAT - 1));
  const to = flats + <usize>k * FLAT_BYTES;
  const key = flats + FLAT * FLAT_BYTES + ((<usize>k) << 2);
  if (load<f32>(key) != roughness) {
    store<f32>(key, roughness);
    flatten(roughness, to);
  }
  return to;
}

function flatten(roughness: f32, to: usize): void {
  const most = <f32>(LEVELS - 1);
  const level = roughness * most < most ? roughness * most : most;
  const below = min<i32>(<i32>level, LEVELS - 2);
  const share = all(level - <f32>below);
  let p = map + <usize>below * MAP_LEVEL;
  for (const end = to + FLAT_BYTES; to < end; to += 16, p += TEXEL)
    v128.store(to, mix(three(p), three(p + MAP_LEVEL), share));
}

/** One colour between four pixels. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function flatTexel(p: usize, fx: v128, fy: v128): v128 {
  const top = mix(v128.load(p), v128.load(p, 16), fx);
  return mix(top, mix(v128.load(p, 48 * 16), v128.load(p, 49 * 16), fx), fy);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function flatAt(flat: usize, x0: v128, y0: v128, fx: v128, fy: v128): void {
  const at = i32x4.shl(i32x4.add(i32x4.mul(y0, i32x4.splat(SIDE)), x0), 4);
  takeColours(
    flatTexel(flat + <usize>i32x4.extract_lane(at, 0), lane0(fx), lane0(fy)),
    flatTexel(flat + <usize>i32x4.extract_lane(at, 1), lane1(fx), lane1(fy)),
    flatTexel(flat + <usize>i32x4.extract_lane(at, 2), lane2(fx), lane2(fy)),
    flatTexel(flat + <usize>i32x4.extract_lane(at, 3), lane3(fx), lane3(fy)),
  );
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function sharpenSome(a: usize, x: v128, y: v128, z: v128, roughness: v128): void {
  if (!sharp) return;
  const smooth = v128.and(f32x4.lt(roughness, all(SHARP_ROUGHNESS)), v128.load(a + LIVE));
  if (v128.any_true(smooth)) sharpen(smooth, x, y, z, roughness);
}

/** Brings what smooth surfaces mirror nearer to the environment itself. */
function sharpen(smooth: v128, x: v128, y: v128, z: v128, roughness: v128): void {
  v128.store(work, x);
  v128.store(work, y, 16);
  v128.store(work, z, 32);
  v128.store(work, red, 64);
  v128.store(work, green, 80);
  v128.store(work, blue, 96);
  v128.store(work, sub(all(1), over(roughness, all(SHARP_ROUGHNESS))), 112);
  const lanes = i32x4.bitmask(smooth);
  for (let i: usize = 0; i < 4; i++) {
    if (((lanes >> (<i32>i)) & 1) == 0) continue;
    const at = work + (i << 2);
    mirrorOutside(load<f32>(at), load<f32>(at, 16), load<f32>(at, 32));
    const exact = load<f32>(at, 112);
    approach(at + 64, outsideR, exact);
    approach(at + 80, outsideG, exact);
    approach(at + 96, outsideB, exact);
  }
  red = v128.load(work, 64);
  green = v128.load(work, 80);
  blue = v128.load(work, 96);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function approach(at: usize, to: f64, share: f32): void {
  const from = load<f32>(at);
  store<f32>(at, from + (<f32>to - from) * share);
}

/** @param towards columns of the directions from whose hemispheres it comes */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function bounceFour(a: usize, share: f32, towards: usize): void {
  const matte = col(a, MATTE);
  if (!v128.any_true(f32x4.gt(matte, all(0)))) {
    darkenFour(a, BOUNCE);
    return;
  }
  const x = col(a, towards);
  const y = col(a, towards + COLUMN);
  const z = col(a, towards + 2 * COLUMN);
  const changed = v128.or(v128.or(v128.xor(x, normalX), v128.xor(y, normalY)), v128.xor(z, normalZ));
  if (v128.any_true(changed)) irradianceAt(x, y, z);
  const one = all(1);
  const level = mul(mul(all((bounceLevel * share) / PI), col(a, OCCLUSION)), matte);
  put(a, BOUNCE, bounced(red, a, 0, one, level));
  put(a, BOUNCE + COLUMN, bounced(green, a, COLUMN, one, level));
  put(a, BOUNCE + 2 * COLUMN, bounced(blue, a, 2 * COLUMN, one, level));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function bounced(irradiance: v128, a: usize, c: usize, one: v128, level: v128): v128 {
  return mul(mul(mul(irradiance, col(a, DIFFUSE + c)), sub(one, col(a, MIRRORED + c))), level);
}

/** The normals that red, green and blue belong to: what is flat has one for many places. */
let normalX: v128 = all(0);
let normalY: v128 = all(0);
let normalZ: v128 = all(0);

/** Irradiance for four unit normals (Ramamoorthi, Hanrahan 2001; terms: Sloan 2008), into red, green and blue. */
function irradianceAt(x: v128, y: v128, z: v128): void {
  normalX = x;
  normalY = y;
  normalZ = z;
  const xx = mul(x, x);
  const yy = mul(y, y);
  const zz = mul(z, z);
  const xy = mul(x, y);
  const yz = mul(y, z);
  const xz = mul(x, z);
  const one = all(1);
  const thrice = all(3);
  const seven = mul(all(7), zz);
  const across = sub(xx, yy);
  const seven1 = sub(seven, one);
  const seven3 = sub(seven, thrice);
  v128.store(work, y);
  v128.store(work, z, 16);
  v128.store(work, x, 32);
  v128.store(work, xy, 48);
  v128.store(work, yz, 64);
  v128.store(work, sub(mul(thrice, zz), one), 80);
  v128.store(work, xz, 96);
  v128.store(work, across, 112);
  v128.store(work, mul(xy, across), 128);
  v128.store(work, mul(yz, sub(mul(thrice, xx), yy)), 144);
  v128.store(work, mul(xy, seven1), 160);
  v128.store(work, mul(yz, seven3), 176);
  v128.store(work, add(mul(sub(mul(all(35), zz), all(30)), zz), thrice), 192);
  v128.store(work, mul(xz, seven3), 208);
  v128.store(work, mul(across, seven1), 224);
  v128.store(work, mul(xz, sub(xx, mul(thrice, yy))), 240);
  v128.store(work, sub(mul(xx, sub(xx, mul(thrice, yy))), mul(yy, sub(mul(thrice, xx), yy))), 256);
  // sums stay in this function: what lies in a module's variables waits for itself
  let r = allAt(harmonics);
  let g = allAt(harmonics + 4);
  let b = allAt(harmonics + 8);
  for (let at: usize = 0; at < 17 * 16; at += 16) {
    const basis = v128.load(work + at);
    const h = harmonics + at;
    r = add(r, mul(v128.load32_splat(h, 16), basis));
    g = add(g, mul(v128.load32_splat(h, 20), basis));
    b = add(b, mul(v128.load32_splat(h, 24), basis));
  }
  red = greater(r, all(0));
  green = greater(g, all(0));
  blue = greater(b, all(0));
}
