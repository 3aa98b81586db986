/** Materials of a scene as numbers, and their pictures with mips in one array; each picture once a way of use. */
import { SRGB8_TO_LINEAR, UNIT8 } from '../math/color';
import type { CompiledScene } from './compiled';
import { MATERIAL_STRIDE, writeMaterial } from './materialTable';
import type { MaterialSource, SceneSource, TextureUse } from './source';
import { TEXTURE_STRIDE, texelBytes, writeTexture, type TextureKind } from './textureTable';

export function flattenTextures(
  source: SceneSource,
  materials: MaterialSource[],
  warnings: string[],
): Pick<CompiledScene, 'materials' | 'textures' | 'texels'> {
  const records: { use: TextureUse; kind: TextureKind; cutoff: number | null }[] = [];
  const byKey = new Map<string, number>();
  const table = new Float32Array(materials.length * MATERIAL_STRIDE);
  materials.forEach((m, i) =>
    writeMaterial(
      table,
      i,
      m,
      (use, kind) => {
        const image = source.images[use.image];
        if (!image) {
          warnings.push(`Material "${m.name}" asks for a picture that is missing; it is drawn without it.`);
          return -1;
        }
        const masks = m.alphaMode === 'mask' && use === m.baseColorTexture && m.baseColor[3] > 0;
        const cutoff = masks ? Math.min(1, m.alphaCutoff / m.baseColor[3]) : null;
        const key = [use.image, kind, use.wrapS, use.wrapT, cutoff].join();
        let index = byKey.get(key);
        if (index === undefined) {
          index = records.length;
          records.push({ use, kind, cutoff });
          byKey.set(key, index);
        }
        return index;
      },
      (use, kind) => {
        const image = source.images[use.image];
        if (image?.width !== 1 || image.height !== 1) return null;
        const decode = kind === 'color' ? SRGB8_TO_LINEAR : UNIT8;
        return [...image.pixels.subarray(0, 3)].map((c) => decode[c]).concat(image.pixels[3] / 255);
      },
    ),
  );
  const sizes = records.map((r) => texelBytes(source.images[r.use.image].width, source.images[r.use.image].height));
  const [coarse, fine] = [sum(sizes.map((s) => s.coarse)), sum(sizes.map((s) => s.fine))];
  const texels = new Uint8Array(coarse + fine);
  const textures = new Int32Array(records.length * TEXTURE_STRIDE);
  const places = { coarse: 0, fine: coarse };
  records.forEach((r, i) => {
    const image = source.images[r.use.image];
    writeTexture(texels, places, textures, i, image, r.kind, r.use.wrapS, r.use.wrapT, r.cutoff);
  });
  return { materials: table, textures, texels };
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((a, b) => a + b, 0);
}
