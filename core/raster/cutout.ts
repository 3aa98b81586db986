/** What masked and see-through triangles let pass, at a place inside them. */
import { log2 } from '../math/exact';
import type { CompiledScene } from '../scene/compiled';
import {
  ALPHA_BLEND,
  M_ALPHA,
  M_ALPHA_CUTOFF,
  M_ALPHA_MODE,
  M_BASE_R,
  M_F0_R,
  M_METALLIC,
  M_SLOT,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
} from '../scene/materialTable';
import { sampleTexture, TEXTURE_STRIDE } from '../scene/textureTable';

const texel = new Float64Array(4);

/**
 * Share of light, per colour, that a see-through triangle lets straight through: of glass its transmission, tint and
 * what it does not mirror; of a blended surface what its opacity leaves.
 * @param e0, e1, e2 proportional to the barycentrics
 * @param lod level of detail of its picture
 */
export function tintAt(
  scene: CompiledScene,
  t: number,
  e0: number,
  e1: number,
  e2: number,
  lod: number,
  out: Float64Array,
): void {
  const { triangles, colors, materials } = scene;
  const m = scene.triangleMaterial[t] * MATERIAL_STRIDE;
  const i0 = triangles[t * 3] * 4;
  const i1 = triangles[t * 3 + 1] * 4;
  const i2 = triangles[t * 3 + 2] * 4;
  const s = 1 / (e0 + e1 + e2);
  readBase(scene, t, e0, e1, e2, lod);
  const blend = materials[m + M_ALPHA_MODE] === ALPHA_BLEND;
  const transmission = materials[m + M_TRANSMISSION] * (1 - materials[m + M_METALLIC]);
  const vertex = (c: number): number => (colors[i0 + c] * e0 + colors[i1 + c] * e1 + colors[i2 + c] * e2) * s;
  const alpha = blend ? Math.min(1, Math.max(0, materials[m + M_ALPHA] * texel[3] * vertex(3))) : 1;
  for (let c = 0; c < 3; c++) {
    const through = transmission * materials[m + M_BASE_R + c] * texel[c] * vertex(c) * (1 - materials[m + M_F0_R + c]);
    out[c] = 1 - alpha + alpha * Math.min(1, through);
  }
}

/** What a material without a picture lets through where the vertex colours are white: see `tintAt`. */
export function evenTint({ materials }: CompiledScene, material: number, out: Float64Array): void {
  const m = material * MATERIAL_STRIDE;
  const blend = materials[m + M_ALPHA_MODE] === ALPHA_BLEND;
  const transmission = materials[m + M_TRANSMISSION] * (1 - materials[m + M_METALLIC]);
  const alpha = blend ? Math.min(1, Math.max(0, materials[m + M_ALPHA])) : 1;
  for (let c = 0; c < 3; c++) {
    const through = transmission * materials[m + M_BASE_R + c] * (1 - materials[m + M_F0_R + c]);
    out[c] = 1 - alpha + alpha * Math.min(1, through);
  }
}

/** A share of light as the texels of maps are dimmed by it: in steps of 1/32768, all of it a step less. */
export function dimmingOf(share: number): number {
  return Math.round(Math.min(1, Math.max(0, share)) * 32767);
}

export function hasPicture({ materials }: CompiledScene, material: number): boolean {
  return materials[material * MATERIAL_STRIDE + M_SLOT] >= 0;
}

/** Does a triangle let the same light through all over: no picture, no colours at its corners? */
export function hasEvenTint(scene: CompiledScene, t: number): boolean {
  const { triangles, colors } = scene;
  if (hasPicture(scene, scene.triangleMaterial[t])) return false;
  for (let corner = 0; corner < 3; corner++) {
    const i = triangles[t * 3 + corner] * 4;
    if (colors[i] !== 1 || colors[i + 1] !== 1 || colors[i + 2] !== 1 || colors[i + 3] !== 1) return false;
  }
  return true;
}

