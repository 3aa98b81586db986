/** How much of a light passes its shadow maps: choice of map, bias, box filter, glass. Twin: core/shadows/shadowAt. */
import { f, whole } from './scenery';

/** Where the maps lie: depths, blocks, depth and tint of glass (0 where glass casts nothing). */
let depths: usize = 0;
let blocks: usize = 0;
let glassDepth: usize = 0;
let glassTint: usize = 0;

export function bindShadows(depths_: usize, blocks_: usize, glassDepth_: usize, glassTint_: usize): void {
  depths = depths_;
  blocks = blocks_;
  glassDepth = glassDepth_;
  glassTint = glassTint_;
}

/** Places in a light's record, bytes: doubles, see core/raster/shadeKernel. */
export const KIND: usize = 0;
export const POINT: usize = 8;
export const SHINES: usize = 32;
export const POWER: usize = 56;
export const RANGE: usize = 80;
export const RADIUS: usize = 88;
export const DISC_TAN: usize = 96;
export const SIDE_U: usize = 104;
export const SIDE_V: usize = 128;
export const AREA: usize = 152;
export const FACING: usize = 160;
export const FACE: usize = 168;
export const SPOT_SCALE: usize = 192;
export const SPOT_OFFSET: usize = 200;
export const SAMPLED: usize = 208;
export const ARRIVES: usize = 216;
const MAPS: usize = 224;
const TAPS: usize = 232;
const HALF_WIDTH: usize = 240;
const AUTOMATIC: usize = 248;
const SLOPE_BIAS: usize = 256;
const NORMAL_OFFSET: usize = 264;
const BLEND: usize = 272;
const VIEWS: usize = 320;
const VIEW: usize = 256;
/** Places in a map's record behind its matrix. */
const RESOLUTION: usize = 128;
const TEXEL_SIZE: usize = 136;
const PERSPECTIVE: usize = 144;
const DEPTH_SCALE: usize = 152;
const END: usize = 160;
const DEPTH_CODES: usize = 168;
const OFFSET: usize = 176;
const BLOCK_OFFSET: usize = 184;

export const SUN: f64 = 0;
export const SPOT: f64 = 2;
export const AREA_LIGHT: f64 = 3;

/** The place that asks, and its true normal. */
export let placeX: f64 = 0;
export let placeY: f64 = 0;
export let placeZ: f64 = 0;
export let faceX: f64 = 0;
export let faceY: f64 = 0;
export let faceZ: f64 = 0;
/** Metres from the camera along its axis. */
export let viewDistance: f64 = 0;
/** Share of light that passes. */
export let litR: f64 = 0;
export let litG: f64 = 0;
export let litB: f64 = 0;

export function setPlace(x: f64, y: f64, z: f64, fx: f64, fy: f64, fz: f64, distance: f64): void {
  placeX = x;
  placeY = y;
  placeZ = z;
  faceX = fx;
  faceY = fy;
  faceZ = fz;
  viewDistance = distance;
}

export function setLit(r: f64, g: f64, b: f64): void {
  litR = r;
  litG = g;
  litB = b;
}

const END_FADE: f64 = 0.1;

/** @param light its record @param lx … unit direction to the light */
export function shadowAt(light: usize, lx: f64, ly: f64, lz: f64, distance: f64, faceCos: f64): void {
  const count = <i32>load<f64>(light + MAPS);
  const kind = load<f64>(light + KIND);
  let k: i32 = 0;
  if (kind == SUN) {
    while (k < count - 1 && viewDistance >= load<f64>(light + VIEWS + <usize>k * VIEW + END)) k++;
  } else if (kind != SPOT) {
    k = cubeFace(light, -lx, -ly, -lz);
  }
  const view = light + VIEWS + <usize>k * VIEW;
  readMap(light, view, kind, distance, faceCos);
  const end = load<f64>(view + END);
  if (kind != SUN || end == Infinity) return;
  const start = k > 0 ? load<f64>(view - VIEW + END) : 0;
  const next = k + 1 < count;
  const fade = (end - start) * (next ? load<f64>(light + BLEND) : END_FADE);
  const t = fade > 0 ? (viewDistance - end + fade) / fade : viewDistance >= end ? 1 : 0;
  if (t <= 0) return;
  const share = t < 1 ? t : 1;
  const r = litR;
  const g = litG;
  const b = litB;
  // beyond the last map the sun shines everywhere
  if (next) readMap(light, view + VIEW, kind, distance, faceCos);
  else setLit(1, 1, 1);
  litR = r + (litR - r) * share;
  litG = g + (litG - g) * share;
  litB = b + (litB - b) * share;
}

