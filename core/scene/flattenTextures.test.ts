import { describe, expect, it } from 'vitest';
import { BadFileError } from '../errors';
import { MATTE, quad, sceneOf } from '../testing/scenes';
import { flattenTextures } from './flattenTextures';
import type { ImageSource, SceneSource } from './source';

/** A scene whose materials show pictures: of each so many sides, with how often it was unpacked. */
function sceneWith(sides: [number, number][], damaged: number[] = []): { source: SceneSource; unpacked: number[] } {
  const unpacked = sides.map(() => 0);
  const images = sides.map(([width, height], i): ImageSource => ({
    ...{ name: `picture ${i}`, width, height },
    get pixels() {
      unpacked[i]++;
      if (damaged.includes(i)) throw new BadFileError(`picture ${i}`, 'it is damaged', 'Export it again.');
      return new Uint8Array(width * height * 4).fill(100 + i);
    },
  }));
  const use = (image: number) => ({ image, wrapS: 'repeat' as const, wrapT: 'repeat' as const });
  const materials = sides.flatMap((_, i) => [
    { ...MATTE, baseColorTexture: use(i) },
    { ...MATTE, metallicRoughnessTexture: use(i) },
  ]);
  return { source: { ...sceneOf([quad(1)], materials as SceneSource['materials']), images }, unpacked };
}

describe('pictures of a scene', () => {
  it('are unpacked once each, however many textures are made of them', () => {
    const { source, unpacked } = sceneWith([
      [16, 16],
      [8, 4],
      [32, 2],
    ]);
    const warnings: string[] = [];
    const told: [number, number][] = [];
    const { sizes } = flattenTextures(source, source.materials, warnings, { told: (...p) => told.push(p) });
    expect([told[0], told.at(-1)]).toEqual([
      [0, 6],
      [5, 6],
    ]);
    expect(unpacked).toEqual([1, 1, 1]);
    expect(sizes).toEqual([
      [16, 16],
      [8, 4],
      [32, 2],
    ]);
    expect(warnings).toEqual([]);
  });

  it('that do not fit together are halved, the largest first, and that is said', () => {
    const { source } = sceneWith([
      [64, 64],
      [16, 16],
      [40, 20],
      [64, 32],
    ]);
    const warnings: string[] = [];
    // two uses each: at 16 a side 256, 256, 10 × 5 and 16 × 8, twice
    const { sizes, arrays } = flattenTextures(source, source.materials, warnings, { most: 2 * (256 + 256 + 50 + 128) });
    expect(sizes).toEqual([
      [16, 16],
      [16, 16],
      [10, 5],
      [16, 8],
    ]);
    expect(warnings).toHaveLength(1);
    expect(warnings[0]).toMatch(
      /those over 16 pixels a side were halved to that \("picture 0", "picture 2", "picture 3"\)/,
    );
    // every texel has its picture's code: nothing is left unwritten
    expect(Math.min(...arrays.texels)).toBeGreaterThan(99);
  });

  it('that fit to the last texel are left as they are', () => {
    const { source } = sceneWith([[64, 64]]);
    const warnings: string[] = [];
    expect(flattenTextures(source, source.materials, warnings, { most: 2 * 64 * 64 }).sizes).toEqual([[64, 64]]);
    expect(flattenTextures(source, source.materials, [], { most: 2 * 64 * 64 - 1 }).sizes).toEqual([[32, 32]]);
    expect(warnings).toEqual([]);
  });

  it('that turn out to be damaged are white, and told once', () => {
    const { source } = sceneWith(
      [
        [4, 4],
        [4, 4],
      ],
      [1],
    );
    const warnings: string[] = [];
    const { arrays } = flattenTextures(source, source.materials, warnings);
    expect(warnings).toEqual(['picture 1: it is damaged. Export it again. It is drawn plain white.']);
    expect(new Set(arrays.texels)).toEqual(new Set([100, 255]));
  });
});
