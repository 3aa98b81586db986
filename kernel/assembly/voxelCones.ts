/**
 * Irradiance of the faces of voxels, by cones that leave each and widen through the mips (Crassin et al. 2011, Interactive
 * Indirect Illumination Using Voxel Cone Tracing), and by what rays have found of what lies outside of the grid. Across a
 * layer it is what columns stop that is mixed, along it their depth, whose tents add up to one on the way: an opening is as
 * wide as it is, and a wall that lies along the way as tight.
 */
import { add, all, greater, lane0, lane1, lane2, lane3, lastHalves, lastTwo, mul, over, sub } from './four';
import * as L from './layouts/voxelLevel';
import * as O from './layouts/voxelOrder';
import * as W from './layouts/voxelWay';
import { cellOf, countOf, faceOf, fadeFour, fieldOf, levelOf, strideOf } from './voxelGrid';

/** A cone ends where no more than this comes through. */
const SPENT: f32 = 0.005;
/** Cosine to the mean normal of a face's surfaces below which they are in their own way. */
const UNDER: f32 = 0.03;

let order: usize = 0;
let levels: i32 = 0;
/** Of the face whose cones go out: it, and where its voxel stands along its axis. */
let home: i32 = 0;
let homeAt: i32 = 0;

/** A number of a packed normal. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function unpack(packed: u32, shift: u32): f32 {
  return <f32>(<i32>((packed >>> shift) & 1023) - 511) * <f32>(1 / 511.0);
}

/**
 * Works out the irradiance of the faces of some rows of a layer. Neighbours send parts of one set of cones.
 * @param rows along y, from the first to before the last @param outside whether what comes from outside of the grid counts
 * @param parts of which each face sends one: 4 or 8
 */
export function gatherVoxels(orderAt: usize, z: i32, firstRow: i32, lastRow: i32, outside: i32, parts: i32): void {
  order = orderAt;
  levels = load<i32>(order, O.VOXELS_LEVEL_COUNT);
  for (let y = firstRow; y < lastRow; y++)
    for (let face = 0; face < 6; face++) {
      const count = listFaces(face, y, z, parts);
      if (count > 0) gatherRow(face, count, y, z, outside != 0, parts);
    }
}

/** Of a packed normal: cones leave from inside something. What they find counts hardly beside what others do. */
const BURIED: u32 = 1 << 30;
/** The same beside how many cones went out, and what each counts. */
const BURIED_CONES: u32 = 128;
const HARDLY: f32 = 1e-4;

/** Faces of a row whose cones go out together: what comes by them, normal, how many, where along x, whose record, which part, whether buried. */
const LISTED: usize = 48;

/** Lists the faces of one kind of a row. @returns how many */
function listFaces(face: i32, y: i32, z: i32, parts: i32): i32 {
  const level = levelOf(order, 0);
  const found = <usize>load<u32>(order, O.VOXELS_FOUND);
  const row = cellOf(level, 0, y, z);
  const axis = face >> 1;
  let at = <usize>load<u32>(order, O.VOXELS_WORK);
  let count = 0;
  for (let x = 0; x < countOf(level, 0); x++) {
    const cell = load<u32>(row + ((<usize>x) << 2));
    if (((cell >>> face) & 1) == 0) continue;
    const number = <i32>faceOf(cell, face);
    const normal = load<u32>(found + ((<usize>number) << 4), 12);
    // by where it stands on the plane in which it lies
    const a = axis == 0 ? y : x;
    const b = axis == 2 ? y : z;
    const part = ((a & 1) | ((b & 1) << 1) | ((((a >> 1) ^ (b >> 1)) & 1) << 2)) & (parts - 1);
    v128.store(at, all(0));
    store<f32>(at, unpack(normal, 0), 16);
    store<f32>(at, unpack(normal, 10), 20);
    store<f32>(at, unpack(normal, 20), 24);
    store<i32>(at, 0, 28);
    store<i32>(at, x, 32);
    store<i32>(at, number, 36);
    store<i32>(at, part, 40);
    store<u32>(at, normal & BURIED, 44);
    at += LISTED;
    count++;
  }
  return count;
}