/** Which of a light's six maps a direction from it falls into. */
function cubeFace(light: usize, x: f64, y: f64, z: f64): i32 {
  if (load<f64>(light + KIND) == AREA_LIGHT) {
    const ux = load<f64>(light + SIDE_U);
    const uy = load<f64>(light + SIDE_U + 8);
    const uz = load<f64>(light + SIDE_U + 16);
    const vx = load<f64>(light + SIDE_V);
    const vy = load<f64>(light + SIDE_V + 8);
    const vz = load<f64>(light + SIDE_V + 16);
    const u = 1 / sqrt<f64>(ux * ux + uy * uy + uz * uz);
    const v = 1 / sqrt<f64>(vx * vx + vy * vy + vz * vz);
    const a = (x * ux + y * uy + z * uz) * u;
    const b = (x * vx + y * vy + z * vz) * v;
    z = -(x * load<f64>(light + SHINES) + y * load<f64>(light + SHINES + 8) + z * load<f64>(light + SHINES + 16));
    x = a;
    y = b;
  }
  const ax = abs<f64>(x);
  const ay = abs<f64>(y);
  const az = abs<f64>(z);
  if (ax >= ay && ax >= az) return x >= 0 ? 0 : 1;
  if (ay >= az) return y >= 0 ? 2 : 3;
  return z >= 0 ? 4 : 5;
}

function readMap(light: usize, view: usize, kind: f64, distance: f64, faceCos: f64): void {
  const many = kind != SUN && kind != SPOT;
  const taps = <i32>load<f64>(light + TAPS);
  const radius = load<f64>(light + HALF_WIDTH);
  setLit(1, 1, 1);
  // biased position in the map: see the twin for why
  const perspective = load<f64>(view + PERSPECTIVE) != 0;
  const texelSize = load<f64>(view + TEXEL_SIZE);
  const depthScale = load<f64>(view + DEPTH_SCALE);
  const automatic = load<f64>(light + AUTOMATIC) != 0;
  const texel = perspective ? texelSize * distance : texelSize;
  const sine = sqrt<f64>(1 - faceCos * faceCos);
  const offset = automatic
    ? (0.75 + radius) * texel * sine
    : load<f64>(light + NORMAL_OFFSET) * texel * (1 + radius) * sine;
  const x = placeX + faceX * offset;
  const y = placeY + faceY * offset;
  const z = placeZ + faceZ * offset;
  const w =
    load<f64>(view, 96) * x + load<f64>(view, 104) * y + load<f64>(view, 112) * z + load<f64>(view, 120);
  if (w <= 0) return;
  let u = load<f64>(view) * x + load<f64>(view, 8) * y + load<f64>(view, 16) * z + load<f64>(view, 24);
  let v = load<f64>(view, 32) * x + load<f64>(view, 40) * y + load<f64>(view, 48) * z + load<f64>(view, 56);
  if (w != 1) {
    u /= w;
    v /= w;
  }
  let metres: f64;
  if (automatic) {
    const codes = load<f64>(view + DEPTH_CODES);
    const step = codes > 0 ? 0.75 / codes : 0;
    const cosine = perspective ? min<f64>(1, w / distance) : 1;
    const slant = (0.75 + radius) * texel * sqrt<f64>(1 - cosine * cosine);
    metres =
      0.25 * texel + slant + 1e-5 * (1 + w) + (perspective ? (step * w * w) / depthScale : step / depthScale);
  } else {
    const tangent = min<f64>(8, sine / max<f64>(faceCos, 0.05));
    metres = load<f64>(light + SLOPE_BIAS) * texel * (0.25 + 0.5 * tangent) + 1e-4;
  }
  let depth: f64;
  if (perspective) {
    const nearer = w - metres;
    depth = nearer > depthScale ? depthScale / nearer : 1;
  } else {
    depth =
      load<f64>(view, 64) * x +
      load<f64>(view, 72) * y +
      load<f64>(view, 80) * z +
      load<f64>(view, 88) +
      metres * depthScale;
  }
  const side = load<f64>(view + RESOLUTION);
  if (!(u >= 0 && v >= 0 && u < side && v < side) && !many) return;
  const lit = filtered(view, <i32>side, u, v, depth, taps, (2 * radius) / <f64>taps, many);
  setLit(lit, lit, lit);
  if (lit > 0 && glassDepth != 0) throughGlass(view, <i32>side, u, v, depth);
}

