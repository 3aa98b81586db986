/** One material as MATERIAL_STRIDE 32-bit floats. */
import { ALPHA_BLEND, ALPHA_MASK, ALPHA_OPAQUE } from '@daxel/kernel/generated/layouts/alphaModes';
import {
  MATERIAL_STRIDE,
  M_ABSORPTION,
  M_ALPHA_CUTOFF,
  M_ALPHA_MODE,
  M_BASE_R,
  M_DOUBLE_SIDED,
  M_EMISSIVE_R,
  M_F0_R,
  M_F90,
  M_HAS_TEXTURES,
  M_IOR,
  M_METALLIC,
  M_NORMAL_SCALE,
  M_OCCLUSION,
  M_OCCLUSION_EVEN,
  M_ROUGHNESS,
  M_SLOT,
  M_THICKNESS,
  M_TRANSMISSION,
} from '@daxel/kernel/generated/layouts/material';
import { SLOT_STRIDE } from '@daxel/kernel/generated/layouts/textureSlot';
import {
  SLOT_BASE,
  SLOT_EMISSIVE,
  SLOT_METALLIC_ROUGHNESS,
  SLOT_NORMAL,
  SLOT_OCCLUSION,
} from '@daxel/kernel/generated/layouts/textureSlots';
import { log } from '../math/exact';
import type { MaterialSource, TextureUse } from './source';

export * from '@daxel/kernel/generated/layouts/alphaModes';
export * from '@daxel/kernel/generated/layouts/material';

export { SLOT_STRIDE } from '@daxel/kernel/generated/layouts/textureSlot';
export * from '@daxel/kernel/generated/layouts/textureSlots';

/**
 * Writes one material.
 * @param textureIndex gives the table index of a texture use; colour textures are decoded from sRGB
 * @param evenValue gives the linear rgba of a picture of one pixel, which is folded into the factors, or null
 */
export function writeMaterial(
  table: Float32Array,
  index: number,
  m: MaterialSource,
  textureIndex: (use: TextureUse, kind: 'color' | 'data' | 'normal') => number,
  evenValue: (use: TextureUse, kind: 'color' | 'data' | 'normal') => readonly number[] | null,
): void {
  const at = index * MATERIAL_STRIDE;
  table.set(m.baseColor, at + M_BASE_R);
  table[at + M_METALLIC] = m.metallic;
  table[at + M_ROUGHNESS] = m.roughness;
  table[at + M_NORMAL_SCALE] = m.normalScale;
  table[at + M_OCCLUSION] = m.occlusionStrength;
  table.set(m.emissive, at + M_EMISSIVE_R);
  table[at + M_ALPHA_MODE] =
    m.alphaMode === 'opaque' ? ALPHA_OPAQUE : m.alphaMode === 'mask' ? ALPHA_MASK : ALPHA_BLEND;
  table[at + M_ALPHA_CUTOFF] = m.alphaCutoff;
  table[at + M_DOUBLE_SIDED] = m.doubleSided ? 1 : 0;
  table[at + M_TRANSMISSION] = m.transmission;
  const r = (m.ior - 1) / (m.ior + 1);
  for (let c = 0; c < 3; c++) table[at + M_F0_R + c] = Math.min(1, r * r * m.specularColor[c]) * m.specular;
  table[at + M_F90] = m.specular;
  table[at + M_OCCLUSION_EVEN] = 1;
  table[at + M_IOR] = m.ior;
  table[at + M_THICKNESS] = m.thickness;
  // Beer–Lambert: colour = exp(−absorption · distance)
  for (let c = 0; c < 3; c++)
    table[at + M_ABSORPTION + c] = -log(Math.max(1e-6, m.attenuationColor[c])) / m.attenuationDistance;

  const slots: [number, TextureUse | undefined, 'color' | 'data' | 'normal'][] = [
    [SLOT_BASE, m.baseColorTexture, 'color'],
    [SLOT_METALLIC_ROUGHNESS, m.metallicRoughnessTexture, 'data'],
    [SLOT_NORMAL, m.normalTexture, 'normal'],
    [SLOT_OCCLUSION, m.occlusionTexture, 'data'],
    [SLOT_EMISSIVE, m.emissiveTexture, 'color'],
  ];
  for (const [slot, use, kind] of slots) {
    const s = at + M_SLOT + slot * SLOT_STRIDE;
    const even = use && kind !== 'normal' ? evenValue(use, kind) : null;
    if (even) foldIn(table, at, slot, even);
    table[s] = use && !even ? textureIndex(use, kind) : -1;
    if (table[s] >= 0) table[at + M_HAS_TEXTURES] = 1;
    table[s + 1] = use?.transform ? 1 : 0;
    table.set(use?.transform ?? [1, 0, 0, 0, 1, 0], s + 2);
  }
}

function foldIn(table: Float32Array, at: number, slot: number, even: readonly number[]): void {
  if (slot === SLOT_BASE) for (let c = 0; c < 4; c++) table[at + M_BASE_R + c] *= even[c];
  if (slot === SLOT_METALLIC_ROUGHNESS) {
    table[at + M_ROUGHNESS] *= even[1];
    table[at + M_METALLIC] *= even[2];
  }
  if (slot === SLOT_OCCLUSION) table[at + M_OCCLUSION_EVEN] = 1 + table[at + M_OCCLUSION] * (even[0] - 1);
  if (slot === SLOT_EMISSIVE) for (let c = 0; c < 3; c++) table[at + M_EMISSIVE_R + c] *= even[c];
}

/** Does anything of these materials glow? */
export function glows(materials: Float32Array): boolean {
  for (let m = M_EMISSIVE_R; m < materials.length; m += MATERIAL_STRIDE)
    if (materials[m] + materials[m + 1] + materials[m + 2] > 0) return true;
  return false;
}
