/** Shades what a tile sees at one sample position and adds it to the picture's sums. Twin: core/shading/shadeTile. */
import { SUM_BYTES } from './layouts/pixelSums';
import { colorB, colorG, colorR, surroundRow, surroundRowBy } from './environment';
import { add, all, firstHalves, firstTwo, greater, lastHalves, lastTwo, mul, pick, storeTriples, sub } from './four';
import { lightRow } from './lighting';
import { forgetMaterials, materialsOfRow, mirrorsOfRow } from './material';
import {
  addFour,
  AHEAD,
  ALPHA,
  ARRIVED,
  ARRIVING,
  BASE,
  col,
  COLUMN,
  COVERS,
  DIRECT,
  forgetFours,
  fourOf,
  fours,
  GLOW,
  LIVE,
  MATTE,
  MIRRORED,
  NORMAL,
  PIXEL,
  PIXEL_COVERAGE,
  PIXEL_LIT,
  put,
  row,
  TRANSMISSION,
  TRIANGLE,
  work,
} from './row';
import { triangleInstance } from './scenery';
import { skyAt, skyBlue, skyGreen, skyKnown, skyRed } from './sky';
import { faceViewer, forgetTriangles, placeRow } from './surface';

/** The caller's: writes the background's radiance at a place of the picture by `setColor`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "backdrop")
declare function backdropOutside(px: f64, py: f64): void;

/** The caller's: lets all methods fill the row's columns of light from around. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "around")
declare function aroundOutside(px: f64, py: f64, seeThrough: i32): void;

const NO_TRIANGLE: i32 = -1;
const TILE_SHIFT: usize = 6;

/** The picture's arrays. */
let sums: usize = 0;
let depth: usize = 0;
let normal: usize = 0;
let objectId: usize = 0;
let width: i32 = 0;
let beauty: usize = 0;
let exposure: v128 = all(0);
/** Is the caller's background seen where nothing is? */
let backed: bool = false;
/** Does any method but the surroundings themselves say what comes from around? */
let asksAround: bool = false;
/** Do they say it of matte surfaces alone? */
let ofMatteOnly: bool = false;

export function bindPicture(
  sums_: usize,
  depth_: usize,
  normal_: usize,
  objectId_: usize,
  width_: i32,
  background: i32,
  around: i32,
): void {
  asksAround = around != 0;
  ofMatteOnly = around == 2;
  sums = sums_;
  depth = depth_;
  normal = normal_;
  objectId = objectId_;
  width = width_;
  backed = background != 0;
}

/**
 * @param x0 … y1 the tile's pixels
 * @param triangle per pixel of the tile its triangle, or NO_TRIANGLE
 * @param layerCount, layerTriangle per pixel how many see-through triangles lie before it, and those
 * @param share part of a whole pixel sample that this call adds
 * @param first 1 for the sample that sums begin with, and that also writes depth, normal and object
 * @param beauty_ where the sums of a first sample are taken together as well, times a scale, or 0: see `gatherBeauty`
 */
export function shadeTile(
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  triangle: usize,
  layerCount: usize,
  layerTriangle: usize,
  layerLimit: i32,
  ox: f64,
  oy: f64,
  share: f64,
  first: i32,
  beauty_: usize,
  scale: f32,
): void {
  beauty = beauty_;
  exposure = all(scale);
  forgetMaterials();
  forgetTriangles(x0, y0);
  const count = x1 - x0;
  const px = <f64>x0 + ox;
  const inX = <f32>ox;
  for (let y = y0; y < y1; y++) {
    const i = (<usize>(y - y0)) << TILE_SHIFT;
    const py = <f64>y + oy;
    const inY = <f32>(<f64>(y - y0) + oy);
    const at = <usize>y * <usize>width + <usize>x0;
    const solid = triangle + (i << 2);
    const layers = layerCount + i;
    const most = mostLayers(layers, count);
    const bare = most == 0;
    if (gatherSolid(solid, count, <f32>share)) {
      shadeRow(inX, inY, px, py, false, <f32>share, 0);
      takePixels(<f32>share, bare);
    }
    if (first) writeSolid(at, count);
    if (backed) layBackground(solid, count, px, py, share);
    const behind = layerTriangle + ((i * <usize>layerLimit) << 2);
    for (let k = most - 1; k >= 0; k--) {
      gatherLayer(layers, behind, layerLimit, k, count);
      shadeRow(inX, inY, px, py, true, <f32>share, 0);
      layOver(<f32>share);
      if (first && k == 0) writeLayer(at, solid);
    }
    if (!first) addPixels(at, count, bare, <f32>share);
    else storePixels(at, count, bare, <f32>share);
  }
}

