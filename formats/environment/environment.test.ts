import { deflateSync, inflateSync } from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import type { EnvironmentPicture } from '@daxel/core/scene/source';
import { writeExr } from '../exr/writeExr';
import { readEnvironment as readWith, TooWideError } from './readEnvironment';
import { packPicture, unpackPicture } from './storedPicture';
import { cases } from '@daxel/core/testing/cases';

const readEnvironment = (bytes: Uint8Array, name: string, width?: number) =>
  readWith(bytes, name, (b, maxOutputLength) => inflateSync(b, { maxOutputLength }), width);

function gradient(width: number): EnvironmentPicture {
  const height = width / 2;
  const rgb = new Float32Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    rgb[i * 3] = (i % width) / width;
    rgb[i * 3 + 1] = Math.floor(i / width) / height;
    rgb[i * 3 + 2] = 20;
  }
  return { width, height, rgb };
}

/** One colour as red, green, blue and exponent. */
function rgbe(r: number, g: number, b: number): number[] {
  const top = Math.max(r, g, b);
  if (top < 1e-32) return [0, 0, 0, 0];
  const e = Math.ceil(Math.log2(top) + 1e-9);
  const scale = 256 / 2 ** e;
  return [r, g, b].map((v) => Math.min(255, Math.floor(v * scale))).concat(e + 128);
}

