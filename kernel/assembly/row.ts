/**
 * The surfaces that a row of a tile's pixels sees, as columns of 64 numbers of 32 bits: four neighbours are one vector.
 * The address of four is that of their first in the first column; columns are constant distances from there.
 * Places are metres from a point near the camera, so that floats tell them exactly where it looks closely.
 */

import { ROW_ASKED, ROW_FOURS, ROW_MADE_OF, ROW_WORK } from './layouts/row';

/** Bytes of a column. */
export const COLUMN: usize = 256;

export const POSITION: usize = 0;
export const NORMAL: usize = 3 * COLUMN;
/** The true normal, on the side that is seen. */
export const FACE: usize = 6 * COLUMN;
/** Direction to the eye. */
export const VIEW: usize = 9 * COLUMN;
/** Cosine of normal and view. */
export const FACING: usize = 12 * COLUMN;
/** Metres along the camera's axis. */
export const AHEAD: usize = 13 * COLUMN;

/** The material's numbers stand in this order, so that those of a plain one are copied as they are. */
export const MATERIAL: usize = 14 * COLUMN;
export const MATERIAL_NUMBERS: usize = 19;
export const DIFFUSE: usize = MATERIAL;
export const ROUGHNESS: usize = MATERIAL + 3 * COLUMN;
export const F0: usize = MATERIAL + 4 * COLUMN;
export const F90: usize = MATERIAL + 7 * COLUMN;
export const GLOW: usize = MATERIAL + 8 * COLUMN;
export const ALPHA: usize = MATERIAL + 11 * COLUMN;
export const BASE: usize = MATERIAL + 12 * COLUMN;
export const TRANSMISSION: usize = MATERIAL + 15 * COLUMN;
export const OCCLUSION: usize = MATERIAL + 16 * COLUMN;
/** What covers: opacity where the material blends, else 1. */
export const COVERS: usize = MATERIAL + 17 * COLUMN;
/** Has it a matte part? 1 or 0. */
export const MATTE: usize = MATERIAL + 18 * COLUMN;

/** Share of light from all around that is mirrored, and what highlights gain by light that bounces between facets. */
export const MIRRORED: usize = 33 * COLUMN;
export const BOOST: usize = 36 * COLUMN;

/** What leaves the surface towards the eye but its glow, three each, and direct light that would arrive and that does. */
export const DIRECT: usize = 39 * COLUMN;
export const BOUNCE: usize = 42 * COLUMN;
export const REFLECTION: usize = 45 * COLUMN;
export const ARRIVING: usize = 48 * COLUMN;
export const ARRIVED: usize = 49 * COLUMN;

/** The pixels: the four layers in the order of the picture's sums, coverage, lit share. */
export const PIXEL: usize = 50 * COLUMN;
export const PIXEL_COVERAGE: usize = PIXEL + 12 * COLUMN;
export const PIXEL_LIT: usize = PIXEL + 13 * COLUMN;

/** Each pixel's triangle, in places without one that of a neighbour; all ones where it is its own. */
export const TRIANGLE: usize = 64 * COLUMN;
export const LIVE: usize = 65 * COLUMN;

export let row: usize = 0;
/** How many fours have a surface. */
export let fours: i32 = 0;
/** Four records of up to 256 bytes. */
export let work: usize = 0;
/** See `KernelCalls.arrive`. */
export let asked: usize = 0;

/** @param at room for the row: see core/raster/shadeKernel */
export function bindRow(at: usize): void {
  row = at;
  work = at + ROW_WORK;
  asked = at + ROW_ASKED;
}

/** Where stands of which material's numbers a four's columns are full all over, 0 when of several. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function madeOf(a: usize): usize {
  return row + ROW_MADE_OF + ((a - row) >> 2);
}

export function forgetFours(): void {
  fours = 0;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function addFour(a: usize): void {
  store<u32>(row + ROW_FOURS + (<usize>fours << 2), <u32>a);
  fours++;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function fourOf(k: i32): usize {
  return <usize>load<u32>(row + ROW_FOURS + (<usize>k << 2));
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
