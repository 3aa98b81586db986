import { encode } from 'fast-png';
import fc from 'fast-check';
import jpeg from 'jpeg-js';
import { deflateSync, inflateSync } from 'node:zlib';
import { describe, expect, it, vi } from 'vitest';
import { BadFileError } from '@daxel/core/errors';
import type { ImageSource } from '@daxel/core/scene/source';
import { encodePng16, encodePng8 } from '../png/displayPng';
import { imageSize, lazyImage } from './decodeImage';
import { randomStream } from '@daxel/core/math/random';
import { cases } from '@daxel/core/testing/cases';

const gradient = (channels: number, depth: 8 | 16 = 8): Uint8Array => {
  const top = depth === 8 ? 255 : 65535;
  const values = Array.from({ length: 4 * 2 * channels }, (_, i) => Math.round((i / (8 * channels)) * top));
  const data = depth === 8 ? Uint8Array.from(values) : Uint16Array.from(values);
  return encode({ width: 4, height: 2, channels: channels as 1, depth, data });
};

/** A PNG of rows that so many filters predict. @param byte makes what is left of them @param parts that its contents come in */
function pngOf(channels: number, width: number, filters: number[], byte: () => number, parts = 1): Uint8Array {
  const rows = filters.flatMap((f) => [f, ...Array.from({ length: width * channels }, () => Math.floor(byte()))]);
  const packed = new Uint8Array(deflateSync(Uint8Array.from(rows)));
  const each = Math.ceil(packed.length / parts);
  const head = new Uint8Array(13);
  new DataView(head.buffer).setUint32(0, width);
  new DataView(head.buffer).setUint32(4, filters.length);
  head.set([8, [0, 0, 4, 2, 6][channels]], 8);
  const chunks: [string, Uint8Array][] = [['IHDR', head]];
  for (let at = 0; at < packed.length; at += each) chunks.push(['IDAT', packed.subarray(at, at + each)]);
  chunks.push(['IEND', new Uint8Array(0)]);
  const written = chunks.flatMap(([type, data]) => {
    const body = [...new TextEncoder().encode(type), ...data];
    // nobody looks at the sums of chunks
    return [...numberBytes(data.length), ...body, 0, 0, 0, 0];
  });
  return Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, ...written);
}

function numberBytes(n: number): number[] {
  return [n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255];
}

/** Unpacked at once. */
const decodeImage = (...asked: Parameters<typeof lazyImage>): ImageSource => ({ ...lazyImage(...asked) });