/** A cone of all of them, then the next: neighbours' ways go through the same voxels. */
function gatherRow(face: i32, count: i32, y: i32, z: i32, outside: bool, parts: i32): void {
  const axis = face >> 1;
  const ahead: f32 = (face & 1) == 0 ? 1 : -1;
  const fx: f32 = <f32>0.5 + (axis == 0 ? ahead : 0);
  const fy: f32 = <f32>y + <f32>0.5 + (axis == 1 ? ahead : 0);
  const fz: f32 = <f32>z + <f32>0.5 + (axis == 2 ? ahead : 0);
  const list = <usize>load<u32>(order, O.VOXELS_WORK);
  const end = list + <usize>count * LISTED;
  const ways = load<i32>(order, O.VOXELS_WAY_COUNT);
  home = face;
  let way = <usize>load<u32>(order, O.VOXELS_WAYS) + <usize>(face * ways) * W.WAY_BYTES;
  for (let k = 0; k < ways; k++, way += W.WAY_BYTES) {
    const dx = load<f32>(way, W.WAY_DIRECTION);
    const dy = load<f32>(way, W.WAY_DIRECTION + 4);
    const dz = load<f32>(way, W.WAY_DIRECTION + 8);
    const part = k & (parts - 1);
    for (let at = list; at < end; at += LISTED) {
      if (load<i32>(at, 40) != part) continue;
      const along = dx * load<f32>(at, 16) + dy * load<f32>(at, 20) + dz * load<f32>(at, 24);
      if (!(along > UNDER)) continue;
      const x = load<i32>(at, 32);
      homeAt = axis == 0 ? x : axis == 1 ? y : z;
      v128.store(at, add(v128.load(at), march(way, <f32>x + fx, fy, fz)));
      store<i32>(at, load<i32>(at, 28) + 1, 28);
    }
  }
  const found = <usize>load<u32>(order, O.VOXELS_FOUND);
  const glow = <usize>load<u32>(order, O.VOXELS_GLOW);
  const open = <usize>load<u32>(order, O.VOXELS_OPEN);
  for (let at = list; at < end; at += LISTED) {
    const to = (<usize>load<i32>(at, 36)) << 4;
    const went = load<i32>(at, 28);
    const buried = load<u32>(at, 44) != 0 ? BURIED_CONES : 0;
    store<u8>(glow + to, <u8>((<u32>went) | buried), 15);
    if (went == 0) continue;
    let light = mul(v128.load(at), all(<f32>3.1415927 / <f32>went));
    if (outside) light = add(light, v128.load(open + to));
    v128.store64_lane(found + to, light, 0);
    v128.store32_lane(found + to, light, 2, 8);
  }
}

/**
 * Puts together what neighbours found by their parts of the cones, for some rows of a layer: by twice the weight of each for
 * the one between two, every part of four counts the same (Keller & Heidrich 2001, Interleaved Sampling).
 */
export function blendVoxels(orderAt: usize, z: i32, firstRow: i32, lastRow: i32): void {
  order = orderAt;
  writeFaces(z, firstRow, lastRow, 0, <usize>load<u32>(order, O.VOXELS_LIT));
}

/**
 * Spreads what comes from outside over neighbours, for some rows of a layer: few rays of each found it. Faces inside of walls
 * have none and pass none on.
 * @param from, to which of its two halves
 */
export function spreadOutside(orderAt: usize, z: i32, firstRow: i32, lastRow: i32, from: u32, to: u32): void {
  order = orderAt;
  writeFaces(z, firstRow, lastRow, <usize>from, <usize>to);
}