/** Share of taps × taps comparisons that pass, the border weighted so that it slides smoothly. */
function filtered(
  view: usize,
  n: i32,
  u: f64,
  v: f64,
  depth: f64,
  taps: i32,
  spacing: f64,
  clamped: bool,
): f64 {
  const base = depths + (<usize>load<f64>(view + OFFSET) << 2);
  if (taps == 1) {
    let x = whole(floor<f64>(u));
    let y = whole(floor<f64>(v));
    if (x < 0 || y < 0 || x >= n || y >= n) {
      if (!clamped) return 1;
      x = x < 0 ? 0 : x >= n ? n - 1 : x;
      y = y < 0 ? 0 : y >= n ? n - 1 : y;
    }
    return depth >= f(base + (<usize>(y * n + x) << 2)) ? 1 : 0;
  }
  const many = <f64>taps;
  const startX = u / spacing - many / 2;
  const startY = v / spacing - many / 2;
  const kx = floor<f64>(startX);
  const ky = floor<f64>(startY);
  const x0 = whole(floor<f64>((kx + 0.5) * spacing));
  const y0 = whole(floor<f64>((ky + 0.5) * spacing));
  const x1 = whole(floor<f64>((kx + many + 0.5) * spacing));
  const y1 = whole(floor<f64>((ky + many + 0.5) * spacing));
  const fx = startX - kx;
  const fy = startY - ky;
  let sum: f64 = 0;
  if (x0 >= 0 && y0 >= 0 && x1 < n && y1 < n) {
    const clear = clearOfBlocks(view, n, x0, y0, x1, y1, depth);
    if (clear >= 0) return clear;
    if (taps == 3 && x1 - x0 <= 3 && x0 + 3 < n && depth > 0) {
      // four neighbours at once: a depth reaches a float where its value rounded down does
      const c1 = whole(floor<f64>((kx + 1.5) * spacing)) - x0;
      const c2 = whole(floor<f64>((kx + 2.5) * spacing)) - x0;
      const c3 = x1 - x0;
      let below = <f32>depth;
      if (<f64>below > depth) below = reinterpret<f32>(reinterpret<i32>(below) - 1);
      const reach = f32x4.splat(below);
      for (let j = 0; j <= 3; j++) {
        const row = base + ((<usize>(whole(floor<f64>((ky + <f64>j + 0.5) * spacing))) * <usize>n) << 2);
        const passed = i32x4.bitmask(f32x4.ge(reach, v128.load(row + (<usize>x0 << 2))));
        const first: f64 = passed & 1 ? 1 - fx : 0;
        const last: f64 = (passed >> c3) & 1 ? fx : 0;
        const rowSum = first + <f64>((passed >> c1) & 1) + <f64>((passed >> c2) & 1) + last;
        sum += rowSum * (j == 0 ? 1 - fy : j == 3 ? fy : 1);
      }
      return sum / 9;
    }
    for (let j = 0; j <= taps; j++) {
      const row = base + ((<usize>(whole(floor<f64>((ky + <f64>j + 0.5) * spacing))) * <usize>n) << 2);
      let rowSum: f64 = depth >= f(row + (<usize>x0 << 2)) ? 1 - fx : 0;
      for (let i = 1; i < taps; i++) {
        const x = <usize>(whole(floor<f64>((kx + <f64>i + 0.5) * spacing)));
        if (depth >= f(row + (x << 2))) rowSum += 1;
      }
      if (depth >= f(row + (<usize>x1 << 2))) rowSum += fx;
      sum += rowSum * (j == 0 ? 1 - fy : j == taps ? fy : 1);
    }
    return sum / <f64>(taps * taps);
  }
  for (let j = 0; j <= taps; j++) {
    let y = whole(floor<f64>((ky + <f64>j + 0.5) * spacing));
    let outside = y < 0 || y >= n;
    if (outside && clamped) {
      y = y < 0 ? 0 : n - 1;
      outside = false;
    }
    const wy = j == 0 ? 1 - fy : j == taps ? fy : 1;
    let rowSum: f64 = 0;
    for (let i = 0; i <= taps; i++) {
      let x = whole(floor<f64>((kx + <f64>i + 0.5) * spacing));
      const w = i == 0 ? 1 - fx : i == taps ? fx : 1;
      if (outside || x < 0 || x >= n) {
        if (outside || !clamped) {
          rowSum += w;
          continue;
        }
        x = x < 0 ? 0 : n - 1;
      }
      if (depth >= f(base + (<usize>(y * n + x) << 2))) rowSum += w;
    }
    sum += rowSum * wy;
  }
  return sum / <f64>(taps * taps);
}