describe('pictures for textures', () => {
  it.each([1, 2, 3, 4])('as PNG with %i channels come out as rgba', (channels) => {
    const { width, height, pixels } = decodeImage(gradient(channels), 'x');
    expect([width, height, pixels.length]).toEqual([4, 2, 32]);
    const second = (c: number): number => Math.round(((channels + c) / (8 * channels)) * 255);
    expect(pixels[4]).toBe(second(0));
    expect(pixels[6]).toBe(second(channels < 3 ? 0 : 2));
    expect(pixels[7]).toBe(channels % 2 === 0 ? second(channels - 1) : 255);
  });

  it('with 16 bits keep their upper half', () => {
    const { pixels } = decodeImage(gradient(3, 16), 'x');
    expect(pixels[4]).toBe(Math.round((3 / 24) * 65535) >> 8);
  });

  it('as plain PNG are unpacked with an inflater of the place as by the library, whatever predicts their rows', () => {
    const inflate = vi.fn((packed: Uint8Array) => new Uint8Array(inflateSync(packed)));
    fc.assert(
      fc.property(
        fc.constantFrom(1, 2, 3, 4),
        fc.integer({ min: 1, max: 9 }),
        fc.array(fc.integer({ min: 0, max: 4 }), { minLength: 1, maxLength: 12 }),
        fc.integer({ min: 1, max: 4 }),
        fc.integer(),
        (channels, width, filters, parts, seed) => {
          const next = randomStream(seed);
          const bytes = pngOf(channels, width, filters, () => next() * 256, parts);
          expect(decodeImage(bytes, 'x', inflate)).toEqual(decodeImage(bytes, 'x'));
        },
      ),
      { numRuns: cases(200) },
    );
    expect(inflate).toHaveBeenCalled();
  });

  it('of other kinds go to the library', () => {
    const never = (): never => {
      throw new Error('not of that kind');
    };
    expect(decodeImage(gradient(3, 16), 'x', never)).toEqual(decodeImage(gradient(3, 16), 'x'));
  });

  it.each<[string, Uint8Array, RegExp]>([
    ['with a filter that does not exist', pngOf(3, 2, [0, 5], () => 9), /a row has the filter 5/],
    [
      'that end too early',
      withSize(
        pngOf(3, 2, [0, 0], () => 9),
        2,
        3,
      ),
      /its contents end too early/,
    ],
  ])('%s are damaged', (_name, bytes, expected) => {
    const lazy = lazyImage(bytes, 'wall.png', (packed) => new Uint8Array(inflateSync(packed)));
    expect([lazy.width, lazy.name]).toEqual([2, 'wall.png']);
    expect(() => lazy.pixels).toThrow(expected);
    expect(() => lazy.pixels).toThrow(BadFileError);
  });

  it('as JPEG are near what was stored', () => {
    const data = new Uint8Array(16 * 16 * 4).fill(180);
    const bytes = new Uint8Array(jpeg.encode({ width: 16, height: 16, data }, 95).data);
    expect(imageSize(bytes)).toEqual({ kind: 'jpeg', width: 16, height: 16 });
    const { pixels } = decodeImage(bytes, 'x');
    expect(Math.abs(pixels[0] - 180)).toBeLessThan(4);
    expect(pixels[3]).toBe(255);
  });

  it.each<[string, Uint8Array, RegExp]>([
    ['nothing', new Uint8Array(0), /neither PNG nor JPEG/],
    ['another format', new TextEncoder().encode('RIFF....WEBPVP8 and so on'), /neither PNG nor JPEG/],
    ['a PNG of no size', withSize(gradient(3), 0, 2), /empty/],
    ['a PNG that claims to be huge', withSize(gradient(3), 100_000, 100_000), /100000×100000/],
    ['a PNG cut short', gradient(3).slice(0, 50), /damaged/],
  ])('that are %s are refused with their name', (_name, bytes, expected) => {
    expect(() => decodeImage(bytes, 'wall.png')).toThrow(BadFileError);
    expect(() => decodeImage(bytes, 'wall.png')).toThrow(/^wall\.png: /);
    expect(() => decodeImage(bytes, 'wall.png')).toThrow(expected);
  });

  it('changed at random are read or refused, nothing else', () => {
    const png = gradient(4);
    const jpg = new Uint8Array(jpeg.encode({ width: 8, height: 8, data: new Uint8Array(256).fill(90) }, 80).data);
    fc.assert(
      fc.property(
        fc.constantFrom(png, jpg),
        fc.array(fc.tuple(fc.nat(200), fc.nat(255)), { minLength: 1, maxLength: 6 }),
        (good, changes) => {
          const bytes = good.slice();
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          try {
            decodeImage(bytes, 'fuzz');
          } catch (error) {
            expect(error).toBeInstanceOf(BadFileError);
          }
        },
      ),
      { numRuns: cases(800) },
    );
  });
});

describe('finished pictures', () => {
  it('go out as PNG of 8 and 16 bits and come back', () => {
    const rgba = Uint8Array.from({ length: 3 * 2 * 4 }, (_, i) => i * 10);
    const eight = decodeImage(encodePng8(rgba, 3, 2), 'x').pixels;
    for (let i = 0; i < 6; i++)
      expect([...eight.subarray(i * 4, i * 4 + 3)]).toEqual([...rgba.subarray(i * 4, i * 4 + 3)]);
    const codes = Uint16Array.from({ length: 18 }, (_, i) => i * 3600);
    const sixteen = decodeImage(encodePng16(codes, 3, 2), 'x').pixels;
    expect(sixteen[4]).toBe((3 * 3600) >> 8);
  });
});

function withSize(png: Uint8Array, width: number, height: number): Uint8Array {
  const bytes = png.slice();
  const view = new DataView(bytes.buffer);
  view.setUint32(16, width);
  view.setUint32(20, height);
  return bytes;
}