/** Writes what each face of some rows gets of itself and its neighbours. @param from what is spread; 0: what cones found is put together */
function writeFaces(z: i32, firstRow: i32, lastRow: i32, from: usize, to: usize): void {
  const level = levelOf(order, 0);
  for (let y = firstRow; y < lastRow; y++) {
    const row = cellOf(level, 0, y, z);
    for (let x = 0; x < countOf(level, 0); x++) {
      const at = row + ((<usize>x) << 2);
      const cell = load<u32>(at);
      if (cell == 0) continue;
      for (let face = 0; face < 6; face++)
        if (((cell >>> face) & 1) == 1)
          v128.store(
            to + (faceOf(cell, face) << 4),
            from != 0 ? spreadFace(level, at, face, from) : blendFace(level, at, face),
          );
    }
  }
}

function spreadFace(level: usize, at: usize, face: i32, from: usize): v128 {
  const found = <usize>load<u32>(order, O.VOXELS_FOUND);
  const own = faceOf(load<u32>(at), face) << 4;
  if ((load<u32>(found + own, 12) & BURIED) != 0) return all(0);
  const axis = face >> 1;
  const along = <usize>strideOf(level, axis);
  const aside = strideOf(level, axis == 0 ? 1 : 0);
  const below = strideOf(level, axis == 2 ? 1 : 2);
  let sum = all(0);
  let weight: f32 = 0;
  for (let b = -1; b <= 1; b++)
    for (let a = -1; a <= 1; a++) {
      const number = besides(at + <usize>(a * aside + b * below), along, face);
      if (number == NONE || (load<u32>(found + number, 12) & BURIED) != 0) continue;
      const counts = <f32>((a == 0 ? 2 : 1) * (b == 0 ? 2 : 1));
      sum = add(sum, mul(v128.load(from + number), all(counts)));
      weight += counts;
    }
  return mul(sum, all(<f32>1 / weight));
}

const NONE: usize = 0xffffffff;

/** Sixteen times the number of a face in a place, or where a surface that leans goes on a voxel higher or lower. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function besides(at: usize, along: usize, face: i32): usize {
  let cell = load<u32>(at);
  if (((cell >>> face) & 1) == 0) cell = load<u32>(at + along);
  if (((cell >>> face) & 1) == 0) cell = load<u32>(at - along);
  return ((cell >>> face) & 1) == 0 ? NONE : faceOf(cell, face) << 4;
}

/** Irradiance, and 1; nothing where no cone went out. */
function blendFace(level: usize, at: usize, face: i32): v128 {
  const found = <usize>load<u32>(order, O.VOXELS_FOUND);
  const glow = <usize>load<u32>(order, O.VOXELS_GLOW);
  const axis = face >> 1;
  const along = <usize>strideOf(level, axis);
  const aside = strideOf(level, axis == 0 ? 1 : 0);
  const below = strideOf(level, axis == 2 ? 1 : 2);
  let sum = all(0);
  for (let b = -1; b <= 1; b++)
    for (let a = -1; a <= 1; a++) {
      const number = besides(at + <usize>(a * aside + b * below), along, face);
      if (number == NONE) continue;
      const counts = (a == 0 ? 2 : 1) * (b == 0 ? 2 : 1);
      const cones = <u32>load<u8>(glow + number, 15);
      const each: f32 = (cones & BURIED_CONES) != 0 ? HARDLY : 1;
      const weight = <f32>(counts * <i32>(cones & (BURIED_CONES - 1))) * each;
      sum = add(sum, mul(f32x4.replace_lane(v128.load(found + number), 3, 1), all(weight)));
    }
  const weight = f32x4.extract_lane(sum, 3);
  return weight > 0 ? mul(sum, all(<f32>1 / weight)) : all(0);
}

/** Of a cone: the axis across which its layers lie, and how far it goes along both others a layer. */
let axis: i32 = 0;
let goesA: f32 = 0;
let goesB: f32 = 0;

/**
 * Radiance that comes along a cone from surfaces in the grid. It goes through layers across the axis that it leans to most,
 * each met once and whole: an opening lets through as much as it is wide, however many steps lead through the wall around it.
 * @param x, y, z whence, in voxels
 */
