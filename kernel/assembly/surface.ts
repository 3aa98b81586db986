/** Where a row's pixels meet their triangles: place, normal, direction to the eye. Twin: core/raster/surface. */
import { MATERIAL_BYTES } from './layouts/material';
import {
  add,
  all,
  allAt,
  dot,
  firstHalves,
  firstTwo,
  greater,
  lastHalves,
  lastTwo,
  mul,
  over,
  pick,
  root,
  sub,
  three,
} from './four';
import {
  AHEAD,
  col,
  COLUMN,
  FACE,
  FACING,
  fourOf,
  fours,
  NORMAL,
  ofOneTriangle,
  POSITION,
  put,
  row,
  TRIANGLE,
  VIEW,
  spacing,
} from './row';
import { corner, f, materials, normals, positions, triangleMaterial, whiteCorners } from './scenery';

/** Bytes of a material. */
/**
 * Triangles of which is kept what pixels need, each of 256 bytes: neighbours in rows and columns mostly share them. First the
 * edge functions of the second and third corner and the sum of all three, from the tile's corner on: three vectors, what
 * they gain across and down the picture and what they are at the corner.
 */
const KEPT: i32 = 512;
const KEPT_SHIFT: usize = 8;
const KEPT_TRIANGLE: usize = 60;
/** The true normal on the side that is seen. */
const KEPT_FACE: usize = 64;
/** First corner and its normal, and from there to the second and the third: vectors. */
const KEPT_CORNERS: usize = 80;
const KEPT_NORMALS: usize = 128;
/** Its material, whether all corners have the vertex colour white, 1 where its front is seen and −1 for its back. */
export const KEPT_MATERIAL: usize = 192;
export const KEPT_WHITE: usize = 196;
export const KEPT_SIDE: usize = 200;

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

let tileX: f64 = 0;
let tileY: f64 = 0;

/** Edge functions belong to a projection and a tile: forgets those of another. @param x, y the corner of the next tile */
export function forgetTriangles(x: i32, y: i32): void {
  tileX = <f64>x;
  tileY = <f64>y;
  for (let k = 0; k < KEPT; k++) store<i32>(kept + ((<usize>k) << KEPT_SHIFT), NO_TRIANGLE, KEPT_TRIANGLE);
}

/** What is kept of a triangle. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function keptOf(t: i32): usize {
  const at = kept + ((<usize>(t & (KEPT - 1))) << KEPT_SHIFT);
  if (load<i32>(at, KEPT_TRIANGLE) != t) keep(at, t);
  return at;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function materialOf(t: i32): usize {
  return materials + <usize>load<u16>(triangleMaterial + ((<usize>t) << 1)) * MATERIAL_BYTES;
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
  const sumA = a0 + a1 + a2;
  const sumB = b0 + b1 + b2;
  const sumC = c0 + c1 + c2;
  storeEdges(at, a1, a2, sumA);
  storeEdges(at + 16, b1, b2, sumB);
  storeEdges(at + 32, a1 * tileX + b1 * tileY + c1, a2 * tileX + b2 * tileY + c2, sumA * tileX + sumB * tileY + sumC);
  store<i32>(at, t, KEPT_TRIANGLE);
  const det = x0 * a0 + y0 * b0 + w0 * c0;
  const side: f32 = det < 0 ? 1 : -1;
  const p0 = three(positions + i0 * 12);
  const p1 = three(positions + i1 * 12);
  const p2 = three(positions + i2 * 12);
  v128.store(at, sub(p0, base), KEPT_CORNERS);
  v128.store(at, sub(p1, p0), KEPT_CORNERS + 16);
  v128.store(at, sub(p2, p0), KEPT_CORNERS + 32);
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
  const n0 = mul(three(normals + i0 * 12), sides);
  v128.store(at, n0, KEPT_NORMALS);
  v128.store(at, sub(mul(three(normals + i1 * 12), sides), n0), KEPT_NORMALS + 16);
  v128.store(at, sub(mul(three(normals + i2 * 12), sides), n0), KEPT_NORMALS + 32);
  store<u32>(at, <u32>materialOf(t), KEPT_MATERIAL);
  store<i32>(at, whiteCorners(t) ? 1 : 0, KEPT_WHITE);
  store<f32>(at, side, KEPT_SIDE);
}

/** Two edge functions and the sum of all three. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function storeEdges(at: usize, e1: f64, e2: f64, sum: f64): void {
  store<f32>(at, <f32>e1);
  store<f32>(at, <f32>e2, 4);
  store<f32>(at, <f32>sum, 8);
}

/** The edge functions of a triangle at a place of the tile. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function edgesAt(at: usize, px: f32, py: f32): v128 {
  return add(add(mul(v128.load(at), all(px)), mul(v128.load(at, 16), all(py))), v128.load(at, 32));
}

/** One over the sum of a triangle's edge functions. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function inverseOf(edges: v128): v128 {
  return over(all(1), v128.shuffle<i32>(edges, edges, 2, 2, 2, 2));
}

/** Change of the weights of a triangle's corners across or down the picture, at a place with these weights: quotient rule. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function slopesOf(at: usize, weights: v128, inverse: v128, down: bool): v128 {
  const edges = v128.load(at + (down ? 16 : 0));
  return mul(sub(edges, mul(weights, v128.shuffle<i32>(edges, edges, 2, 2, 2, 2))), inverse);
}

/** Weights of the second and third corner of a triangle at a place of the tile. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function weightsAt(at: usize, px: f32, py: f32): v128 {
  const edges = edgesAt(at, px, py);
  return mul(edges, inverseOf(edges));
}

/** What three corners say at a place between them. @param at that of the first, then how it changes to the others */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function between(at: usize, weights: v128): v128 {
  const second = mul(v128.load(at, 16), v128.shuffle<i32>(weights, weights, 0, 0, 0, 0));
  const third = mul(v128.load(at, 32), v128.shuffle<i32>(weights, weights, 1, 1, 1, 1));
  return add(add(v128.load(at), second), third);
}

