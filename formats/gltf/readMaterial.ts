/** A glTF material with its extensions → MaterialSource. */
import type { Material, Texture, TextureInfo } from '@gltf-transform/core';
import type {
  EmissiveStrength,
  IOR,
  Specular,
  Transform,
  Transmission,
  Unlit,
  Volume,
} from '@gltf-transform/extensions';
import { cos, sin } from '@daxel/core/math/exact';
import type { MaterialSource, TextureUse, Wrap } from '@daxel/core/scene/source';

const WRAPS: Record<number, Wrap> = { 10497: 'repeat', 33648: 'mirror', 33071: 'clamp' };
const MODES = { OPAQUE: 'opaque', MASK: 'mask', BLEND: 'blend' } as const;
const LATER = [
  'KHR_materials_clearcoat',
  'KHR_materials_sheen',
  'KHR_materials_iridescence',
  'KHR_materials_anisotropy',
];

export function readMaterial(m: Material, textures: Texture[], warnings: string[]): MaterialSource {
  const name = m.getName() || 'unnamed';
  const use = (texture: Texture | null, info: TextureInfo | null): TextureUse | undefined => {
    if (!texture || !info) return undefined;
    if (info.getTexCoord() !== 0)
      warnings.push(`Material "${name}" uses a second set of texture coordinates; the first is used instead.`);
    return {
      image: textures.indexOf(texture),
      wrapS: WRAPS[info.getWrapS()] ?? 'repeat',
      wrapT: WRAPS[info.getWrapT()] ?? 'repeat',
      transform: uvTransform(info.getExtension<Transform>('KHR_texture_transform')),
    };
  };
  const later = LATER.filter((e) => m.getExtension(e));
  if (later.length > 0) warnings.push(`Material "${name}": ${later.join(', ')} not rendered by this version.`);
  const strength = m.getExtension<EmissiveStrength>('KHR_materials_emissive_strength')?.getEmissiveStrength() ?? 1;
  const transmission = m.getExtension<Transmission>('KHR_materials_transmission');
  const volume = m.getExtension<Volume>('KHR_materials_volume');
  const specular = m.getExtension<Specular>('KHR_materials_specular');
  const unlit = m.getExtension<Unlit>('KHR_materials_unlit') !== null;
  const emissive = m.getEmissiveFactor().map((e) => e * strength) as [number, number, number];
  const base = m.getBaseColorFactor();
  const baseColorTexture = use(m.getBaseColorTexture(), m.getBaseColorTextureInfo());
  return {
    name,
    // an unlit surface shows its colour whatever the light: it emits it and reflects nothing
    baseColor: unlit ? [0, 0, 0, base[3]] : base,
    baseColorTexture,
    metallic: unlit ? 0 : m.getMetallicFactor(),
    roughness: unlit ? 1 : m.getRoughnessFactor(),
    metallicRoughnessTexture: use(m.getMetallicRoughnessTexture(), m.getMetallicRoughnessTextureInfo()),
    normalTexture: use(m.getNormalTexture(), m.getNormalTextureInfo()),
    normalScale: m.getNormalScale(),
    occlusionTexture: use(m.getOcclusionTexture(), m.getOcclusionTextureInfo()),
    occlusionStrength: m.getOcclusionStrength(),
    emissive: unlit ? [base[0], base[1], base[2]] : emissive,
    emissiveTexture: unlit ? baseColorTexture : use(m.getEmissiveTexture(), m.getEmissiveTextureInfo()),
    alphaMode: MODES[m.getAlphaMode()] ?? 'opaque',
    alphaCutoff: m.getAlphaCutoff(),
    doubleSided: m.getDoubleSided(),
    transmission: transmission?.getTransmissionFactor() ?? 0,
    ior: m.getExtension<IOR>('KHR_materials_ior')?.getIOR() || 1.5,
    thickness: volume?.getThicknessFactor() ?? 0,
    attenuationColor: volume?.getAttenuationColor() ?? [1, 1, 1],
    // the extension's own default is without end, which some writers spell 0
    attenuationDistance: volume?.getAttenuationDistance() || Infinity,
    specular: unlit ? 0 : (specular?.getSpecularFactor() ?? 1),
    specularColor: specular?.getSpecularColorFactor() ?? [1, 1, 1],
  };
}

function uvTransform(t: Transform | null): TextureUse['transform'] {
  if (!t) return undefined;
  const [sx, sy] = t.getScale();
  const [ox, oy] = t.getOffset();
  const c = cos(t.getRotation());
  const s = sin(t.getRotation());
  return [sx * c, sy * s, ox, -sx * s, sy * c, oy];
}