function march(way: usize, x: f32, y: f32, z: f32): v128 {
  const dx = load<f32>(way, W.WAY_DIRECTION);
  const dy = load<f32>(way, W.WAY_DIRECTION + 4);
  const dz = load<f32>(way, W.WAY_DIRECTION + 8);
  axis = abs<f32>(dx) >= abs<f32>(dy) ? (abs<f32>(dx) >= abs<f32>(dz) ? 0 : 2) : abs<f32>(dy) >= abs<f32>(dz) ? 1 : 2;
  const d = axis == 0 ? dx : axis == 1 ? dy : dz;
  const from = axis == 0 ? x : axis == 1 ? y : z;
  const fromA = axis == 0 ? y : x;
  const fromB = axis == 2 ? y : z;
  const each: f32 = <f32>1 / abs<f32>(d);
  const slopeA = (axis == 0 ? dy : dx) * each;
  const slopeB = (axis == 2 ? dy : dz) * each;
  goesA = abs<f32>(slopeA);
  goesB = abs<f32>(slopeB);
  const axisA = axis == 0 ? 1 : 0;
  const axisB = axis == 2 ? 1 : 2;
  const wide = load<f32>(way, W.WAY_WIDE) * each;
  const forward = d > 0;
  const ahead: u32 = (dx < 0 ? 1 : 2) | (dy < 0 ? 4 : 8) | (dz < 0 ? 16 : 32);
  let light = all(0);
  let passes: f32 = 1;
  let number = 0;
  let side: f32 = 1;
  let scale: f32 = 1;
  let layer = <i32>floor<f32>(from);
  let level = levelOf(order, 0);
  while (layer >= 0 && layer < countOf(level, axis)) {
    const gone = abs<f32>((<f32>layer + <f32>0.5) * side - from);
    const a = (fromA + slopeA * gone) * scale;
    const b = (fromB + slopeB * gone) * scale;
    // as far as voxels on the border reach
    if (!isNear(a, countOf(level, axisA)) || !isNear(b, countOf(level, axisB))) break;
    const met = meet(level, number, layer, a, b, ahead);
    const stopped = f32x4.extract_lane(met, 3);
    if (stopped > 0) {
      light = add(light, mul(met, all(passes)));
      passes *= <f32>1 - stopped;
      if (passes < SPENT) break;
    }
    layer += forward ? 1 : -1;
    // the mip whose voxels are about as wide as the cone, once a layer of it begins here
    const wanted = (reinterpret<i32>(max<f32>(1, (gone + <f32>0.5 * side) * wide)) >> 23) - 127;
    if (wanted > number && number < levels - 1 && (layer & 1) == (forward ? 0 : 1)) {
      number++;
      layer >>= 1;
      side *= 2;
      scale *= 0.5;
      level = levelOf(order, number);
    }
  }
  return light;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function isNear(at: f32, count: i32): bool {
  return at > -0.5 && at < <f32>count + <f32>0.5;
}

/**
 * Light that comes from a layer, rgb, and the share of what is behind that it stops. Four columns across it each stop by
 * their own depth, and what they stop is mixed: an opening stays as wide as it is.
 * @param layer which of the mip @param a, b along the other axes, in voxels of it @param ahead which faces look this way
 */
function meet(level: usize, number: i32, layer: i32, a: f32, b: f32, ahead: u32): v128 {
  const ba = <i32>floor<f32>(a - <f32>0.5);
  const bb = <i32>floor<f32>(b - <f32>0.5);
  const corner = cellOf(level, axis == 0 ? layer : ba, axis == 0 ? ba : axis == 1 ? layer : bb, axis == 2 ? layer : bb);
  const near = <usize>load<u32>(level, L.LEVEL_NEAR) + <usize>((<i32>corner - load<i32>(level, L.LEVEL_CELLS)) >> 2);
  const met: u32 = (<u32>load<u8>(near)) & ahead;
  if (met == 0) return all(0);
  const nextA = <usize>strideOf(level, axis == 0 ? 1 : 0);
  const nextB = <usize>strideOf(level, axis == 2 ? 1 : 2);
  const c00 = load<u32>(corner);
  const c10 = load<u32>(corner + nextA);
  const c01 = load<u32>(corner + nextB);
  const c11 = load<u32>(corner + nextA + nextB);
  const faces = (c00 | c10 | c01 | c11) & met;
  if (faces == 0) return all(0);
  const sa = a - <f32>0.5 - <f32>ba;
  const sb = b - <f32>0.5 - <f32>bb;
  const own = home >> 1;
  const axisA = axis == 0 ? 1 : 0;
  const axisB = axis == 2 ? 1 : 2;
  let light = all(0);
  let passes: f32 = 1;
  let stops: f32 = 0;
  // coarse voxels reach down to the surface itself: what they have on its far side is not in its way
  const across: u32 = faces & (3 << (axis << 1));
  if (across != 0 && (axis != own || isBefore(layer, number))) {
    const shares = mul(f32x4(1 - sa, sa, 1 - sa, sa), f32x4(1 - sb, 1 - sb, sb, sb));
    light = stoppedBy(
      fieldAt(level, c00, across),
      fieldAt(level, c10, across),
      fieldAt(level, c01, across),
      fieldAt(level, c11, across),
      shares,
    );
    stops = f32x4.extract_lane(light, 3);
    passes = <f32>1 - stops;
  }
  for (let side = 0; side < 2; side++) {
    const along = side == 0 ? axisA : axisB;
    const bits: u32 = faces & (3 << (along << 1));
    if (bits == 0) continue;
    const base = side == 0 ? ba : bb;
    const share = side == 0 ? sa : sb;
    const goes = side == 0 ? goesA : goesB;
    const aside = side == 0 ? sb : sa;
    const first = all(along != own || isBefore(base, number) ? (<f32>1 - share) * goes : 0);
    const next = all(along != own || isBefore(base + 1, number) ? share * goes : 0);
    const middle0 = side == 0 ? c10 : c01;
    const middle1 = side == 0 ? c01 : c10;
    const stopped = stoppedBy(
      add(mul(fieldAt(level, c00, bits), first), mul(fieldAt(level, middle0, bits), next)),
      add(mul(fieldAt(level, middle1, bits), first), mul(fieldAt(level, c11, bits), next)),
      all(0),
      all(0),
      f32x4(1 - aside, aside, 0, 0),
    );
    const part = f32x4.extract_lane(stopped, 3);
    light = add(light, stopped);
    passes *= <f32>1 - part;
    stops += part;
  }
  if (!(stops > 0)) return all(0);
  return f32x4.replace_lane(mul(light, all((<f32>1 - passes) / stops)), 3, <f32>1 - passes);
}

/** Does a voxel lie before the surface whose cones go out, by its number along the axis of that? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function isBefore(at: i32, number: i32): bool {
  const homeHere = homeAt >> number;
  return (home & 1) == 0 ? at > homeHere : at < homeHere;
}

/** What four columns send and stop. @param c0 … light times depth, and depth @param shares of them */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function stoppedBy(c0: v128, c1: v128, c2: v128, c3: v128, shares: v128): v128 {
  const depths = lastHalves(lastTwo(c0, c1), lastTwo(c2, c3));
  const stops = mul(sub(all(1), fadeFour(depths)), shares);
  const perDepth = over(stops, greater(depths, all(1e-20)));
  let light = add(mul(c0, lane0(perDepth)), mul(c1, lane1(perDepth)));
  light = add(light, add(mul(c2, lane2(perDepth)), mul(c3, lane3(perDepth))));
  const both = add(stops, v128.shuffle<i32>(stops, stops, 2, 3, 0, 1));
  return f32x4.replace_lane(light, 3, f32x4.extract_lane(both, 0) + f32x4.extract_lane(both, 1));
}

/** What a voxel's face of a bit has, nothing where it has none: guessing whether it has takes longer. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function fieldAt(level: usize, cell: u32, bit: u32): v128 {
  const field = v128.load(fieldOf(level, <usize>((cell >>> 6) + <u32>popcnt<u32>(cell & (bit - 1)))));
  return v128.and(field, i32x4.splat((cell & bit) != 0 ? -1 : 0));
}