/** Nothing is seen in a four, and nothing lies in shadow. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function clearPixels(a: usize, lit: v128): void {
  const none = all(0);
  for (let c: usize = 0; c < 13 * COLUMN; c += COLUMN) put(a, PIXEL + c, none);
  put(a, PIXEL_LIT, lit);
}

/**
 * Takes a four up where any of its places has a triangle; the others get that one too, for they must have some.
 * @returns whether it has any
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function take(a: usize, triangles: v128, live: v128): bool {
  v128.store(a, live, LIVE);
  const lanes = i32x4.bitmask(live);
  if (lanes == 0) return false;
  v128.store(a, triangles, TRIANGLE);
  const some = i32x4.splat(load<i32>(a + ((<usize>ctz<i32>(lanes)) << 2), TRIANGLE));
  v128.store(a, pick(live, triangles, some), TRIANGLE);
  addFour(a);
  return true;
}

/** Ones in the first so many places. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function firstPlaces(count: i32): v128 {
  return i32x4.lt_s(i32x4(0, 1, 2, 3), i32x4.splat(count));
}

/** Gathers what is solid; elsewhere nothing is seen yet. @returns whether the row has any */
export function gatherSolid(triangle: usize, count: i32, share: f32): bool {
  const lit = all(share);
  forgetFours();
  for (let x = 0; x < count; x += 4) {
    const triangles = v128.load(triangle + ((<usize>x) << 2));
    const live = v128.and(i32x4.ne(triangles, i32x4.splat(NO_TRIANGLE)), firstPlaces(count - x));
    const a = row + ((<usize>x) << 2);
    if (!take(a, triangles, live)) clearPixels(a, lit);
  }
  return fours > 0;
}

function gatherLayer(layers: usize, triangle: usize, limit: i32, k: i32, count: i32): void {
  forgetFours();
  for (let x = 0; x < count; x += 4) {
    const a = row + ((<usize>x) << 2);
    let triangles = i32x4.splat(NO_TRIANGLE);
    v128.store(a, triangles, TRIANGLE);
    for (let i = 0; i < 4 && x + i < count; i++) {
      const p = <usize>(x + i);
      if (<i32>load<u8>(layers + p) <= k) continue;
      store<i32>(a + ((<usize>i) << 2), load<i32>(triangle + ((p * <usize>limit + <usize>k) << 2)), TRIANGLE);
    }
    triangles = v128.load(a, TRIANGLE);
    take(a, triangles, i32x4.ne(triangles, i32x4.splat(NO_TRIANGLE)));
  }
}

function mostLayers(layers: usize, count: i32): i32 {
  let most: i32 = 0;
  for (let x = 0; x < count; x++) most = max<i32>(most, <i32>load<u8>(layers + <usize>x));
  return most;
}

/** What leaves the gathered surfaces towards the eye. @param inX, inY place of the row in the tile @param px, py in the picture @param blunt least width of highlights */
export function shadeRow(inX: f32, inY: f32, px: f64, py: f64, seeThrough: bool, share: f32, blunt: f32): void {
  placeRow(inX, inY);
  materialsOfRow(inX, inY);
  if (blunt > 0) for (let k = 0; k < fours; k++) put(fourOf(k), ALPHA, greater(all(blunt), col(fourOf(k), ALPHA)));
  faceViewer();
  mirrorsOfRow();
  lightRow(seeThrough);
  if (!asksAround || (ofMatteOnly && !anyMatte())) return surroundRow(share);
  aroundOutside(px, py, seeThrough ? 1 : 0);
  surroundRowBy(share);
}

