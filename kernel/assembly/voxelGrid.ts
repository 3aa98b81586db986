/**
 * Grids of voxels: which faces each has, where they lie, and the mips. A cell holds the number of its first face times 64 and
 * a bit for each of the six that it has; only faces that surfaces have take room. Face 2·axis looks up along its axis,
 * 2·axis + 1 down. Everything is worked out a layer along z at a time, behind barriers, so that threads cannot matter.
 */
import { add, all, lane3, mul } from './four';
import * as L from './layouts/voxelLevel';
import * as O from './layouts/voxelOrder';

/** Light that comes through no less than this is told from none. */
const LEAST: f32 = 0.002;
const LN2: f32 = 0.6931472;

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function levelOf(order: usize, level: i32): usize {
  return <usize>load<u32>(order, O.VOXELS_LEVELS) + <usize>level * L.LEVEL_BYTES;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function countOf(level: usize, axis: usize): i32 {
  return load<i32>(level + (axis << 2), L.LEVEL_COUNT);
}

/** Address of a cell; one beyond each end there are cells of nothing. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function cellOf(level: usize, x: i32, y: i32, z: i32): usize {
  return <usize>(
    (load<i32>(level, L.LEVEL_CELLS) + x * 4 + y * load<i32>(level, L.LEVEL_ROW) + z * load<i32>(level, L.LEVEL_PLANE))
  );
}

/** Bytes from a cell to the next along an axis. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function strideOf(level: usize, axis: i32): i32 {
  return axis == 0 ? 4 : load<i32>(level + ((<usize>(axis - 1)) << 2), L.LEVEL_ROW);
}

/** Bytes from a cell to one of those behind it along x, y, z: bit by bit. @param row, plane see `strideOf` */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function behind(k: i32, row: i32, plane: i32): usize {
  return <usize>(((k & 1) << 2) + ((k & 2) != 0 ? row : 0) + ((k & 4) != 0 ? plane : 0));
}

/** Share of one of eight in a place between them. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function shareOf(k: i32, x: f32, y: f32, z: f32): f32 {
  const across: f32 = (k & 1) != 0 ? x : <f32>1 - x;
  const up: f32 = (k & 2) != 0 ? y : <f32>1 - y;
  const deep: f32 = (k & 4) != 0 ? z : <f32>1 - z;
  return across * up * deep;
}

/** Number of a face that a cell has. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function faceOf(cell: u32, face: i32): usize {
  return <usize>((cell >>> 6) + <u32>popcnt<u32>(cell & ((1 << face) - 1)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function fieldOf(level: usize, face: usize): usize {
  return <usize>load<u32>(level, L.LEVEL_FIELD) + (face << 4);
}

/** e^−x for x ≥ 0, to 2e-6 (series after taking out powers of two). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function fade(x: f32): f32 {
  if (!(x < 80)) return 0;
  const k = nearest<f32>(x * (1 / LN2));
  const r = k * LN2 - x;
  const sum: f32 = 1 + r * (1 + r * (0.5 + r * (1 / <f32>6 + r * (1 / <f32>24 + r * (1 / <f32>120)))));
  return sum * reinterpret<f32>((127 - <i32>k) << 23);
}

/** The same of four. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function fadeFour(x: v128): v128 {
  const least = f32x4.pmin(x, all(80));
  const k = f32x4.nearest(mul(least, all(<f32>1 / LN2)));
  const r = f32x4.sub(mul(k, all(LN2)), least);
  let sum = add(mul(r, all(<f32>1 / <f32>120)), all(<f32>1 / <f32>24));
  sum = add(mul(r, sum), all(<f32>1 / <f32>6));
  sum = add(mul(r, sum), all(0.5));
  sum = add(mul(r, sum), all(1));
  sum = add(mul(r, sum), all(1));
  return mul(sum, i32x4.shl(i32x4.sub(i32x4.splat(127), i32x4.trunc_sat_f32x4_s(k)), 23));
}

/** Depth of what lets so much light through (Beer–Lambert): −ln, of what is above nothing. */
export function depthOf(through: f32): f32 {
  const x = max<f32>(LEAST, min<f32>(1, through));
  const bits = reinterpret<i32>(x);
  // a mantissa of 0.71 … 1.41
  const e = (bits - 0x3f3504f3) >> 23;
  const m = reinterpret<f32>(bits - (e << 23));
  const s = (m - 1) / (m + 1);
  const t = s * s;
  return -(<f32>e * LN2 + 2 * s * (1 + t * (1 / <f32>3 + t * (1 / <f32>5 + t * (1 / <f32>7)))));
}

/** Empties a layer, and what lies beside it. */
export function clearVoxels(order: usize, number: i32, z: i32): void {
  const level = levelOf(order, number);
  const plane = <usize>load<i32>(level, L.LEVEL_PLANE);
  const last = z == countOf(level, 2) - 1;
  const first = z == 0 ? -1 : z;
  memory.fill(cellOf(level, -1, -1, first), 0, plane * <usize>((last ? z + 1 : z) - first + 1));
}

/** Counts the faces of a layer. */
export function countVoxels(order: usize, number: i32, z: i32): void {
  const level = levelOf(order, number);
  const across = countOf(level, 0);
  let faces = 0;
  for (let y = 0; y < countOf(level, 1); y++) {
    const row = cellOf(level, 0, y, z);
    for (let x = 0; x < across; x++) faces += popcnt<i32>(load<i32>(row + ((<usize>x) << 2)) & 63);
  }
  store<i32>(<usize>load<u32>(level, L.LEVEL_LAYERS) + ((<usize>z) << 2), faces);
}

/** Faces of the layers before one. */
export function facesBefore(order: usize, number: i32, z: i32): i32 {
  const layers = <usize>load<u32>(levelOf(order, number), L.LEVEL_LAYERS);
  let faces = 0;
  for (let k = 0; k < z; k++) faces += load<i32>(layers + ((<usize>k) << 2));
  return faces;
}

/** Gives the faces of a layer their numbers, and empties what is kept of them. */
export function numberVoxels(order: usize, number: i32, z: i32): void {
  const level = levelOf(order, number);
  const across = countOf(level, 0);
  const first = facesBefore(order, number, z);
  let next = first;
  for (let y = 0; y < countOf(level, 1); y++) {
    const row = cellOf(level, 0, y, z);
    for (let x = 0; x < across; x++) {
      const at = row + ((<usize>x) << 2);
      const faces = load<u32>(at) & 63;
      if (faces == 0) continue;
      store<u32>(at, ((<u32>next) << 6) | faces);
      next += popcnt<u32>(faces);
    }
  }
  memory.fill(fieldOf(level, <usize>first), 0, (<usize>(next - first)) << 4);
  if (number > 0) return;
  for (let k = first; k < next; k++) {
    const at = (<usize>k) << 4;
    v128.store(<usize>load<u32>(order, O.VOXELS_FOUND) + at, all(0));
    v128.store(<usize>load<u32>(order, O.VOXELS_LIT) + at, all(0));
    v128.store(<usize>load<u32>(order, O.VOXELS_GLOW) + at, all(0));
  }
}

/** Notes for the cells of a layer, and those before the first, which faces are near. @param z from −1 */
export function noteVoxels(order: usize, number: i32, z: i32): void {
  const level = levelOf(order, number);
  const row = load<i32>(level, L.LEVEL_ROW);
  const plane = load<i32>(level, L.LEVEL_PLANE);
  const cells = load<i32>(level, L.LEVEL_CELLS);
  const near = <usize>load<u32>(level, L.LEVEL_NEAR);
  for (let y = -1; y < countOf(level, 1); y++) {
    const from = cellOf(level, -1, y, z);
    const to = near + <usize>((<i32>from - cells) >> 2);
    let left = facesAcross(from, row, plane);
    for (let x = 0; x <= countOf(level, 0); x++) {
      const right = facesAcross(from + ((<usize>(x + 1)) << 2), row, plane);
      store<u8>(to + <usize>x, <u8>((left | right) & 63));
      left = right;
    }
  }
}

/** Faces of a cell and of those behind it along y and z. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function facesAcross(at: usize, row: i32, plane: i32): u32 {
  return load<u32>(at) | load<u32>(at + row) | load<u32>(at + plane) | load<u32>(at + row + plane);
}

/** A layer of a mip has the faces that the eight cells have that each of its cells is made of. */
export function markMips(order: usize, number: i32, z: i32): void {
  clearVoxels(order, number, z);
  const level = levelOf(order, number);
  const finer = levelOf(order, number - 1);
  const row = load<i32>(finer, L.LEVEL_ROW);
  const plane = load<i32>(finer, L.LEVEL_PLANE);
  for (let y = 0; y < countOf(level, 1); y++)
    for (let x = 0; x < countOf(level, 0); x++) {
      const from = cellOf(finer, 2 * x, 2 * y, 2 * z);
      const faces = facesAcross(from, row, plane) | facesAcross(from + 4, row, plane);
      store<u32>(cellOf(level, x, y, z), faces & 63);
    }
  countVoxels(order, number, z);
}

/**
 * Fills a layer of a mip: each of its faces sends what comes through four columns of two cells, the nearer before the
 * farther (Crassin et al. 2011, Interactive Indirect Illumination Using Voxel Cone Tracing), so that a wall stays one.
 */
export function fillMips(order: usize, number: i32, z: i32): void {
  const level = levelOf(order, number);
  const finer = levelOf(order, number - 1);
  for (let y = 0; y < countOf(level, 1); y++)
    for (let x = 0; x < countOf(level, 0); x++) {
      const cell = load<u32>(cellOf(level, x, y, z));
      let at = fieldOf(level, <usize>(cell >>> 6));
      for (let face = 0; face < 6; face++) {
        if (((cell >>> face) & 1) == 0) continue;
        v128.store(at, through(finer, cellOf(finer, 2 * x, 2 * y, 2 * z), face));
        at += 16;
      }
    }
}

/** What comes out of eight cells at a face: light times depth, depth. @param at the first of them */
function through(finer: usize, at: usize, face: i32): v128 {
  const axis = face >> 1;
  const along = strideOf(finer, axis);
  const aside = strideOf(finer, axis == 0 ? 1 : 0);
  const below = strideOf(finer, axis == 2 ? 1 : 2);
  // one that looks up along its axis is met coming down
  const front = (face & 1) == 0 ? along : 0;
  let light = all(0);
  let left: f32 = 0;
  for (let k = 0; k < 4; k++) {
    const column = at + <usize>(((k & 1) != 0 ? aside : 0) + ((k & 2) != 0 ? below : 0));
    let passes: f32 = 1;
    for (let step = 0; step < 2; step++) {
      const cell = load<u32>(column + (step == 0 ? front : along - front));
      if (((cell >>> face) & 1) == 0) continue;
      const field = v128.load(fieldOf(finer, faceOf(cell, face)));
      const depth = f32x4.extract_lane(field, 3);
      if (!(depth > 0)) continue;
      const goes = fade(depth);
      light = add(light, mul(field, all((passes * (1 - goes)) / depth)));
      passes *= goes;
    }
    left += passes;
  }
  const most = depthOf(left * <f32>0.25);
  const kept: f32 = <f32>1 - left * <f32>0.25;
  if (!(kept > 0)) return all(0);
  return f32x4.replace_lane(mul(light, all((<f32>0.25 * most) / kept)), 3, most);
}

/** Faces of a grid, once they are counted. */
export function voxelFaces(order: usize, number: i32): i32 {
  return facesBefore(order, number, countOf(levelOf(order, number), 2));
}

/**
 * What the faces of the finest grid send: light that they are lit by, of what comes from around as well if it `reflects`, and
 * their glow if they are to glow.
 * @param most luminance of the former, nit @returns luminance of all of it, times depths
 */
export function lightVoxels(order: usize, from: i32, to: i32, glows: i32, reflects: i32, most: f32): f64 {
  let sum: f64 = 0;
  const level = levelOf(order, 0);
  const lit = <usize>load<u32>(order, O.VOXELS_LIT);
  const glow = <usize>load<u32>(order, O.VOXELS_GLOW);
  const found = <usize>load<u32>(order, O.VOXELS_FOUND);
  for (let face = from; face < to; face++) {
    const at = (<usize>face) << 4;
    const own = v128.load(lit + at);
    const depth = lane3(own);
    const size = luminanceOf(own);
    let sent = size > most ? mul(own, all(most / size)) : own;
    if (reflects != 0) {
      const scatters = f32x4.convert_i32x4_u(
        u32x4(load<u8>(glow + at, 12), load<u8>(glow + at, 13), load<u8>(glow + at, 14), 0),
      );
      sent = add(sent, mul(v128.load(found + at), mul(scatters, all(1 / (255 * <f32>3.1415927)))));
    }
    if (glows != 0) sent = add(sent, v128.load(glow + at));
    const field = f32x4.replace_lane(mul(sent, depth), 3, f32x4.extract_lane(depth, 0));
    v128.store(fieldOf(level, <usize>face), field);
    sum += <f64>luminanceOf(field);
  }
  return sum;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function luminanceOf(light: v128): f32 {
  return (
    f32x4.extract_lane(light, 0) * <f32>0.2126 +
    f32x4.extract_lane(light, 1) * <f32>0.7152 +
    f32x4.extract_lane(light, 2) * <f32>0.0722
  );
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function u32x4(a: u32, b: u32, c: u32, d: u32): v128 {
  let v = i32x4.splat(<i32>a);
  v = i32x4.replace_lane(v, 1, <i32>b);
  v = i32x4.replace_lane(v, 2, <i32>c);
  return i32x4.replace_lane(v, 3, <i32>d);
}
