import { deflateSync, inflateSync } from 'node:zlib';
import { encode } from 'fast-png';
import { describe, expect, it } from 'vitest';
import { luminance, srgbToLinear } from '@daxel/core/math/color';
import { writeExr, type ExrChannel } from '../exr/writeExr';
import { SHUTTER_ATTRIBUTE, shutterText } from '../exr/shutterAttribute';
import { readPicture } from './readPicture';

const [WIDTH, HEIGHT] = [21, 18];
const PIXELS = WIDTH * HEIGHT;
const inflate = (packed: Uint8Array, maxOutputLength: number): Uint8Array => inflateSync(packed, { maxOutputLength });
/** A plane whose numbers tell it from every other. */
const plane = (seed: number): Float32Array => Float32Array.from({ length: PIXELS }, (_, i) => seed + i / 64);
const channel = (name: string, seed: number): ExrChannel => ({ name, data: plane(seed) });
const colours = ['R', 'G', 'B'].map((c, k) => channel(c, k));
const exr = (channels: readonly ExrChannel[], attributes: Record<string, string> = {}): Uint8Array =>
  writeExr({
    ...{ width: WIDTH, height: HEIGHT, channels, pixelType: 'float', attributes },
    deflate: (bytes) => deflateSync(bytes),
  });
const layer = (name: string, seed: number): ExrChannel[] =>
  ['R', 'G', 'B'].map((c, k) => channel(`${name}.${c}`, seed + k * 0.25));

describe('an OpenEXR picture', () => {
  it('is its colours, a pixel after the other', () => {
    const { rgb, width, height, tone, motion, ids, light, error } = readPicture(exr(colours), 'a.exr', inflate);
    expect([width, height, tone, motion, ids, light, error]).toEqual([
      ...[WIDTH, HEIGHT, 'neutral', undefined, undefined, undefined, undefined],
    ]);
    for (let c = 0; c < 3; c++) expect(rgb.filter((_, i) => i % 3 === c)).toEqual(plane(c));
  });

  it('in one channel is grey, and without any is refused', () => {
    const { rgb } = readPicture(exr([channel('Y', 5)]), 'y.exr', inflate);
    expect([...rgb.subarray(0, 6)]).toEqual([5, 5, 5, 5 + 1 / 64, 5 + 1 / 64, 5 + 1 / 64]);
    expect(() => readPicture(exr([channel('depth.Z', 1)]), 'z.exr', inflate)).toThrow(
      'z.exr: it has no channels R, G and B. Save the beauty layer as R, G, B.',
    );
  });

  it('says how sure its light is where the renderer knew', () => {
    expect(readPicture(exr([...colours, channel('error.Y', 3)]), 'e.exr', inflate).error).toEqual(plane(3));
  });

  it('gives what its flicker is measured with when that is asked for, and only then', () => {
    const moving = [...colours, channel('motion.X', 7), channel('motion.Y', 9), channel('objectId.Y', 11)];
    const bytes = exr(moving, { [SHUTTER_ATTRIBUTE]: shutterText({ instants: 8, open: 0.5 }) });
    const asked = readPicture(bytes, 'm.exr', inflate, true);
    expect(asked.motion!.filter((_, i) => i % 2 === 0)).toEqual(plane(7));
    expect(asked.motion!.filter((_, i) => i % 2 === 1)).toEqual(plane(9));
    expect(asked.ids).toEqual(plane(11));
    expect(asked.shutter).toEqual({ instants: 8, open: 0.5 });
    const plain = readPicture(bytes, 'm.exr', inflate);
    expect([plain.motion, plain.ids, plain.shutter]).toEqual([undefined, undefined, undefined]);
    expect(plain.rgb).toEqual(asked.rgb);
    // half of the vectors are none
    expect(readPicture(exr(moving.slice(0, 4)), 'h.exr', inflate, true).motion).toBe(undefined);
  });

  it('tells what its light is made of when every part of it is there', () => {
    const names = ['direct', 'bounce', 'reflection', 'emission'];
    const parts = names.flatMap((name, k) => layer(name, k));
    const { light } = readPicture(exr([...colours, ...parts, channel('shadow.Y', 20)]), 'l.exr', inflate, true);
    expect(light!.lit).toEqual(plane(20));
    names.forEach((name, k) => {
      const sums = light!.layers[name as keyof NonNullable<typeof light>['layers']];
      for (const i of [0, 50, PIXELS - 1]) {
        const [r, g, b] = [0, 0.25, 0.5].map((more) => Math.fround(k + more + i / 64));
        expect(sums[i]).toBeCloseTo(luminance(r, g, b), 5);
      }
    });
    expect(readPicture(exr([...colours, ...parts]), 'n.exr', inflate, true).light).toBe(undefined);
  });

  it('that is cut short says where', () => {
    const bytes = exr(colours);
    expect(() => readPicture(bytes.subarray(0, bytes.length - 40), 'c.exr', inflate)).toThrow(
      /^c\.exr: its data is cut short or damaged at line 17 of 18/,
    );
  });
});

describe('a PNG picture', () => {
  const png = (channels: number, depth: 8 | 16, data: Uint8Array | Uint16Array): Uint8Array =>
    encode({ width: 2, height: 1, channels, depth, data });

  it.each<[string, Uint8Array, number[]]>([
    ['colours', png(3, 8, Uint8Array.of(0, 128, 255, 51, 102, 204)), [0, 128, 255, 51, 102, 204].map((v) => v / 255)],
    [
      'colours and alpha',
      png(4, 8, Uint8Array.of(10, 20, 30, 0, 40, 50, 60, 255)),
      [10, 20, 30, 40, 50, 60].map((v) => v / 255),
    ],
    ['grey', png(1, 8, Uint8Array.of(64, 192)), [64, 64, 64, 192, 192, 192].map((v) => v / 255)],
    [
      '16 bit',
      png(3, 16, Uint16Array.of(0, 1, 65535, 257, 40000, 3)),
      [0, 1, 65535, 257, 40000, 3].map((v) => v / 65535),
    ],
  ])('of %s is decoded from sRGB, and shown as it is', (_name, bytes, codes) => {
    const { rgb, tone } = readPicture(bytes, 'a.png', inflate);
    expect(tone).toBe('none');
    codes.forEach((code, i) => expect(rgb[i]).toBeCloseTo(srgbToLinear(code), 6));
  });

  it('that is damaged, or no picture at all, is refused by name', () => {
    const bytes = png(3, 8, Uint8Array.of(1, 2, 3, 4, 5, 6));
    expect(() => readPicture(bytes.subarray(0, 45), 'd.png', inflate)).toThrow(/^d\.png: the picture is damaged/);
    expect(() => readPicture(new TextEncoder().encode('no picture'), 'n.txt', inflate)).toThrow(
      'n.txt: it is neither a PNG nor an OpenEXR picture. Save it as one.',
    );
  });
});