/** 1 or 0 when a depth lies before or behind everything in a rectangle of texels, −1 when it must be looked at. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function clearOfBlocks(view: usize, n: i32, x0: i32, y0: i32, x1: i32, y1: i32, depth: f64): f64 {
  const across = (n + 15) >> 4;
  const from = blocks + (<usize>load<f64>(view + BLOCK_OFFSET) << 3);
  let low: f64 = Infinity;
  let high: f64 = 0;
  for (let by = y0 >> 4; by <= y1 >> 4; by++) {
    for (let bx = x0 >> 4; bx <= x1 >> 4; bx++) {
      const at = from + (<usize>(by * across + bx) << 3);
      const least = f(at);
      const most = f(at + 4);
      if (least < low) low = least;
      if (most > high) high = most;
    }
  }
  return depth >= high ? 1 : depth < low ? 0 : -1;
}

/** Colours light by the glass it came through: mean of the four texels around, each only where glass is nearer. */
function throughGlass(view: usize, n: i32, u: f64, v: f64, depth: f64): void {
  const offset = <usize>load<f64>(view + OFFSET);
  const x = u - 0.5;
  const y = v - 0.5;
  const left = floor<f64>(x);
  const top = floor<f64>(y);
  const x0 = whole(left);
  const y0 = whole(top);
  const right = x - left;
  const bottom = y - top;
  const leftShare = 1 - x + left;
  const topShare = 1 - y + top;
  const column0 = inMap(x0, n);
  const column1 = inMap(x0 + 1, n);
  const row0 = offset + inMap(y0, n) * <usize>n;
  const row1 = offset + inMap(y0 + 1, n) * <usize>n;
  passedR = 0;
  passedG = 0;
  passedB = 0;
  passTexel((row0 + column0) << 2, depth, leftShare * topShare);
  passTexel((row0 + column1) << 2, depth, right * topShare);
  passTexel((row1 + column0) << 2, depth, leftShare * bottom);
  passTexel((row1 + column1) << 2, depth, right * bottom);
  litR *= passedR / 255;
  litG *= passedG / 255;
  litB *= passedB / 255;
}

let passedR: f64 = 0;
let passedG: f64 = 0;
let passedB: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function inMap(place: i32, n: i32): usize {
  return <usize>(place < 0 ? 0 : place >= n ? n - 1 : place);
}

/** Adds what one texel lets through. @param at bytes from the start of the glass maps */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function passTexel(at: usize, depth: f64, weight: f64): void {
  const colour: u32 = f(glassDepth + at) > depth ? load<u32>(glassTint + at) : 0xffffff;
  passedR += <f64>(colour & 255) * weight;
  passedG += <f64>((colour >> 8) & 255) * weight;
  passedB += <f64>((colour >> 16) & 255) * weight;
}
