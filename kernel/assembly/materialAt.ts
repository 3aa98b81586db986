/** What a material is at one place of a triangle, its textures and vertex colours taken in. Twin: core/raster/surface. */
import { colors, f, materials, steady, tangents, triangleMaterial, uvs } from './scenery';
import {
  M_ALPHA,
  M_EMISSIVE_R,
  M_HAS_TEXTURES,
  M_METALLIC,
  M_NORMAL_SCALE,
  M_OCCLUSION,
  M_OCCLUSION_EVEN,
  M_ROUGHNESS,
  M_SLOT,
  MATERIAL_BYTES,
} from './layouts/material';
import { SLOT_BYTES } from './layouts/textureSlot';
import { SLOT_EMISSIVE, SLOT_METALLIC_ROUGHNESS, SLOT_NORMAL, SLOT_OCCLUSION } from './layouts/textureSlots';
import { readSlot, texelAlpha, texelBlue, texelGreen, texelLack, texelRed } from './texture';

export * from './layouts/alphaModes';
export * from './layouts/material';

const METALLIC_ROUGHNESS: usize = M_SLOT + <usize>SLOT_METALLIC_ROUGHNESS * SLOT_BYTES;
export const EMISSIVE_SLOT: usize = M_SLOT + <usize>SLOT_EMISSIVE * SLOT_BYTES;
export const MIN_ALPHA: f64 = 0.0016;

/** What the last look gave: base colour, opacity and so on, and what its normal's length lacks of one. */
export let red: f64 = 0;
export let green: f64 = 0;
export let blue: f64 = 0;
export let opacity: f64 = 0;
export let metallic: f64 = 0;
export let roughness: f64 = 0;
export let occlusion: f64 = 0;
export let emitRed: f64 = 0;
export let emitGreen: f64 = 0;
export let emitBlue: f64 = 0;
export let lack: f64 = 0;
/** A texture bends the normal there: by this much, in the frame of the triangle's tangents. */
export let bends: bool = false;
let acrossTangent: f64 = 0;
let acrossBitangent: f64 = 0;
let alongNormal: f64 = 0;
/** The normal that `bend` made. */
export let bentX: f64 = 0;
export let bentY: f64 = 0;
export let bentZ: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function materialOf(t: i32): usize {
  return materials + <usize>load<u16>(triangleMaterial + ((<usize>t) << 1)) * MATERIAL_BYTES;
}

/**
 * @param m the material @param i0, i1, i2 vertices of the triangle @param white all three have the colour white
 * @param b1, b2 barycentrics of the second and third corner
 * @param s0 … s3 change of both along one side of the footprint, then along the other
 */