/** Does any place of the row see a surface with a matte part? */
function anyMatte(): bool {
  for (let k = 0; k < fours; k++) if (v128.any_true(v128.load(fourOf(k), MATTE))) return true;
  return false;
}

/** Is there a surface at all places of a four? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function full(a: usize): bool {
  return i32x4.bitmask(v128.load(a, LIVE)) == 15;
}

/** What of the light that would arrive does, times a share; all of it where none would. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function litShare(a: usize, part: v128): v128 {
  const arriving = col(a, ARRIVING);
  return mul(pick(f32x4.gt(arriving, all(0)), f32x4.div(col(a, ARRIVED), arriving), all(1)), part);
}

/** The pixels are what their solid surfaces are. @param bare where full fours remain as they are: nothing lies before them */
function takePixels(share: f32, bare: bool): void {
  const part = all(share);
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    if (bare && full(a)) continue;
    const live = v128.load(a, LIVE);
    for (let c: usize = 0; c < 9 * COLUMN; c += COLUMN) put(a, PIXEL + c, v128.and(live, col(a, DIRECT + c)));
    for (let c: usize = 0; c < 3 * COLUMN; c += COLUMN)
      put(a, PIXEL + 9 * COLUMN + c, v128.and(live, mul(col(a, GLOW + c), part)));
    put(a, PIXEL_COVERAGE, v128.and(live, part));
    put(a, PIXEL_LIT, pick(live, litShare(a, part), part));
  }
}

function layBackground(triangle: usize, count: i32, px: f64, py: f64, share: f64): void {
  if (skyKnown()) return laySky(triangle, count, <f32>px, <f32>py, all(<f32>share));
  for (let x = 0; x < count; x++) {
    if (load<i32>(triangle + ((<usize>x) << 2)) != NO_TRIANGLE) continue;
    backdropOutside(px + <f64>x, py);
    const to = row + ((<usize>x) << 2) + PIXEL + 9 * COLUMN;
    store<f32>(to, <f32>(colorR() * share));
    store<f32>(to + COLUMN, <f32>(colorG() * share));
    store<f32>(to + 2 * COLUMN, <f32>(colorB() * share));
  }
}

function laySky(triangle: usize, count: i32, px: f32, py: f32, share: v128): void {
  const to = PIXEL + 9 * COLUMN;
  for (let x = 0; x < count; x += 4) {
    const triangles = v128.load(triangle + ((<usize>x) << 2));
    const open = v128.and(i32x4.eq(triangles, i32x4.splat(NO_TRIANGLE)), firstPlaces(count - x));
    if (!v128.any_true(open)) continue;
    skyAt(add(all(px + <f32>x), f32x4(0, 1, 2, 3)), all(py));
    const a = row + ((<usize>x) << 2);
    put(a, to, pick(open, mul(skyRed, share), col(a, to)));
    put(a, to + COLUMN, pick(open, mul(skyGreen, share), col(a, to + COLUMN)));
    put(a, to + 2 * COLUMN, pick(open, mul(skyBlue, share), col(a, to + 2 * COLUMN)));
  }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function layChannel(a: usize, c: usize, live: v128, pass: v128, over: v128): void {
  const before = col(a, PIXEL + c);
  put(a, PIXEL + c, pick(live, add(mul(before, pass), over), before));
}

/** Lays see-through surfaces over what is behind them: Fresnel-weighted tint, or plain alpha. */
function layOver(share: f32): void {
  const one = all(1);
  const part = all(share);
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const live = v128.load(a, LIVE);
    const covers = col(a, COVERS);
    const through = mul(covers, col(a, TRANSMISSION));
    for (let c: usize = 0; c < 3 * COLUMN; c += COLUMN) {
      const tint = mul(mul(through, col(a, BASE + c)), sub(one, col(a, MIRRORED + c)));
      const pass = add(sub(one, covers), tint);
      for (let l = c; l < 9 * COLUMN; l += 3 * COLUMN) layChannel(a, l, live, pass, mul(col(a, DIRECT + l), covers));
      layChannel(a, 9 * COLUMN + c, live, pass, mul(mul(col(a, GLOW + c), part), covers));
    }
    put(a, PIXEL_COVERAGE, pick(live, part, col(a, PIXEL_COVERAGE)));
  }
}

