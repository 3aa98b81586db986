import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cases } from '../testing/cases';
import { randomStream } from '../math/random';
import type { Wrap } from './source';
import {
  coarseBytes,
  coarseTextures,
  halved,
  mipChainBytes,
  sampleTexture,
  texelBytes,
  TEXTURE_STRIDE,
  writeTexture,
  type TextureKind,
} from './textureTable';

type Texel = readonly [number, number, number, number];
interface Drawn {
  width: number;
  height: number;
  texel: (x: number, y: number) => Texel;
  kind?: TextureKind;
  wrap?: Wrap;
  cutoff?: number | null;
  halvings?: number;
}

/** One array with all textures, as a scene holds them. */
function tableOf(...drawn: Drawn[]): { texels: Uint8Array; table: Int32Array } {
  const all = drawn.map(({ width, height, halvings = 0 }) =>
    texelBytes(halved(width, halvings), halved(height, halvings)),
  );
  const sum = (part: 'coarse' | 'fine'): number => all.reduce((n, b) => n + b[part], 0);
  const texels = new Uint8Array(sum('coarse') + sum('fine'));
  const places = { coarse: 0, fine: sum('coarse') };
  const table = new Int32Array(drawn.length * TEXTURE_STRIDE);
  drawn.forEach(({ width, height, texel, kind = 'data', wrap = 'repeat', cutoff = null, halvings = 0 }, index) => {
    const pixels = Uint8Array.from(
      Array.from({ length: width * height }, (_, i) => texel(i % width, Math.floor(i / width))).flat(),
    );
    const image = { name: 'drawn', width, height, pixels };
    writeTexture(texels, places, table, index, image, { kind, wrapS: wrap, wrapT: wrap, cutoff, halvings });
  });
  return { texels, table };
}
const out = new Float64Array(4);
function read({ texels, table }: ReturnType<typeof tableOf>, u: number, v: number, lod: number, texture = 0): number[] {
  sampleTexture(texels, table, texture, u, v, lod, out);
  return [...out];
}
const grey = (code: number): Texel => [code, code, code, 255];
/** Texel x of a row of four tells its number. */
const row: Drawn = { width: 4, height: 1, texel: (x) => grey(x * 50) };

