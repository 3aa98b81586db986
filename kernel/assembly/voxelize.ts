/**
 * Triangles become faces of voxels: each is cut along the sides of all voxels that it goes through, however little (as
 * conservative as Schwarz & Seidel 2010, Fast Parallel Surface and Solid Voxelization on GPUs, asks), so that what a face
 * covers is known and not only that there is something.
 */
import { add, all, mul, sub } from './four';
import { hashCombine } from './draws';
import * as O from './layouts/voxelOrder';
import { cellOf, clearVoxels, countOf, countVoxels, depthOf, faceOf, fieldOf, levelOf, strideOf } from './voxelGrid';

/** Sides that a triangle leans from by more than this cosine's angle have no part in it. */
const ASLANT: f32 = 0.1;
/** Pieces smaller than this part of a voxel's side are none. */
const NOTHING: f32 = 1e-7;
/** More voxels than any grid has along an axis. */
const MOST_CELLS: f32 = 1024;
/** Room for a polygon: three corners, and one more for each of six cuts. */
const POLYGON: usize = 256;

let order: usize = 0;
let level: usize = 0;
let fills: bool = false;
/** Of the triangle: its number, unit normal, share of light that it stops, whether both sides are seen, faces that it has. */
let triangle: i32 = 0;
let normalX: f32 = 0;
let normalY: f32 = 0;
let normalZ: f32 = 0;
let opacity: f32 = 0;
let faces: u32 = 0;

/** Marks the faces that triangles have in a layer, and counts them. */
export function markVoxels(orderAt: usize, z: i32): void {
  clearVoxels(orderAt, 0, z);
  walk(orderAt, z, false);
  countVoxels(orderAt, 0, z);
}

/** Adds up what triangles cover of the faces of a layer, with their normals, and chooses a point of each. */
export function coverVoxels(orderAt: usize, z: i32): void {
  walk(orderAt, z, true);
}

function walk(orderAt: usize, z: i32, filling: bool): void {
  order = orderAt;
  level = levelOf(order, 0);
  fills = filling;
  const side = load<f32>(order, O.VOXELS_SIDE);
  const low = load<f32>(order, O.VOXELS_MIN + 8) + <f32>z * side;
  const slack = side * <f32>1e-3;
  const count = load<i32>(order, O.VOXELS_TRIANGLE_COUNT);
  const each = load<i32>(order, O.VOXELS_CHUNK_TRIANGLES);
  let box = <usize>load<u32>(order, O.VOXELS_CHUNK_BOXES);
  for (let first = 0; first < count; first += each, box += 24) {
    if (load<f32>(box, 8) > low + side + slack || load<f32>(box, 20) < low - slack) continue;
    const end = min<i32>(count, first + each);
    for (let t = first; t < end; t++) walkTriangle(t, z);
  }
}

