/** Where a row's pixels meet their triangles: place, normal, direction to the eye. Twin: core/raster/surface. */
import { add, all, dot, firstHalves, firstTwo, greater, lastHalves, lastTwo, mul, over, pick, root, sub, three } from './four';
import { AHEAD, col, COLUMN, FACE, FACING, fourOf, fours, NORMAL, POSITION, put, row, TRIANGLE, VIEW, work } from './row';
import { corner, f, materials, normals, positions, triangleMaterial, whiteCorners } from './scenery';

/** Bytes of a material. */
const MATERIAL_BYTES: usize = 288;
/** Triangles whose edge functions are kept, each of 256 bytes: neighbours in rows and columns mostly share them. */
const KEPT: i32 = 64;
const KEPT_SHIFT: usize = 8;
/** Behind the second and third edge function side by side the sum of all three: doubles. */
const EDGES_SUM: usize = 48;
const KEPT_TRIANGLE: usize = 72;
/** What is the same all over it: the true normal on the side that is seen, corners and their normals, a vector each. */
const KEPT_FACE: usize = 80;
const KEPT_CORNERS: usize = 96;
const KEPT_NORMALS: usize = 144;
/** Its material, whether all corners have the vertex colour white, 1 where its front is seen and −1 for its back. */
export const KEPT_MATERIAL: usize = 192;
export const KEPT_WHITE: usize = 196;
export const KEPT_SIDE: usize = 200;

/** Bytes of a pixel's record in `work`: place, normal, true normal, a vector each. */
const RECORD: usize = 48;

const NO_TRIANGLE: i32 = -1;

let clip: usize = 0;
let kept: usize = 0;
/** The point that places are told from, and the eye from there; or the direction to the eye. */
export let base: v128 = f32x4.splat(0);
let eyeX: f32 = 0;
let eyeY: f32 = 0;
let eyeZ: f32 = 0;
let towardsX: f32 = 0;
let towardsY: f32 = 0;
let towardsZ: f32 = 0;
let parallel: bool = false;
let forwardX: f32 = 0;
let forwardY: f32 = 0;
let forwardZ: f32 = 0;

/** @param clip_ transformed corners @param kept_ room for KEPT triangles */
export function bindTriangles(clip_: usize, kept_: usize): void {
  clip = clip_;
  kept = kept_;
}

/** @param bx … 32-bit floats near the camera @param x … the camera from there */
export function bindCamera(
  bx: f32,
  by: f32,
  bz: f32,
  x: f32,
  y: f32,
  z: f32,
  fx: f32,
  fy: f32,
  fz: f32,
  isParallel: i32,
): void {
  base = f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(all(0), 0, bx), 1, by), 2, bz);
  eyeX = x;
  eyeY = y;
  eyeZ = z;
  forwardX = fx;
  forwardY = fy;
  forwardZ = fz;
  parallel = isParallel != 0;
  towardsX = parallel ? -fx : x;
  towardsY = parallel ? -fy : y;
  towardsZ = parallel ? -fz : z;
}

/** Edge functions belong to a projection: forgets those of another. */
export function forgetTriangles(): void {
  for (let k = 0; k < KEPT; k++) store<i32>(kept + (<usize>k << KEPT_SHIFT), NO_TRIANGLE, KEPT_TRIANGLE);
}