export function look(
  m: usize,
  i0: usize,
  i1: usize,
  i2: usize,
  white: bool,
  b1: f64,
  b2: f64,
  s0: f64,
  s1: f64,
  s2: f64,
  s3: f64,
): void {
  const b0 = 1 - b1 - b2;
  red = f(m);
  green = f(m + 4);
  blue = f(m + 8);
  opacity = f(m + M_ALPHA);
  if (!white) {
    const c0 = colors + (i0 << 4);
    const c1 = colors + (i1 << 4);
    const c2 = colors + (i2 << 4);
    red *= f(c0) * b0 + f(c1) * b1 + f(c2) * b2;
    green *= f(c0 + 4) * b0 + f(c1 + 4) * b1 + f(c2 + 4) * b2;
    blue *= f(c0 + 8) * b0 + f(c1 + 8) * b1 + f(c2 + 8) * b2;
    opacity *= f(c0 + 12) * b0 + f(c1 + 12) * b1 + f(c2 + 12) * b2;
  }
  metallic = f(m + M_METALLIC);
  roughness = f(m + M_ROUGHNESS);
  occlusion = f(m + M_OCCLUSION_EVEN);
  emitRed = f(m + M_EMISSIVE_R);
  emitGreen = f(m + M_EMISSIVE_R + 4);
  emitBlue = f(m + M_EMISSIVE_R + 8);
  lack = 0;
  bends = false;
  if (load<f32>(m, M_HAS_TEXTURES) != 1) return;
  const uv0 = uvs + (i0 << 3);
  const uv1 = uvs + (i1 << 3);
  const uv2 = uvs + (i2 << 3);
  const u0 = f(uv0);
  const v0 = f(uv0 + 4);
  const du1 = f(uv1) - u0;
  const dv1 = f(uv1 + 4) - v0;
  const du2 = f(uv2) - u0;
  const dv2 = f(uv2 + 4) - v0;
  const u = u0 + du1 * b1 + du2 * b2;
  const v = v0 + dv1 * b1 + dv2 * b2;
  const ux = du1 * s0 + du2 * s1;
  const vx = dv1 * s0 + dv2 * s1;
  const uy = du1 * s2 + du2 * s3;
  const vy = dv1 * s2 + dv2 * s3;
  let s = m + M_SLOT;
  if (load<f32>(s) >= 0) {
    readSlot(s, u, v, ux, vx, uy, vy);
    red *= texelRed();
    green *= texelGreen();
    blue *= texelBlue();
    opacity *= texelAlpha();
  }
  s = m + METALLIC_ROUGHNESS;
  if (load<f32>(s) >= 0) {
    readSlot(s, u, v, ux, vx, uy, vy);
    roughness *= texelGreen();
    metallic *= texelBlue();
  }
  s = m + M_SLOT + <usize>SLOT_OCCLUSION * SLOT_BYTES;
  if (load<f32>(s) >= 0) {
    // the same picture often carries occlusion, roughness and metalness
    if (load<f32>(s) != load<f32>(m + METALLIC_ROUGHNESS)) readSlot(s, u, v, ux, vx, uy, vy);
    occlusion = 1 + f(m + M_OCCLUSION) * (texelRed() - 1);
  }
  s = m + EMISSIVE_SLOT;
  if (load<f32>(s) >= 0) {
    readSlot(s, u, v, ux, vx, uy, vy);
    emitRed *= texelRed();
    emitGreen *= texelGreen();
    emitBlue *= texelBlue();
  }
  s = m + M_SLOT + <usize>SLOT_NORMAL * SLOT_BYTES;
  if (load<f32>(s) >= 0) {
    readSlot(s, u, v, ux, vx, uy, vy);
    const scale = f(m + M_NORMAL_SCALE);
    bends = true;
    acrossTangent = (texelRed() * 2 - 1) * scale;
    acrossBitangent = (texelGreen() * 2 - 1) * scale;
    alongNormal = texelBlue() * 2 - 1;
    lack = texelLack();
  }
}

/** Bends a normal as the texture says that was looked at last. @param side 1 where the front is seen, −1 for the back */
export function bend(i0: usize, i1: usize, i2: usize, b1: f64, b2: f64, nx: f64, ny: f64, nz: f64, side: f64): void {
  const b0 = 1 - b1 - b2;
  const t0 = tangents + (i0 << 4);
  const t1 = tangents + (i1 << 4);
  const t2 = tangents + (i2 << 4);
  const tx = f(t0) * b0 + f(t1) * b1 + f(t2) * b2;
  const ty = f(t0 + 4) * b0 + f(t1 + 4) * b1 + f(t2 + 4) * b2;
  const tz = f(t0 + 8) * b0 + f(t1 + 8) * b1 + f(t2 + 8) * b2;
  const w = f(t0 + 12);
  // cross(n, t) runs to the bitangent of the front side; on the back the frame is mirrored with the normal
  const bx = (ny * tz - nz * ty) * w * side;
  const by = (nz * tx - nx * tz) * w * side;
  const bz = (nx * ty - ny * tx) * w * side;
  const qx = tx * acrossTangent + bx * acrossBitangent + nx * alongNormal;
  const qy = ty * acrossTangent + by * acrossBitangent + ny * alongNormal;
  const qz = tz * acrossTangent + bz * acrossBitangent + nz * alongNormal;
  const length = sqrt<f64>(qx * qx + qy * qy + qz * qz);
  const known = length > 0;
  bentX = known ? qx / length : nx;
  bentY = known ? qy / length : ny;
  bentZ = known ? qz / length : nz;
}

/** GGX width of a roughness, widened where normals were averaged (Toksvig 2005). @param short what their length lacks of one */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function widthOf(rough: f64, short: f64): f64 {
  const alpha = rough * rough;
  return steady && short > 0 ? min<f64>(1, sqrt<f64>(alpha * alpha + short / (1 - short))) : alpha;
}
