import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateSync, inflateSync } from 'node:zlib';
import fc from 'fast-check';
import { FloatType, HalfFloatType } from 'three';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { DataUtils } from 'three';
import { afterAll, describe, expect, it } from 'vitest';
import { readPicture } from '../image/readPicture';
import { fromHalf, toHalf } from './half';
import { readExrHeader } from './exrHeader';
import { readExrLines } from './readExr';
import { readShutter, shutterText } from './shutterAttribute';
import { writeExr, type ExrOptions } from './writeExr';
import { cases } from '@daxel/core/testing/cases';

const dir = mkdtempSync(join(tmpdir(), 'daxel-exr-'));
afterAll(() => rmSync(dir, { recursive: true }));

const width = 37;
const height = 41;
const value = (x: number, y: number, c: number): number =>
  c === 3 ? 1 : Math.exp((x - 18) * 0.4) * (1 + y) * (c + 1) * 0.01 - (x === 5 ? 0.25 : 0);
function picture(pixelType: 'half' | 'float', more: Partial<ExrOptions> = {}): ExrOptions {
  const data = new Float32Array(width * height * 4);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) for (let c = 0; c < 4; c++) data[(y * width + x) * 4 + c] = value(x, y, c);
  return {
    width,
    height,
    pixelType,
    channels: ['R', 'G', 'B', 'A'].map((name, offset) => ({ name, data, stride: 4, offset })),
    deflate: (bytes) => deflateSync(bytes),
    ...more,
  };
}

describe('EXR files', () => {
  it.each([
    ['float', FloatType, 1e-7],
    ['half', HalfFloatType, 1 / 1024],
  ] as const)('with %s pixels are read back by an independent reader', (pixelType, type, tolerance) => {
    const file = writeExr(picture(pixelType));
    const loader = new EXRLoader();
    loader.setDataType(type);
    const read = loader.parse(file.buffer.slice(file.byteOffset, file.byteOffset + file.byteLength) as ArrayBuffer) as {
      width: number;
      height: number;
      data: Float32Array | Uint16Array;
    };
    expect([read.width, read.height]).toEqual([width, height]);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let c = 0; c < 4; c++) {
          // that reader gives rows from the bottom
          const raw = read.data[((height - 1 - y) * width + x) * 4 + c];
          const got = type === HalfFloatType ? DataUtils.fromHalfFloat(raw) : raw;
          expect(Math.abs(got - value(x, y, c))).toBeLessThanOrEqual(tolerance * Math.abs(value(x, y, c)) + 1e-7);
        }
  });

  it('with layers are accepted by the reference tool, with every channel and ZIP', () => {
    const data = new Float32Array(width * height).fill(2);
    const path = join(dir, 'layers.exr');
    const names = [
      'R',
      'G',
      'B',
      'direct.R',
      'depth.Z',
      'objectId.Y',
      'a.very.long.channel.name.of.more.than.thirty-one.letters',
    ];
    const channels = names.map((name) => ({ name, data, alwaysFloat: name === 'depth.Z' }));
    writeFileSync(path, writeExr(picture('half', { channels, attributes: { recipeHash: 'abc123' } })));
    const text = execFileSync('exrheader', [path], { encoding: 'utf8' });
    for (const name of names) expect(text).toContain(name);
    expect(text).toMatch(/depth\.Z, 32-bit floating-point/);
    expect(text).toMatch(/direct\.R, 16-bit floating-point/);
    expect(text).toMatch(/zip, individual blocks|zip/i);
    expect(text).toContain('abc123');
  });

  it('refuse empty sizes and short channels', () => {
    expect(() => writeExr(picture('half', { width: 0 }))).toThrow('0×41');
    expect(() => writeExr(picture('half', { height: 42 }))).toThrow('shorter');
  });
});