/** What is kept of a triangle. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function keptOf(t: i32): usize {
  const at = kept + (<usize>(t & (KEPT - 1)) << KEPT_SHIFT);
  if (load<i32>(at, KEPT_TRIANGLE) != t) keep(at, t);
  return at;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function materialOf(t: i32): usize {
  return materials + <usize>load<u16>(triangleMaterial + (<usize>t << 1)) * MATERIAL_BYTES;
}

function keep(at: usize, t: i32): void {
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  const v0 = clip + (i0 << 4);
  const v1 = clip + (i1 << 4);
  const v2 = clip + (i2 << 4);
  const x0 = f(v0);
  const y0 = f(v0 + 4);
  const w0 = f(v0 + 12);
  const x1 = f(v1);
  const y1 = f(v1 + 4);
  const w1 = f(v1 + 12);
  const x2 = f(v2);
  const y2 = f(v2 + 4);
  const w2 = f(v2 + 12);
  const a0 = y1 * w2 - w1 * y2;
  const b0 = w1 * x2 - x1 * w2;
  const c0 = x1 * y2 - y1 * x2;
  const a1 = y2 * w0 - w2 * y0;
  const b1 = w2 * x0 - x2 * w0;
  const c1 = x2 * y0 - y2 * x0;
  const a2 = y0 * w1 - w0 * y1;
  const b2 = w0 * x1 - x0 * w1;
  const c2 = x0 * y1 - y0 * x1;
  // which way round it is seen falls out of the quotients
  store<f64>(at, a1);
  store<f64>(at, a2, 8);
  store<f64>(at, b1, 16);
  store<f64>(at, b2, 24);
  store<f64>(at, c1, 32);
  store<f64>(at, c2, 40);
  store<f64>(at, a0 + a1 + a2, EDGES_SUM);
  store<f64>(at, b0 + b1 + b2, EDGES_SUM + 8);
  store<f64>(at, c0 + c1 + c2, EDGES_SUM + 16);
  store<i32>(at, t, KEPT_TRIANGLE);
  const det = x0 * a0 + y0 * b0 + w0 * c0;
  const side: f32 = det < 0 ? 1 : -1;
  const p0 = three(positions + i0 * 12);
  const p1 = three(positions + i1 * 12);
  const p2 = three(positions + i2 * 12);
  v128.store(at, sub(p0, base), KEPT_CORNERS);
  v128.store(at, sub(p1, base), KEPT_CORNERS + 16);
  v128.store(at, sub(p2, base), KEPT_CORNERS + 32);
  // the sides of a sliver in doubles: their cross product is small
  const q0 = positions + i0 * 12;
  const q1 = positions + i1 * 12;
  const q2 = positions + i2 * 12;
  const ux = f(q1) - f(q0);
  const uy = f(q1 + 4) - f(q0 + 4);
  const uz = f(q1 + 8) - f(q0 + 8);
  const vx = f(q2) - f(q0);
  const vy = f(q2 + 4) - f(q0 + 4);
  const vz = f(q2 + 8) - f(q0 + 8);
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  let length = sqrt<f64>(x * x + y * y + z * z);
  if (!(length > 0)) length = 1;
  const l = <f64>side / length;
  store<f32>(at, <f32>(x * l), KEPT_FACE);
  store<f32>(at, <f32>(y * l), KEPT_FACE + 4);
  store<f32>(at, <f32>(z * l), KEPT_FACE + 8);
  const sides = all(side);
  v128.store(at, mul(three(normals + i0 * 12), sides), KEPT_NORMALS);
  v128.store(at, mul(three(normals + i1 * 12), sides), KEPT_NORMALS + 16);
  v128.store(at, mul(three(normals + i2 * 12), sides), KEPT_NORMALS + 32);
  store<u32>(at, <u32>materialOf(t), KEPT_MATERIAL);
  store<i32>(at, whiteCorners(t) ? 1 : 0, KEPT_WHITE);
  store<f32>(at, side, KEPT_SIDE);
}

/** Change of the weights of a triangle's corners across or down the picture, at a place with these weights: quotient rule. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function slopesOf(at: usize, weights: v128, inverse: f64, down: bool): v128 {
  const edges = v128.load(at + (down ? 16 : 0));
  const sum = v128.load64_splat(at + EDGES_SUM + (down ? 8 : 0));
  return f64x2.mul(f64x2.sub(edges, f64x2.mul(weights, sum)), f64x2.splat(inverse));
}

/** One over the sum of a triangle's edge functions. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function inverseAt(at: usize, px: f64, py: f64): f64 {
  return (
    1 / (load<f64>(at, EDGES_SUM) * px + load<f64>(at, EDGES_SUM + 8) * py + load<f64>(at, EDGES_SUM + 16))
  );
}

/** Weights of the second and third corner at a place of the picture. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function weightsAt(at: usize, px: f64, py: f64, inverse: f64): v128 {
  const edges = f64x2.add(
    f64x2.add(f64x2.mul(v128.load(at), f64x2.splat(px)), f64x2.mul(v128.load(at, 16), f64x2.splat(py))),
    v128.load(at, 32),
  );
  return f64x2.mul(edges, f64x2.splat(inverse));
}

/** Writes a pixel's record. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function placeOne(at: usize, px: f64, py: f64, to: usize): void {
  const weights = weightsAt(at, px, py, inverseAt(at, px, py));
  const b = f32x4.demote_f64x2_zero(weights);
  const b1 = v128.shuffle<i32>(b, b, 0, 0, 0, 0);
  const b2 = v128.shuffle<i32>(b, b, 1, 1, 1, 1);
  const b0 = sub(sub(all(1), b1), b2);
  const corners = at + KEPT_CORNERS;
  v128.store(to, dot(b0, b1, b2, v128.load(corners), v128.load(corners, 16), v128.load(corners, 32)));
  const around = at + KEPT_NORMALS;
  v128.store(to, dot(b0, b1, b2, v128.load(around), v128.load(around, 16), v128.load(around, 32)), 16);
  v128.store(to, v128.load(at, KEPT_FACE), 32);
}

/** Takes three numbers of four records to the columns. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function turnThree(from: usize, a: usize, column: usize): void {
  const p0 = v128.load(from);
  const p1 = v128.load(from, RECORD);
  const p2 = v128.load(from, 2 * RECORD);
  const p3 = v128.load(from, 3 * RECORD);
  const low = firstTwo(p0, p1);
  const high = firstTwo(p2, p3);
  put(a, column, firstHalves(low, high));
  put(a, column + COLUMN, lastHalves(low, high));
  put(a, column + 2 * COLUMN, firstHalves(lastTwo(p0, p1), lastTwo(p2, p3)));
}

/**
 * Places, normals and views of the row's fours. Records of the pixels of four stand in `work` meanwhile.
 * @param px0, py place of the row's first pixel in the picture
 */