/** Corners in voxels from the grid's corner. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function cornerOf(t: i32, k: usize): v128 {
  const v = <usize>load<u32>(<usize>load<u32>(order, O.VOXELS_TRIANGLES) + ((<usize>t * 3 + k) << 2));
  const at = <usize>load<u32>(order, O.VOXELS_POSITIONS) + v * 12;
  const place = v128.load32_lane(at, v128.load64_zero(at), 2, 8);
  const from = v128.load32_lane(order, v128.load64_zero(order, O.VOXELS_MIN), 2, O.VOXELS_MIN + 8);
  return mul(sub(place, from), all(1 / load<f32>(order, O.VOXELS_SIDE)));
}

/** The voxel in which a place lies along an axis; of what lies far beyond the grid, one beyond it. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function cellAt(place: f32): i32 {
  return <i32>floor<f32>(max<f32>(-1, min<f32>(MOST_CELLS, place)));
}

function walkTriangle(t: i32, z: i32): void {
  const a = cornerOf(t, 0);
  const b = cornerOf(t, 1);
  const c = cornerOf(t, 2);
  const low = f32x4.pmin(f32x4.pmin(a, b), c);
  const high = f32x4.pmax(f32x4.pmax(a, b), c);
  const lowZ = f32x4.extract_lane(low, 2);
  // a place on a side belongs to the voxel above it
  if (!(lowZ < <f32>(z + 1) && f32x4.extract_lane(high, 2) >= <f32>z)) return;
  const instance = <usize>load<u32>(<usize>load<u32>(order, O.VOXELS_TRIANGLE_INSTANCE) + ((<usize>t) << 2));
  const stops = load<f32>(<usize>load<u32>(order, O.VOXELS_OPACITY) + (instance << 2));
  if (stops == 0) return;
  const u = sub(b, a);
  const v = sub(c, a);
  const cross = sub(
    mul(v128.shuffle<f32>(u, u, 1, 2, 0, 3), v128.shuffle<f32>(v, v, 2, 0, 1, 3)),
    mul(v128.shuffle<f32>(u, u, 2, 0, 1, 3), v128.shuffle<f32>(v, v, 1, 2, 0, 3)),
  );
  const cx = f32x4.extract_lane(cross, 0);
  const cy = f32x4.extract_lane(cross, 1);
  const cz = f32x4.extract_lane(cross, 2);
  const twice = sqrt<f32>(cx * cx + cy * cy + cz * cz);
  if (!(twice > 0) || !(twice < Infinity)) return;
  triangle = t;
  normalX = cx / twice;
  normalY = cy / twice;
  normalZ = cz / twice;
  opacity = abs<f32>(stops);
  faces = facesAlong(normalX, 0, stops < 0) | facesAlong(normalY, 2, stops < 0) | facesAlong(normalZ, 4, stops < 0);
  const work = <usize>load<u32>(order, O.VOXELS_WORK);
  v128.store(work, a);
  v128.store(work, b, 16);
  v128.store(work, c, 32);
  const x0 = cellAt(f32x4.extract_lane(low, 0));
  const y0 = cellAt(f32x4.extract_lane(low, 1));
  const x1 = cellAt(f32x4.extract_lane(high, 0));
  const y1 = cellAt(f32x4.extract_lane(high, 1));
  const flat = lowZ >= <f32>z && f32x4.extract_lane(high, 2) < <f32>(z + 1);
  if (flat && x0 == x1 && y0 == y1) return inside(work, 3, x0, y0, z);
  const n = flat ? 3 : cut(work, 3, 2, <f32>z, POLYGON);
  const layer = flat ? work : work + POLYGON;
  const ends = min<i32>(y1, countOf(level, 1) - 1);
  for (let y = max<i32>(y0, 0); y <= ends; y++) {
    const m = y0 == y1 ? n : cut(layer, n, 1, <f32>y, 2 * POLYGON);
    walkRow(y0 == y1 ? layer : layer + 2 * POLYGON, m, y, z);
  }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function facesAlong(n: f32, face: u32, both: bool): u32 {
  if (!(abs<f32>(n) >= ASLANT)) return 0;
  if (both) return 3 << face;
  return 1 << (n > 0 ? face : face + 1);
}

function walkRow(polygon: usize, n: i32, y: i32, z: i32): void {
  if (n < 3) return;
  let low: f32 = Infinity;
  let high: f32 = -Infinity;
  for (let k = 0; k < n; k++) {
    const x = load<f32>(polygon + ((<usize>k) << 4));
    low = min<f32>(low, x);
    high = max<f32>(high, x);
  }
  // what is kept of a row may touch its sides alone
  const x0 = cellAt(low);
  const x1 = cellAt(high);
  if (x0 == x1) return inside(polygon, n, x0, y, z);
  const ends = min<i32>(x1, countOf(level, 0) - 1);
  for (let x = max<i32>(x0, 0); x <= ends; x++) {
    const m = cut(polygon, n, 0, <f32>x, 2 * POLYGON);
    if (m >= 3) inside(polygon + 2 * POLYGON, m, x, y, z);
  }
}

/**
 * What of a polygon lies from `at` to a voxel farther along an axis (Sutherland & Hodgman 1974, Reentrant Polygon Clipping).
 * @param to bytes from the polygon to where that is put @returns its corners
 */
function cut(polygon: usize, n: i32, axis: usize, at: f32, to: usize): i32 {
  const between = polygon + POLYGON;
  const first = to == POLYGON ? polygon + 2 * POLYGON : between;
  const m = cutOnce(polygon, n, axis, at, 1, first);
  return cutOnce(first, m, axis, at + 1, -1, polygon + to);
}

/** @param side 1 keeps what is above, −1 what is below */
function cutOnce(polygon: usize, n: i32, axis: usize, at: f32, side: f32, to: usize): i32 {
  if (n == 0) return 0;
  let m = 0;
  let before = polygon + ((<usize>(n - 1)) << 4);
  let above = (load<f32>(before + (axis << 2)) - at) * side;
  for (let k = 0; k < n; k++) {
    const corner = polygon + ((<usize>k) << 4);
    const now = (load<f32>(corner + (axis << 2)) - at) * side;
    if (now >= 0 != above >= 0) {
      const p = v128.load(before);
      const place = add(p, mul(sub(v128.load(corner), p), all(above / (above - now))));
      v128.store(to + ((<usize>m) << 4), place);
      store<f32>(to + ((<usize>m) << 4) + (axis << 2), at);
      m++;
    }
    if (now >= 0) {
      v128.store(to + ((<usize>m) << 4), v128.load(corner));
      m++;
    }
    before = corner;
    above = now;
  }
  return m;
}