/** Writes depth, normal and object of the gathered surfaces, and zeros where there is none. @param at number of the row's first pixel */
function writeSolid(at: usize, count: i32): void {
  for (let x = 0; x < count; x += 4) {
    const a = row + ((<usize>x) << 2);
    const to = at + <usize>x;
    if (full(a)) {
      writeFour(a, to);
      continue;
    }
    for (let i = 0; i < 4 && x + i < count; i++) {
      const from = a + ((<usize>i) << 2);
      if (load<i32>(from, LIVE) != 0) writeOne(from, to + <usize>i);
      else clearOne(to + <usize>i);
    }
  }
}

/** Writes those of a layer where nothing solid lies behind. @param solid the row's solid triangles */
function writeLayer(at: usize, solid: usize): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const x = (a - row) >> 2;
    for (let i: usize = 0; i < 4; i++) {
      const from = a + (i << 2);
      if (load<i32>(from, LIVE) != 0 && load<i32>(solid + ((x + i) << 2)) == NO_TRIANGLE) writeOne(from, at + x + i);
    }
  }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function writeOne(from: usize, to: usize): void {
  store<f32>(depth + (to << 2), load<f32>(from, AHEAD));
  const n = normal + to * 12;
  store<f32>(n, load<f32>(from, NORMAL));
  store<f32>(n, load<f32>(from, NORMAL + COLUMN), 4);
  store<f32>(n, load<f32>(from, NORMAL + 2 * COLUMN), 8);
  store<i32>(objectId + (to << 2), objectOf(from));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function clearOne(to: usize): void {
  store<i32>(depth + (to << 2), 0);
  store<i64>(normal + to * 12, 0);
  store<i32>(normal + to * 12, 0, 8);
  store<i32>(objectId + (to << 2), 0);
}

/** Writes those of four neighbours. @param to number of the first pixel */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function writeFour(a: usize, to: usize): void {
  v128.store(depth + (to << 2), col(a, AHEAD));
  storeTriples(normal + to * 12, col(a, NORMAL), col(a, NORMAL + COLUMN), col(a, NORMAL + 2 * COLUMN));
  let objects = i32x4.splat(objectOf(a));
  objects = i32x4.replace_lane(objects, 1, objectOf(a + 4));
  objects = i32x4.replace_lane(objects, 2, objectOf(a + 8));
  objects = i32x4.replace_lane(objects, 3, objectOf(a + 12));
  v128.store(objectId + (to << 2), objects);
}

/** Number of the object that a pixel sees. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function objectOf(at: usize): i32 {
  return load<i32>(triangleInstance + ((<usize>load<i32>(at, TRIANGLE)) << 2)) + 1;
}

/** Adds four numbers to the sums of a pixel. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function addTo(at: usize, four: v128, fresh: bool): void {
  v128.store(at, fresh ? four : add(v128.load(at), four));
}

/** Adds four columns to the sums of so many pixels, up to four. @param to the first pixel's */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function addColumns(to: usize, count: i32, fresh: bool, c0: v128, c1: v128, c2: v128, c3: v128): void {
  const low = firstTwo(c0, c1);
  const low2 = firstTwo(c2, c3);
  addTo(to, firstHalves(low, low2), fresh);
  if (count > 1) addTo(to + SUM_BYTES, lastHalves(low, low2), fresh);
  if (count <= 2) return;
  const high = lastTwo(c0, c1);
  const high2 = lastTwo(c2, c3);
  addTo(to + 2 * SUM_BYTES, firstHalves(high, high2), fresh);
  if (count > 3) addTo(to + 3 * SUM_BYTES, lastHalves(high, high2), fresh);
}

/** Adds the row's pixels to the picture's sums, or begins them. @param at number of its first pixel @param bare see `takePixels` */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function sumPixels(at: usize, count: i32, bare: bool, share: f32, fresh: bool): void {
  const none = all(0);
  const part = all(share);
  for (let x = 0; x < count; x += 4) {
    const a = row + ((<usize>x) << 2);
    const to = sums + (at + <usize>x) * SUM_BYTES;
    if (bare && full(a)) {
      const d = a + DIRECT;
      const glow = mul(col(a, GLOW), part);
      const glow2 = mul(col(a, GLOW + COLUMN), part);
      const glow3 = mul(col(a, GLOW + 2 * COLUMN), part);
      addColumns(to, 4, fresh, col(d, 0), col(d, COLUMN), col(d, 2 * COLUMN), col(d, 3 * COLUMN));
      addColumns(to + 16, 4, fresh, col(d, 4 * COLUMN), col(d, 5 * COLUMN), col(d, 6 * COLUMN), col(d, 7 * COLUMN));
      addColumns(to + 32, 4, fresh, col(d, 8 * COLUMN), glow, glow2, glow3);
      addColumns(to + 48, 4, fresh, part, litShare(a, part), none, none);
      if (fresh && beauty != 0)
        storeTriples(
          beauty + (at + <usize>x) * 12,
          whole(d, glow),
          whole(d + COLUMN, glow2),
          whole(d + 2 * COLUMN, glow3),
        );
      continue;
    }
    const left = count - x;
    const p = a + PIXEL;
    addColumns(to, left, fresh, col(p, 0), col(p, COLUMN), col(p, 2 * COLUMN), col(p, 3 * COLUMN));
    addColumns(to + 16, left, fresh, col(p, 4 * COLUMN), col(p, 5 * COLUMN), col(p, 6 * COLUMN), col(p, 7 * COLUMN));
    addColumns(to + 32, left, fresh, col(p, 8 * COLUMN), col(p, 9 * COLUMN), col(p, 10 * COLUMN), col(p, 11 * COLUMN));
    addColumns(to + 48, left, fresh, col(p, 12 * COLUMN), col(p, 13 * COLUMN), none, none);
    if (fresh && beauty != 0) takeTogether(p, at + <usize>x, left);
  }
}

/** Direct light, bounce and reflection of a channel and its emission, as it is exposed. @param d its direct light */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function whole(d: usize, emission: v128): v128 {
  return mul(add(add(add(col(d, 0), col(d, 3 * COLUMN)), col(d, 6 * COLUMN)), emission), exposure);
}

/** Writes the beauty of up to four pixels. @param p their layers @param to number of the first */
function takeTogether(p: usize, to: usize, count: i32): void {
  const r = whole(p, col(p, 9 * COLUMN));
  const g = whole(p + COLUMN, col(p, 10 * COLUMN));
  const b = whole(p + 2 * COLUMN, col(p, 11 * COLUMN));
  const at = beauty + to * 12;
  if (count >= 4) return storeTriples(at, r, g, b);
  v128.store(work, r);
  v128.store(work, g, 16);
  v128.store(work, b, 32);
  for (let i: usize = 0; i < <usize>count; i++) {
    store<f32>(at + i * 12, load<f32>(work + (i << 2)));
    store<f32>(at + i * 12, load<f32>(work + (i << 2), 16), 4);
    store<f32>(at + i * 12, load<f32>(work + (i << 2), 32), 8);
  }
}

function storePixels(at: usize, count: i32, bare: bool, share: f32): void {
  sumPixels(at, count, bare, share, true);
}

function addPixels(at: usize, count: i32, bare: bool, share: f32): void {
  sumPixels(at, count, bare, share, false);
}