describe('a texture', () => {
  it('without its finest levels has the others to the bit', () => {
    fc.assert(
      fc.property(
        fc.record({ width: fc.integer({ min: 1, max: 40 }), height: fc.integer({ min: 1, max: 40 }) }),
        fc.constantFrom<TextureKind>('color', 'data', 'normal'),
        fc.option(fc.double({ min: 0.1, max: 0.9, noNaN: true })),
        fc.integer({ min: 1, max: 3 }),
        fc.integer(),
        ({ width, height }, kind, cutoff, halvings, seed) => {
          fc.pre(Math.max(width, height) >> halvings > 0);
          const next = randomStream(seed);
          const codes = Uint8Array.from({ length: width * height * 4 }, () => next() * 256);
          const texel = (x: number, y: number): Texel => {
            const [r, g, b, a] = codes.subarray((y * width + x) * 4);
            return [r, g, b, a];
          };
          // colours alone have masks
          const drawn: Drawn = { width, height, texel, kind, cutoff: kind === 'color' ? cutoff : null };
          const levelsOf = ({ texels, table }: ReturnType<typeof tableOf>): number[][] =>
            Array.from({ length: table[0] }, (_, l) => {
              const [from, w, h] = table.subarray(4 + l * 3, 7 + l * 3);
              return [w, h, ...texels.subarray(from, from + w * h * 4)];
            });
          expect(levelsOf(tableOf({ ...drawn, halvings }))).toEqual(levelsOf(tableOf(drawn)).slice(halvings));
        },
      ),
      { numRuns: cases(60) },
    );
  });

  it('takes a third more with all its halves', () => {
    expect(mipChainBytes(64, 64)).toBe(4 * ((64 * 64 * 4 - 1) / 3));
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3000 }), fc.integer({ min: 1, max: 3000 }), (width, height) => {
        const { coarse, fine } = texelBytes(width, height);
        expect(coarse + fine).toBe(mipChainBytes(width, height));
        expect(coarse).toBeGreaterThan(0);
        // coarse levels are at most 256² texels, the largest of them a quarter of the next
        expect(coarse).toBeLessThanOrEqual(4 * 256 * 256 * 1.5);
      }),
    );
  });

  it('is read between the middles of its texels', () => {
    const even = tableOf(row);
    const at = (x: number): number => read(even, (x + 0.5) / 4, 0.5, 0)[0] * 255;
    expect([0, 1, 2, 3].map((x) => Math.round(at(x) * 1000) / 1000)).toEqual([0, 50, 100, 150]);
    expect(at(1.25)).toBeCloseTo(62.5, 4);
    expect(at(2.5)).toBeCloseTo(125, 4);
  });

  it.each<[Wrap, number[]]>([
    // half a texel beyond the right border, and two texels beyond
    ['repeat', [75, 25]],
    ['mirror', [150, 125]],
    ['clamp', [150, 150]],
  ])('goes on beyond its border: %s', (wrap, [half, two]) => {
    const drawn = tableOf({ ...row, wrap });
    expect(read(drawn, 1, 0.5, 0)[0] * 255).toBeCloseTo(half, 4);
    expect(read(drawn, 1.25, 0.5, 0)[0] * 255).toBeCloseTo(two, 4);
  });

  it('reads its first texel where coordinates are no numbers', () => {
    const drawn = tableOf({ ...row, wrap: 'clamp' });
    for (const bad of [NaN, Infinity, -Infinity]) expect(read(drawn, bad, 0.5, 0)[0]).toBe(0);
    // a level that is no number is the finest, one beyond the last the coarsest
    expect(read(drawn, 0.375, 0.5, NaN)[0] * 255).toBeCloseTo(50, 4);
    expect(read(drawn, 0.375, 0.5, 99)[0]).toBe(read(drawn, 0.9, 0.5, 2)[0]);
  });

  it('passes smoothly from level to level', () => {
    const random = randomStream(4);
    const noise = tableOf({ width: 16, height: 16, texel: () => grey(Math.floor(random() * 256)) });
    const at = (lod: number): number => read(noise, 0.4, 0.7, lod)[0];
    for (const lod of [0, 1, 2]) {
      expect(at(lod + 0.25)).toBeCloseTo(0.75 * at(lod) + 0.25 * at(lod + 1), 9);
      expect(at(lod + 0.999999)).toBeCloseTo(at(lod + 1), 4);
    }
  });

  it('of colour is averaged as light, of data as numbers', () => {
    const checker = (kind: TextureKind): Drawn => ({
      ...{ width: 8, height: 8, kind },
      texel: (x, y) => grey((x + y) % 2 === 0 ? 255 : 0),
    });
    const [colour, data] = [tableOf(checker('color')), tableOf(checker('data'))];
    // half of the light has the code 188
    expect(colour.texels[colour.table[7]]).toBe(188);
    expect(Math.abs(read(colour, 0.3, 0.3, 3)[0] - 0.5)).toBeLessThan(0.005);
    expect(Math.abs(read(data, 0.3, 0.3, 3)[0] - 0.5)).toBeLessThan(0.005);
  });

  it('that is cut out keeps the colour of what is there, and as much of it at every size', () => {
    const random = randomStream(9);
    const leaf = tableOf({
      ...{ width: 64, height: 64, kind: 'color', cutoff: 0.5 },
      // green where it is there, magenta where it is not
      texel: () => (random() < 0.4 ? [40, 160, 30, 255] : [255, 0, 255, 0]),
    });
    const { texels, table } = leaf;
    for (let level = 1; level < 5; level++) {
      const [offset, width, height] = table.subarray(4 + level * 3, 7 + level * 3);
      const level8 = texels.subarray(offset, offset + width * height * 4);
      const alphas = Array.from({ length: width * height }, (_, i) => level8[i * 4 + 3]);
      const passed = alphas.filter((a) => a >= 127.5).length / alphas.length;
      expect(Math.abs(passed - 0.4)).toBeLessThan(0.15);
      // without the cutoff's remedy almost nothing would pass any more
      if (level === 1) for (let i = 0; i < alphas.length; i++) if (alphas[i] > 0) expect(level8[i * 4]).toBe(40);
    }
  });

  it('of normals keeps how much they were spread as a shorter length', () => {
    const tilt = (angle: number): Texel => [
      Math.round(127.5 + 127.5 * Math.sin(angle)),
      128,
      Math.round(127.5 + 127.5 * Math.cos(angle)),
      255,
    ];
    const { texels, table } = tableOf({
      ...{ width: 2, height: 2, kind: 'normal' },
      texel: (x) => tilt(x === 0 ? 0.6 : -0.6),
    });
    const [offset] = table.subarray(7, 8);
    const mean = texels.subarray(offset, offset + 4);
    // two normals 0.6 to either side have a mean of length cos 0.6, straight up
    expect(Math.abs(mean[3] / 255 - Math.cos(0.6))).toBeLessThan(0.01);
    expect([mean[0], mean[2]].map((c) => Math.abs(c - 127.5) > 120)).toEqual([false, true]);
  });
});

describe('a table without its fine levels', () => {
  const large: Drawn = { width: 1024, height: 512, texel: (x, y) => grey((x >> 6) * 8 + (y >> 7) * 3) };
  const both = tableOf({ ...large }, row);
  const coarse = { texels: both.texels, table: coarseTextures(both.table) };

  it('reads only what lies at the beginning', () => {
    const end = coarseBytes(both.table);
    expect(end).toBeLessThan(both.texels.length / 3);
    const cut = { ...coarse, texels: both.texels.slice(0, end) };
    for (const texture of [0, 1])
      for (const lod of [0, 1.5, 7])
        expect(read(cut, 0.3, 0.6, lod, texture)).toEqual(read(coarse, 0.3, 0.6, lod, texture));
  });

  it('shows what the whole one shows at that size, and small textures as they are', () => {
    // 1024 × 512 is halved once and once more before it is coarse
    expect(both.table[0] - coarse.table[0]).toBe(2);
    for (const lod of [0, 0.5, 3]) expect(read(coarse, 0.31, 0.62, lod)).toEqual(read(both, 0.31, 0.62, lod + 2));
    expect(read(coarse, 0.31, 0.5, 0, 1)).toEqual(read(both, 0.31, 0.5, 0, 1));
  });
});
