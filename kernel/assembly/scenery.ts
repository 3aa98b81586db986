/** Where the parts of a scene lie, bytes from the start of the memory. */

import * as S from './layouts/sceneOrder';

export let triangles: usize = 0;
export let triangleMaterial: usize = 0;
export let triangleInstance: usize = 0;
export let uvs: usize = 0;
export let colors: usize = 0;
export let materials: usize = 0;
export let textures: usize = 0;
export let texels: usize = 0;
export let positions: usize = 0;
export let normals: usize = 0;
export let tangents: usize = 0;
/** Linear values of 8-bit sRGB codes, and of codes that are linear already: 256 floats each. */
export let srgbTable: usize = 0;
export let linearTable: usize = 0;
/** See `environmentReflectance`. */
export let reflectanceTable: usize = 0;
export let textureBias: f64 = 0;
export let steady: bool = false;

/** @param table see the layout sceneOrder */
export function bindScene(table: usize, bias: f64, isSteady: i32): void {
  triangles = load<u32>(table + S.TRIANGLES);
  triangleMaterial = load<u32>(table + S.TRIANGLE_MATERIAL);
  triangleInstance = load<u32>(table + S.TRIANGLE_INSTANCE);
  uvs = load<u32>(table + S.UVS);
  colors = load<u32>(table + S.COLORS);
  materials = load<u32>(table + S.MATERIALS);
  textures = load<u32>(table + S.TEXTURES);
  texels = load<u32>(table + S.TEXELS);
  positions = load<u32>(table + S.POSITIONS);
  normals = load<u32>(table + S.NORMALS);
  tangents = load<u32>(table + S.TANGENTS);
  srgbTable = load<u32>(table + S.SRGB);
  linearTable = load<u32>(table + S.LINEAR);
  reflectanceTable = load<u32>(table + S.REFLECTANCE);
  textureBias = bias;
  steady = isSteady != 0;
}

/** A 32-bit float as a double. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function f(at: usize): f64 {
  return <f64>load<f32>(at);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function corner(t: i32, k: usize): usize {
  return <usize>load<u32>(triangles + ((<usize>t * 3 + k) << 2));
}

/** Two neighbouring floats as doubles. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function two(at: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(at));
}

/** Adding it leaves the whole part of smaller numbers in the lowest bits. */
const MAGIC: f64 = 6755399441055744;

/**
 * A number without fraction, below 2³¹ in size, as an integer: converting traps what is larger, and looking for that takes
 * longer than this. Of larger ones, and of what is no number, it makes anything.
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function whole(x: f64): i32 {
  return <i32>reinterpret<i64>(x + MAGIC);
}

/** Is the vertex colour at an address opaque white? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function isWhite(at: usize): bool {
  return v128.all_true<i32>(v128.eq<f32>(v128.load(at), f32x4.splat(1)));
}

/** Have all corners of a triangle the vertex colour white? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function whiteCorners(t: i32): bool {
  return (
    isWhite(colors + (corner(t, 0) << 4)) &&
    isWhite(colors + (corner(t, 1) << 4)) &&
    isWhite(colors + (corner(t, 2) << 4))
  );
}