/** A piece of the triangle that lies inside one voxel. */
function inside(polygon: usize, n: i32, x: i32, y: i32, z: i32): void {
  if (<u32>x >= <u32>countOf(level, 0) || <u32>y >= <u32>countOf(level, 1)) return;
  const from = v128.load(polygon);
  let middle = from;
  let around = all(0);
  let last = sub(v128.load(polygon, 16), from);
  middle = add(middle, v128.load(polygon, 16));
  for (let k = 2; k < n; k++) {
    const corner = v128.load(polygon + ((<usize>k) << 4));
    middle = add(middle, corner);
    const next = sub(corner, from);
    around = add(
      around,
      sub(
        mul(v128.shuffle<f32>(last, last, 1, 2, 0, 3), v128.shuffle<f32>(next, next, 2, 0, 1, 3)),
        mul(v128.shuffle<f32>(last, last, 2, 0, 1, 3), v128.shuffle<f32>(next, next, 1, 2, 0, 3)),
      ),
    );
    last = next;
  }
  const area: f32 =
    0.5 *
    (f32x4.extract_lane(around, 0) * normalX +
      f32x4.extract_lane(around, 1) * normalY +
      f32x4.extract_lane(around, 2) * normalZ);
  if (!(area > NOTHING)) return;
  const at = cellOf(level, x, y, z);
  if (!fills) {
    store<u32>(at, load<u32>(at) | faces);
    return;
  }
  middle = mul(middle, all(1 / <f32>n));
  const cell = load<u32>(at);
  // by where a voxel is in the world: what is chosen stays when the grid goes with the camera
  const place = hashCombine(x + load<i32>(order, O.VOXELS_AT), y + load<i32>(order, O.VOXELS_AT + 4));
  const seed = hashCombine(hashCombine(place, z + load<i32>(order, O.VOXELS_AT + 8)), triangle);
  for (let face = 0; face < 6; face++) if (((faces >>> face) & 1) == 1) cover(cell, face, area, middle, seed + face);
}

/** Adds a piece to a face. One of its pieces is where it will be lit, by how much of it each covers. */
function cover(cell: u32, face: i32, area: f32, middle: v128, seed: i32): void {
  const axis = face >> 1;
  const n = axis == 0 ? normalX : axis == 1 ? normalY : normalZ;
  const sees: f32 = n > 0 == ((face & 1) == 0) ? 1 : -1;
  const covers = area * abs<f32>(n) * opacity;
  const number = faceOf(cell, face);
  const at = fieldOf(level, number);
  let piece = mul(f32x4(normalX, normalY, normalZ, 0), all(area * sees));
  piece = f32x4.replace_lane(piece, 3, covers);
  const sum = add(v128.load(at), piece);
  v128.store(at, sum);
  const chance = <f32>((<u32>hashCombine(seed, 1)) >>> 8) * <f32>(1.0 / 16777216.0);
  if (!(chance * f32x4.extract_lane(sum, 3) < covers)) return;
  const to = <usize>load<u32>(order, O.VOXELS_FOUND) + (number << 4);
  v128.store(to, middle);
  store<i32>(to, (triangle << 1) | (sees > 0 ? 0 : 1), 12);
}

/**
 * How deep the faces of a layer are for light: of what a face and those before and behind it cover together nothing is seen
 * twice, so that walls are tight however they stand to the grid, and bars let by what lies beside them.
 */
export function deepenVoxels(orderAt: usize, z: i32): void {
  level = levelOf(orderAt, 0);
  const lit = <usize>load<u32>(orderAt, O.VOXELS_LIT);
  for (let y = 0; y < countOf(level, 1); y++)
    for (let x = 0; x < countOf(level, 0); x++) {
      const at = cellOf(level, x, y, z);
      const cell = load<u32>(at);
      if (cell == 0) continue;
      for (let face = 0; face < 6; face++) {
        if (((cell >>> face) & 1) == 0) continue;
        const along = <usize>strideOf(level, face >> 1);
        const own = coveredOf(cell, face);
        const sum = own + coveredOf(load<u32>(at + along), face) + coveredOf(load<u32>(at - along), face);
        const depth: f32 = sum > 0 ? (own * depthOf(1 - sum)) / sum : 0;
        store<f32>(lit + (faceOf(cell, face) << 4), depth, 12);
      }
    }
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function coveredOf(cell: u32, face: i32): f32 {
  return ((cell >>> face) & 1) == 1 ? load<f32>(fieldOf(level, faceOf(cell, face)), 12) : 0;
}