/** Base colour picture of a triangle into `texel`, white where there is none. */
function readBase(scene: CompiledScene, t: number, e0: number, e1: number, e2: number, lod: number): void {
  const { triangles, uvs, materials } = scene;
  const m = scene.triangleMaterial[t] * MATERIAL_STRIDE;
  const texture = materials[m + M_SLOT];
  texel[0] = texel[1] = texel[2] = texel[3] = 1;
  if (texture < 0) return;
  const s = 1 / (e0 + e1 + e2);
  const i0 = triangles[t * 3] * 2;
  const i1 = triangles[t * 3 + 1] * 2;
  const i2 = triangles[t * 3 + 2] * 2;
  const u = (uvs[i0] * e0 + uvs[i1] * e1 + uvs[i2] * e2) * s;
  const v = (uvs[i0 + 1] * e0 + uvs[i1 + 1] * e1 + uvs[i2 + 1] * e2) * s;
  const k = m + M_SLOT + 2;
  const tu = materials[k] * u + materials[k + 1] * v + materials[k + 2];
  const tv = materials[k + 3] * u + materials[k + 4] * v + materials[k + 5];
  sampleTexture(scene.texels, scene.textures, texture, tu, tv, lod, texel);
}

/** Does the alpha of a masked triangle pass at barycentrics proportional to e0, e1, e2? */
export function passesCutout(
  scene: CompiledScene,
  t: number,
  e0: number,
  e1: number,
  e2: number,
  lod: number,
): boolean {
  const { triangles, materials, colors } = scene;
  const m = scene.triangleMaterial[t] * MATERIAL_STRIDE;
  const s = 1 / (e0 + e1 + e2);
  const i0 = triangles[t * 3] * 4 + 3;
  const i1 = triangles[t * 3 + 1] * 4 + 3;
  const i2 = triangles[t * 3 + 2] * 4 + 3;
  readBase(scene, t, e0, e1, e2, lod);
  const alpha = materials[m + M_ALPHA] * (colors[i0] * e0 + colors[i1] * e1 + colors[i2] * e2) * s * texel[3];
  return alpha >= materials[m + M_ALPHA_CUTOFF];
}

/**
 * Level of detail of a masked triangle's texture: half the binary logarithm of texels per pixel at its middle.
 * @param edges see `tileEdges` @param x, y from where those begin
 */
export function cutoutLod(scene: CompiledScene, edges: Float32Array, t: number, x: number, y: number): number {
  const texture = scene.materials[scene.triangleMaterial[t] * MATERIAL_STRIDE + M_SLOT];
  if (texture < 0) return 0;
  const i0 = scene.triangles[t * 3] * 2;
  const i1 = scene.triangles[t * 3 + 1] * 2;
  const i2 = scene.triangles[t * 3 + 2] * 2;
  const { uvs } = scene;
  const uvArea = Math.abs(
    (uvs[i1] - uvs[i0]) * (uvs[i2 + 1] - uvs[i0 + 1]) - (uvs[i2] - uvs[i0]) * (uvs[i1 + 1] - uvs[i0 + 1]),
  );
  const texels = uvArea * scene.textures[texture * TEXTURE_STRIDE + 5] * scene.textures[texture * TEXTURE_STRIDE + 6];
  const sum = sumAt(edges, x, y);
  // twice the area in pixels, from the gradients of two barycentrics: |∇b₁ × ∇b₂| = 1 / (2 · area)
  const cross = Math.abs(edges[3] * edges[7] - edges[6] * edges[4]) / (sum * sum);
  const ratio = texels * cross;
  return ratio > 1 ? 0.5 * log2(ratio) : 0;
}

function sumAt(e: Float32Array, x: number, y: number): number {
  return (e[0] + e[3] + e[6]) * x + (e[1] + e[4] + e[7]) * y + e[2] + e[5] + e[8];
}