/** @param coded with runs, as most programs write them, or plain */
function writeHdr({ width, height, rgb }: EnvironmentPicture, coded: boolean, head = ''): Uint8Array {
  const bytes = [
    ...new TextEncoder().encode(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n${head}\n-Y ${height} +X ${width}\n`),
  ];
  for (let y = 0; y < height; y++) {
    const pixels = Array.from({ length: width }, (_, x) =>
      rgbe(rgb[(y * width + x) * 3], rgb[(y * width + x) * 3 + 1], rgb[(y * width + x) * 3 + 2]),
    );
    if (!coded) {
      bytes.push(...pixels.flat());
      continue;
    }
    bytes.push(2, 2, width >> 8, width & 255);
    for (let c = 0; c < 4; c++) {
      for (let x = 0; x < width;) {
        let run = 1;
        while (run < 127 && x + run < width && pixels[x + run][c] === pixels[x][c]) run++;
        if (run > 2) bytes.push(128 + run, pixels[x][c]);
        else bytes.push(1, pixels[x][c]);
        x += run > 2 ? run : 1;
      }
    }
  }
  return Uint8Array.from(bytes);
}
const exrOf = ({ width, height, rgb }: EnvironmentPicture): Uint8Array =>
  writeExr({
    width,
    height,
    channels: ['R', 'G', 'B'].map((name, offset) => ({ name, data: rgb, stride: 3, offset })),
    pixelType: 'float',
    deflate: (b) => deflateSync(b),
  });
const near = (a: EnvironmentPicture, b: EnvironmentPicture, relative: number): void => {
  expect([a.width, a.height]).toEqual([b.width, b.height]);
  // a common exponent leaves small channels the steps of the largest
  a.rgb.forEach((v, i) => {
    const top = Math.max(...b.rgb.subarray(i - (i % 3), i - (i % 3) + 3));
    expect(Math.abs(v - b.rgb[i])).toBeLessThanOrEqual(top * relative);
  });
};

/** A wide coded picture: red steps every 64 pixels, green alternates line by line. */
function writeWideHdr(width: number): Uint8Array {
  const runs = width / 64;
  const line = (green: number): number[] => [
    ...[2, 2, width >> 8, width & 255],
    ...Array.from({ length: runs }, (_, i) => [192, (i % 100) + 20]).flat(),
    ...Array.from({ length: runs }, () => [192, green]).flat(),
    ...Array.from({ length: runs }, () => [192, 0]).flat(),
    ...Array.from({ length: runs }, () => [192, 128]).flat(),
  ];
  const head = new TextEncoder().encode(`#?RADIANCE\n\n-Y ${width / 2} +X ${width}\n`);
  const [odd, even] = [Uint8Array.from(line(40)), Uint8Array.from(line(80))];
  const bytes = new Uint8Array(head.length + (odd.length * width) / 2);
  bytes.set(head);
  for (let y = 0; y < width / 2; y++) bytes.set(y % 2 === 0 ? odd : even, head.length + y * odd.length);
  return bytes;
}

describe('pictures of all directions', () => {
  it('come in from .hdr, coded in runs or plain', () => {
    const picture = gradient(64);
    for (const coded of [true, false])
      near(readEnvironment(writeHdr(picture, coded), 'a.hdr').picture, picture, 1 / 128);
  });

  it('are divided by the exposure that the file states', () => {
    const bright = readEnvironment(writeHdr(gradient(32), true, 'EXPOSURE=4\n'), 'a.hdr').picture;
    expect(bright.rgb[2]).toBeCloseTo(5, 1);
  });

  it('come in from .exr with their rows the right way up', () => {
    const picture = gradient(64);
    near(readEnvironment(exrOf(picture), 'a.exr').picture, picture, 1e-6);
  });

  it('that are wide state their memory, offer a size, and come in at that size', () => {
    const wide = writeWideHdr(8192);
    let offered = 0;
    try {
      readEnvironment(wide, 'wide.hdr');
    } catch (error) {
      expect(error).toBeInstanceOf(TooWideError);
      expect((error as Error).message).toBe(
        'wide.hdr: 8192×4096 pixels would take 403 MB of memory. It can be brought in at 4096×2048 (101 MB).',
      );
      offered = (error as TooWideError).offered;
    }
    const { picture } = readEnvironment(wide, 'wide.hdr', offered / 8);
    expect(picture.width).toBe(512);
    // sixteen pixels of one run each, and the mean of two lines that differ
    const value = (x: number): number => ((x % 100) + 20) / 256;
    expect(picture.rgb[(100 * 512 + 100) * 3]).toBeCloseTo(value(25), 3);
    expect(picture.rgb[(100 * 512 + 100) * 3 + 1]).toBeCloseTo((40 / 256 + 80 / 256) / 2, 3);
  });

  it.each([
    ['is not 2:1', exrOf({ width: 30, height: 20, rgb: new Float32Array(1800) }), /30×20.*twice as wide as high/],
    ['is no picture', new TextEncoder().encode('hello there, no picture'), /neither/],
    ['is cut short', writeHdr(gradient(64), false).slice(0, 5000), /line \d+ of 32/],
    ['has no end of its header', new TextEncoder().encode('#?RADIANCE\nFORMAT=32-bit_rle_rgbe'), /header/],
    ['is tiny', exrOf(gradient(8)), /only 8×4/],
    ['is not what its compression says', compressedBy(4), /damaged at line 1/],
    ['is compressed in a way nobody knows', compressedBy(10), /unknown method/],
    ['claims to be endless', wideExrHeader(2 ** 30), /claims/],
  ])('are refused when one %s', (_name, bytes, expected) => {
    expect(() => readEnvironment(bytes, 'x')).toThrow(BadFileError);
    expect(() => readEnvironment(bytes, 'x')).toThrow(expected);
  });

  it('with negative, infinite or missing values are repaired, and it is said', () => {
    const picture = gradient(16);
    picture.rgb.set([-3, Infinity, NaN], 30);
    const { picture: read, notes } = readEnvironment(exrOf(picture), 'x.exr');
    expect([...read.rgb.subarray(30, 33)]).toEqual([0, 20, 0]);
    expect(notes.join(' ')).toMatch(/1 negative.*2 values/);
    expect(read.rgb.every((v) => v >= 0 && v < Infinity)).toBe(true);
  });

  it('are kept and sent unchanged', () => {
    const picture = gradient(32);
    const bytes = packPicture(picture);
    expect(unpackPicture(bytes.buffer as ArrayBuffer)).toEqual(picture);
    expect(() => unpackPicture(bytes.slice(0, 100).buffer)).toThrow(BadFileError);
  });

  it('that are damaged anywhere give one clear error or a picture, never a crash', () => {
    const files = [writeHdr(gradient(32), true), exrOf(gradient(32))];
    fc.assert(
      fc.property(
        fc.constantFrom(0, 1),
        fc.array(fc.tuple(fc.nat(), fc.nat(255)), { minLength: 1, maxLength: 6 }),
        fc.nat(),
        (k, changes, cut) => {
          let bytes = files[k].slice();
          for (const [at, value] of changes) bytes[at % bytes.length] = value;
          if (cut % 3 === 0) bytes = bytes.slice(0, cut % bytes.length);
          try {
            const { picture } = readEnvironment(bytes, 'x', 64);
            expect(picture.rgb.every((v) => v >= 0 && v < Infinity)).toBe(true);
          } catch (error) {
            expect(error).toBeInstanceOf(DaxelError);
          }
        },
      ),
      { numRuns: cases(2000) },
    );
  });
});

/** An .exr that says it is compressed by another method. */
function compressedBy(method: number): Uint8Array {
  const bytes = exrOf(gradient(16));
  bytes[new TextDecoder('latin1').decode(bytes).indexOf('compression\0') + 'compression\0compression\0'.length + 4] =
    method;
  return bytes;
}

/** The first bytes of an .exr of a size, as far as its data window. */
function wideExrHeader(width: number): Uint8Array {
  const bytes = exrOf(gradient(16));
  const at = new TextDecoder('latin1').decode(bytes).indexOf('dataWindow') + 'dataWindow\0box2i\0'.length + 4;
  const view = new DataView(bytes.buffer);
  view.setInt32(at + 8, width - 1, true);
  view.setInt32(at + 12, width / 2 - 1, true);
  return bytes;
}
