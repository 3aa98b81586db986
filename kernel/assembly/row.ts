/**
 * The surfaces that a row of a tile's pixels sees, as columns of 64 numbers of 32 bits: four neighbours are one vector.
 * The address of four is that of their first in the first column; columns are constant distances from there.
 * Places are metres from a point near the camera, so that floats tell them exactly where it looks closely.
 */

import { add, all, dot, mul, over, pick, root } from './four';
import * as L from './layouts/row';

/** Bytes of a column. */
export const COLUMN: usize = 256;

/** The columns: what each holds is told in kernel/layouts.mjs. */
export const POSITION: usize = L.ROW_POSITION;
export const NORMAL: usize = L.ROW_NORMAL;
export const FACE: usize = L.ROW_FACE;
export const VIEW: usize = L.ROW_VIEW;
export const FACING: usize = L.ROW_FACING;
export const AHEAD: usize = L.ROW_AHEAD;
export const DIFFUSE: usize = L.ROW_DIFFUSE;
export const ROUGHNESS: usize = L.ROW_ROUGHNESS;
export const F0: usize = L.ROW_F0;
export const F90: usize = L.ROW_F90;
export const GLOW: usize = L.ROW_GLOW;
export const ALPHA: usize = L.ROW_ALPHA;
export const BASE: usize = L.ROW_BASE;
export const TRANSMISSION: usize = L.ROW_TRANSMISSION;
export const OCCLUSION: usize = L.ROW_OCCLUSION;
export const COVERS: usize = L.ROW_COVERS;
export const MATTE: usize = L.ROW_MATTE;
export const MIRRORED: usize = L.ROW_MIRRORED;
export const BOOST: usize = L.ROW_BOOST;
export const DIRECT: usize = L.ROW_DIRECT;
export const BOUNCE: usize = L.ROW_BOUNCE;
export const REFLECTION: usize = L.ROW_REFLECTION;
export const ARRIVING: usize = L.ROW_ARRIVING;
export const ARRIVED: usize = L.ROW_ARRIVED;
export const PIXEL: usize = L.ROW_PIXEL;
export const PIXEL_COVERAGE: usize = L.ROW_PIXEL_COVERAGE;
export const PIXEL_LIT: usize = L.ROW_PIXEL_LIT;
export const TRIANGLE: usize = L.ROW_TRIANGLE;
export const LIVE: usize = L.ROW_LIVE;
/** Columns of the material. */
export const MATERIAL: usize = DIFFUSE;
export const MATERIAL_NUMBERS: usize = (MIRRORED - DIFFUSE) / COLUMN;

/** What methods of light from around found: irradiance and how sure it is, mirrored radiance and how sure, openness, bent normal, what is known to come from the surroundings. */
export const FOUND_BOUNCE: usize = L.ROW_AROUND;
export const BOUNCE_SURE: usize = FOUND_BOUNCE + 3 * COLUMN;
export const FOUND_MIRROR: usize = FOUND_BOUNCE + 4 * COLUMN;
export const MIRROR_SURE: usize = FOUND_BOUNCE + 7 * COLUMN;
export const OPEN: usize = FOUND_BOUNCE + 8 * COLUMN;
export const BENT: usize = FOUND_BOUNCE + 9 * COLUMN;
export const FAR: usize = FOUND_BOUNCE + 12 * COLUMN;

/** Pixels from one place of the row to the next. */
export let spacing: f32 = 1;
export function setSpacing(pixels: f32): void {
  spacing = pixels;
}

export let row: usize = 0;
/** How many fours have a surface. */
export let fours: i32 = 0;
/** Four records of up to 256 bytes. */
export let work: usize = 0;
/** See `KernelCalls.arrive`. */
export let asked: usize = 0;

/** @param at room for the row: see core/shading/shadeKernel */
export function bindRow(at: usize): void {
  row = at;
  work = at + L.ROW_WORK;
  asked = at + L.ROW_ASKED;
}

/** Where stands of which material's numbers a four's columns are full all over, 0 when of several. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function madeOf(a: usize): usize {
  return row + L.ROW_MADE_OF + ((a - row) >> 2);
}

export function forgetFours(): void {
  fours = 0;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function addFour(a: usize): void {
  store<u32>(row + L.ROW_FOURS + ((<usize>fours) << 2), <u32>a);
  fours++;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function fourOf(k: i32): usize {
  return <usize>load<u32>(row + L.ROW_FOURS + ((<usize>k) << 2));
}

/** Do all places of a four see one triangle? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function ofOneTriangle(a: usize): bool {
  return i32x4.all_true(i32x4.eq(v128.load(a, TRIANGLE), v128.load32_splat(a, TRIANGLE)));
}

/** Four neighbours' numbers in a column. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function col(a: usize, column: usize): v128 {
  return v128.load(a + column);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function put(a: usize, column: usize, value: v128): void {
  v128.store(a + column, value);
}

/** Places of a four that see a surface with a matte part, which asks for irradiance. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function asking(a: usize): v128 {
  const diffuse = add(add(col(a, DIFFUSE), col(a, DIFFUSE + COLUMN)), col(a, DIFFUSE + 2 * COLUMN));
  return v128.and(i32x4.ne(v128.load(a, LIVE), i32x4.splat(0)), f32x4.gt(diffuse, all(0)));
}

/**
 * Bends the normals of a four to where it is open, those that are `asked` for.
 * @param x, y, z by how much the mean open direction leans from two thirds of the normal
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function bendFour(a: usize, asked: v128, x: v128, y: v128, z: v128): void {
  const whole = all(2 / 3.0);
  const nx = col(a, NORMAL);
  const ny = col(a, NORMAL + COLUMN);
  const nz = col(a, NORMAL + 2 * COLUMN);
  const bx = add(mul(nx, whole), x);
  const by = add(mul(ny, whole), y);
  const bz = add(mul(nz, whole), z);
  const square = dot(bx, by, bz, bx, by, bz);
  const leans = v128.and(asked, f32x4.gt(square, all(1e-8)));
  const scale = over(all(1), root(square));
  put(a, BENT, pick(leans, mul(bx, scale), nx));
  put(a, BENT + COLUMN, pick(leans, mul(by, scale), ny));
  put(a, BENT + 2 * COLUMN, pick(leans, mul(bz, scale), nz));
}