export function placeRow(px0: f64, py: f64): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const px = px0 + <f64>((a - row) >> 2);
    for (let i: usize = 0; i < 4; i++)
      placeOne(keptOf(load<i32>(a + (i << 2), TRIANGLE)), px + <f64>i, py, work + i * RECORD);
    turnThree(work, a, POSITION);
    turnThree(work + 16, a, NORMAL);
    turnThree(work + 32, a, FACE);
  }
  const ex = all(towardsX);
  const ey = all(towardsY);
  const ez = all(towardsZ);
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const nx = col(a, NORMAL);
    const ny = col(a, NORMAL + COLUMN);
    const nz = col(a, NORMAL + 2 * COLUMN);
    const length = root(dot(nx, ny, nz, nx, ny, nz));
    const nl = over(all(1), pick(f32x4.gt(length, all(0)), length, all(1)));
    put(a, NORMAL, mul(nx, nl));
    put(a, NORMAL + COLUMN, mul(ny, nl));
    put(a, NORMAL + 2 * COLUMN, mul(nz, nl));
    const x = col(a, POSITION);
    const y = col(a, POSITION + COLUMN);
    const z = col(a, POSITION + 2 * COLUMN);
    const vx = parallel ? ex : sub(ex, x);
    const vy = parallel ? ey : sub(ey, y);
    const vz = parallel ? ez : sub(ez, z);
    const vl = over(all(1), root(dot(vx, vy, vz, vx, vy, vz)));
    put(a, VIEW, mul(vx, vl));
    put(a, VIEW + COLUMN, mul(vy, vl));
    put(a, VIEW + 2 * COLUMN, mul(vz, vl));
    put(
      a,
      AHEAD,
      dot(sub(x, all(eyeX)), sub(y, all(eyeY)), sub(z, all(eyeZ)), all(forwardX), all(forwardY), all(forwardZ)),
    );
  }
}

/** Keeps the row's normals just on the viewer's side: a bent one may face away, highlights would turn black. */
export function faceViewer(): void {
  const least = all(0.02);
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    let nx = col(a, NORMAL);
    let ny = col(a, NORMAL + COLUMN);
    let nz = col(a, NORMAL + 2 * COLUMN);
    const vx = col(a, VIEW);
    const vy = col(a, VIEW + COLUMN);
    const vz = col(a, VIEW + 2 * COLUMN);
    const facing = dot(nx, ny, nz, vx, vy, vz);
    put(a, FACING, greater(facing, least));
    const away = f32x4.lt(facing, least);
    if (!v128.any_true(away)) continue;
    const push = sub(least, facing);
    nx = add(nx, mul(vx, push));
    ny = add(ny, mul(vy, push));
    nz = add(nz, mul(vz, push));
    const l = over(all(1), root(dot(nx, ny, nz, nx, ny, nz)));
    put(a, NORMAL, pick(away, mul(nx, l), col(a, NORMAL)));
    put(a, NORMAL + COLUMN, pick(away, mul(ny, l), col(a, NORMAL + COLUMN)));
    put(a, NORMAL + 2 * COLUMN, pick(away, mul(nz, l), col(a, NORMAL + 2 * COLUMN)));
  }
}