/** Takes three numbers of four records to the columns. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function turnThree(p0: v128, p1: v128, p2: v128, p3: v128, a: usize, column: usize): void {
  const low = firstTwo(p0, p1);
  const high = firstTwo(p2, p3);
  put(a, column, firstHalves(low, high));
  put(a, column + COLUMN, lastHalves(low, high));
  put(a, column + 2 * COLUMN, firstHalves(lastTwo(p0, p1), lastTwo(p2, p3)));
}

/** An edge function, or the sum of all, at four places of one triangle. @param at its number across, those down and at the corner behind it */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function edgeAlong(at: usize, px: v128, py: v128): v128 {
  return add(add(mul(allAt(at), px), mul(v128.load32_splat(at, 16), py)), v128.load32_splat(at, 32));
}

/** What three corners say in one number at four places: see `between`. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function betweenAlong(at: usize, second: v128, third: v128): v128 {
  return add(add(allAt(at), mul(v128.load32_splat(at, 16), second)), mul(v128.load32_splat(at, 32), third));
}

/** Places and normals of four that see one triangle: what `placeRow` does otherwise, to the bit. */
function placeFour(a: usize, at: usize, px0: f32, py0: f32): void {
  const px = add(all(px0), mul(f32x4(0, 1, 2, 3), all(spacing)));
  const py = all(py0);
  const inverse = over(all(1), edgeAlong(at + 8, px, py));
  const second = mul(edgeAlong(at, px, py), inverse);
  const third = mul(edgeAlong(at + 4, px, py), inverse);
  const corners = at + KEPT_CORNERS;
  put(a, POSITION, betweenAlong(corners, second, third));
  put(a, POSITION + COLUMN, betweenAlong(corners + 4, second, third));
  put(a, POSITION + 2 * COLUMN, betweenAlong(corners + 8, second, third));
  const own = at + KEPT_NORMALS;
  put(a, NORMAL, betweenAlong(own, second, third));
  put(a, NORMAL + COLUMN, betweenAlong(own + 4, second, third));
  put(a, NORMAL + 2 * COLUMN, betweenAlong(own + 8, second, third));
  put(a, FACE, v128.load32_splat(at, KEPT_FACE));
  put(a, FACE + COLUMN, v128.load32_splat(at, KEPT_FACE + 4));
  put(a, FACE + 2 * COLUMN, v128.load32_splat(at, KEPT_FACE + 8));
}

/**
 * Places, normals and views of the row's fours.
 * @param px0, py place of the row's first pixel in the tile
 */
export function placeRow(px0: f32, py: f32): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const px = px0 + <f32>((a - row) >> 2) * spacing;
    // each to its end before the next: that may take its place among those that are kept
    let at = keptOf(load<i32>(a, TRIANGLE));
    if (ofOneTriangle(a)) {
      placeFour(a, at, px, py);
      continue;
    }
    let weights = weightsAt(at, px, py);
    const p0 = between(at + KEPT_CORNERS, weights);
    const n0 = between(at + KEPT_NORMALS, weights);
    const f0 = v128.load(at, KEPT_FACE);
    at = keptOf(load<i32>(a + 4, TRIANGLE));
    weights = weightsAt(at, px + spacing, py);
    const p1 = between(at + KEPT_CORNERS, weights);
    const n1 = between(at + KEPT_NORMALS, weights);
    const f1 = v128.load(at, KEPT_FACE);
    at = keptOf(load<i32>(a + 8, TRIANGLE));
    weights = weightsAt(at, px + 2 * spacing, py);
    const p2 = between(at + KEPT_CORNERS, weights);
    const n2 = between(at + KEPT_NORMALS, weights);
    const f2 = v128.load(at, KEPT_FACE);
    at = keptOf(load<i32>(a + 12, TRIANGLE));
    weights = weightsAt(at, px + 3 * spacing, py);
    const p3 = between(at + KEPT_CORNERS, weights);
    const n3 = between(at + KEPT_NORMALS, weights);
    const f3 = v128.load(at, KEPT_FACE);
    turnThree(p0, p1, p2, p3, a, POSITION);
    turnThree(n0, n1, n2, n3, a, NORMAL);
    turnThree(f0, f1, f2, f3, a, FACE);
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
