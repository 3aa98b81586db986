/** Materials of a scene as numbers, and their pictures with mips in one array; each picture once a way of use. */
import { SRGB8_TO_LINEAR, UNIT8 } from '../math/color';
import type { CompiledScene } from './compiled';
import { MATERIAL_STRIDE, writeMaterial } from './materialTable';
import type { ImageSource, MaterialSource, SceneSource, TextureUse } from './source';
import { halved, TEXTURE_STRIDE, texelBytes, writeTexture, type TextureKind } from './textureTable';

export interface FlattenOptions {
  /** Texels of all full sizes together: larger pictures are halved until they fit. */
  most?: number;
  /** Called before each picture. */
  told?: (done: number, of: number) => void;
}

/** @returns the arrays, and each picture's size among the textures */
export function flattenTextures(
  source: SceneSource,
  materials: MaterialSource[],
  warnings: string[],
  { most, told }: FlattenOptions = {},
): { arrays: Pick<CompiledScene, 'materials' | 'textures' | 'texels'>; sizes: [width: number, height: number][] } {
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
        const pixels = pixelsOrWhite(image, warnings);
        return [...pixels.subarray(0, 3)].map((c) => decode[c]).concat(pixels[3] / 255);
      },
    ),
  );
  const uses = records.map((r) => r.use.image);
  const halvings = fit(source.images, uses, most ?? MOST_TEXELS, warnings);
  const sizeOf = (i: number): [number, number] => {
    const { width, height } = source.images[i];
    return [halved(width, halvings[i]), halved(height, halvings[i])];
  };
  const sizes = uses.map((i) => texelBytes(...sizeOf(i)));
  const [coarse, fine] = [sum(sizes.map((s) => s.coarse)), sum(sizes.map((s) => s.fine))];
  const texels = new Uint8Array(coarse + fine);
  const textures = new Int32Array(records.length * TEXTURE_STRIDE);
  const places = { coarse: 0, fine: coarse };
  const pixelsOf = readInTurn(source.images, uses, warnings);
  records.forEach(({ use, kind, cutoff }, i) => {
    told?.(i, records.length);
    const { width, height } = source.images[use.image];
    const picture = { width, height, pixels: pixelsOf(use.image) };
    const { wrapS, wrapT } = use;
    writeTexture(texels, places, textures, i, picture, { kind, wrapS, wrapT, cutoff, halvings: halvings[use.image] });
  });
  return { arrays: { materials: table, textures, texels }, sizes: source.images.map((_, i) => sizeOf(i)) };
}

/** Of the full sizes of all textures together: four of 8192 × 8192, 1.4 GB with their smaller levels. */
const MOST_TEXELS = 2 ** 28;

/**
 * How often each picture is halved so that the full sizes of all uses fit together: the largest first, down to a side that
 * none is over.
 * @param uses numbers of the pictures, one for each texture that is made of them
 */
function fit(images: ImageSource[], uses: number[], most: number, warnings: string[]): number[] {
  const sides = images.map((i) => Math.max(i.width, i.height));
  let halvings = images.map(() => 0);
  const texels = (): number =>
    sum(uses.map((i) => halved(images[i].width, halvings[i]) * halved(images[i].height, halvings[i])));
  let side = LARGEST_SIDE;
  for (; texels() > most; side /= 2) halvings = sides.map((s) => halvingsTo(side / 2, s));
  const names = [...new Set(uses)].filter((i) => halvings[i] > 0).map((i) => `"${images[i].name}"`);
  const more = names.length > 3 ? ` and ${names.length - 3} more` : '';
  if (names.length > 0)
    warnings.push(
      `The textures have more than ${Math.round(most / 1e6)} million pixels together: those over ${side} pixels a side were halved to that (${names.slice(0, 3).join(', ')}${more}).`,
    );
  return halvings;
}
/** A power of two that no picture's side is over by much. */
const LARGEST_SIDE = 2 ** 14;

function halvingsTo(side: number, from: number): number {
  let times = 0;
  while (halved(from, times) > side) times++;
  return times;
}

/**
 * Pixels of pictures in the order in which they are asked for, each unpacked once and let go of with its last use; what
 * is damaged is white, and told.
 */
function readInTurn(images: ImageSource[], uses: number[], warnings: string[]): (image: number) => Uint8Array {
  const lastUse = new Map(uses.map((image, turn) => [image, turn]));
  const held = new Map<number, Uint8Array>();
  let turn = 0;
  return (image) => {
    let pixels = held.get(image);
    if (!pixels) {
      pixels = pixelsOrWhite(images[image], warnings);
      held.set(image, pixels);
    }
    if (lastUse.get(image) === turn++) held.delete(image);
    return pixels;
  };
}

function pixelsOrWhite(image: ImageSource, warnings: string[]): Uint8Array {
  try {
    return image.pixels;
  } catch (error) {
    warnings.push(drawnWhite(error as Error));
    return new Uint8Array(image.width * image.height * 4).fill(255);
  }
}

/** What is said of a picture that cannot be read. */
export function drawnWhite(error: Error): string {
  return `${error.message} It is drawn plain white.`;
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((a, b) => a + b, 0);
}