describe('lines of EXR files', () => {
  const plane = (c: number): Float32Array =>
    Float32Array.from({ length: width * height }, (_, i) => value(i % width, Math.floor(i / width), c));
  // wide numbers after narrow ones in lines of an odd width: nothing lies at a multiple of its size
  const channels = [
    { name: 'A', data: plane(0) },
    { name: 'B', data: plane(1), alwaysFloat: true },
    { name: 'C', data: plane(2) },
    { name: 'D', data: plane(1), alwaysFloat: true },
  ];

  it('come back as they were written, wide and narrow numbers beside each other, but for those passed over', () => {
    const file = writeExr(picture('half', { channels }));
    // as a part of something larger, at an odd place
    const padded = new Uint8Array(file.length + 1);
    padded.set(file, 1);
    const bytes = padded.subarray(1);
    const inflate = (packed: Uint8Array, maxOutputLength: number) => inflateSync(packed, { maxOutputLength });
    const wanted = [true, true, false, true];
    const read = channels.map(() => new Float32Array(width * height));
    readExrLines(bytes, 'x.exr', readExrHeader(bytes, 'x.exr'), inflate, wanted, (y, rows) => {
      expect(rows[2]).toHaveLength(0);
      wanted.forEach((w, c) => w && read[c].set(rows[c], y * width));
    });
    expect(read[0]).toEqual(plane(0).map((v) => fromHalf(toHalf(v))));
    expect(read[1]).toEqual(plane(1));
    expect(read[3]).toEqual(plane(1));
  });
});

describe('the attribute of the shutter', () => {
  const read = (daxelShutter: string) =>
    readShutter(readExrHeader(writeExr(picture('half', { attributes: { daxelShutter } })), 'f.exr').texts.daxelShutter);
  it('goes there and back, and is nothing where it says nothing that can be', () => {
    expect(read(shutterText({ instants: 16, open: 0.5 }))).toEqual({ instants: 16, open: 0.5 });
    for (const text of ['', 'sixteen', '0 0.5', '2.5 0.5', '4 0', '4 1.5', '4', '1e9 0.5', '4 NaN'])
      expect(read(text)).toBe(undefined);
    expect(readShutter(undefined)).toBe(undefined);
  });
});

describe('half floats', () => {
  it('go there and back unchanged, all of them', () => {
    for (let h = 0; h < 65536; h++) {
      const v = fromHalf(h);
      if (Number.isNaN(v)) expect(Number.isNaN(fromHalf(toHalf(v)))).toBe(true);
      else expect(toHalf(v)).toBe(h);
    }
  });

  it('are the nearest ones', () => {
    fc.assert(
      fc.property(fc.double({ min: -65000, max: 65000, noNaN: true }), (x) => {
        const v = Math.fround(x);
        const h = toHalf(v);
        const error = Math.abs(fromHalf(h) - v);
        const lower = h & 0x7fff ? Math.abs(fromHalf(h - 1) - v) : Infinity;
        expect(error).toBeLessThanOrEqual(Math.min(lower, Math.abs(fromHalf(h + 1) - v)));
      }),
      { numRuns: cases(3000) },
    );
  });
});

describe('EXR files without compression', () => {
  it('are read at any place in memory, as a Buffer too', () => {
    // a comment of odd length moves the data off every multiple of four
    for (const text of ['', 'a', 'ab', 'abc']) {
      // what does not shrink is kept as it is
      const deflate = (bytes: Uint8Array): Uint8Array => new Uint8Array(bytes.length * 2);
      const file = writeExr(picture('float', { deflate, attributes: { comment: text } }));
      const moved = Buffer.alloc(file.length + 1);
      moved.set(file, 1);
      for (const bytes of [file, Buffer.from(file), moved.subarray(1)]) {
        const read = readPicture(bytes, 'plain.exr', (packed) => inflateSync(packed));
        expect(Math.abs(read.rgb[3 * 7] - value(7, 0, 0))).toBeLessThan(1e-6 * Math.abs(value(7, 0, 0)) + 1e-9);
      }
    }
  });
});
