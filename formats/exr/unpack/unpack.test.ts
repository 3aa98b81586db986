import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateSync, inflateSync } from 'node:zlib';
import fc from 'fast-check';
import { BadFileError } from '@daxel/core/errors';
import { randomStream } from '@daxel/core/math/random';
import { afterAll, describe, expect, it } from 'vitest';
import { readPicture } from '../../image/readPicture';
import { readExrHeader } from '../exrHeader';
import { readExrLines } from '../readExr';
import { writeExr } from '../writeExr';
import { linesPerBlock } from './unpackBlock';
import { cases } from '@daxel/core/testing/cases';

const dir = mkdtempSync(join(tmpdir(), 'daxel-unpack-'));
afterAll(() => rmSync(dir, { recursive: true }));

const [width, height] = [53, 77];
const random = randomStream(5);
const NAMES = ['A', 'B', 'G', 'R', 'depth.Z', 'glow.B', 'glow.G', 'glow.R', 'objectId.Y'] as const;
/** Smooth, with grain, flat squares and a few values that stand out; whole numbers and halves. */
function plane(c: number): Float32Array {
  return Float32Array.from({ length: width * height }, (_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    if (c === 0) return y < 40 ? 1 : 0.25;
    if (c === 8) return Math.floor(x / 9) + 100 * Math.floor(y / 9);
    if (x < 12 && y < 12) return 0.5;
    const bright = x === 30 && y % 7 === 0 ? 900 : 1;
    return (0.2 + 0.1 * c + 0.15 * Math.sin(x * 0.2 + c) * Math.cos(y * 0.13)) * bright * (0.98 + 0.04 * random());
  });
}
const planes = NAMES.map((_, c) => plane(c));
const FLOATS = new Set(['depth.Z', 'objectId.Y']);
const source = join(dir, 'source.exr');
writeFileSync(
  source,
  writeExr({
    width,
    height,
    pixelType: 'half',
    channels: NAMES.map((name, c) => ({ name, data: planes[c], alwaysFloat: FLOATS.has(name) })),
    deflate: (bytes) => deflateSync(bytes),
  }),
);

const KINDS = ['none', 'rle', 'zip', 'piz', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab'];
const CODES = [0, 1, 3, 4, 5, 6, 7, 8, 9];

const inflate = (packed: Uint8Array, maxOutputLength: number) => inflateSync(packed, { maxOutputLength });

/** All channels, by name. */
function read(bytes: Uint8Array): Map<string, Float32Array> {
  const header = readExrHeader(bytes, 'x.exr');
  const out = header.channels.map(() => new Float32Array(header.width * header.height));
  const wanted = out.map(() => true);
  readExrLines(bytes, 'x.exr', header, inflate, wanted, (y, rows) =>
    rows.forEach((row, c) => out[c].set(row, y * header.width)),
  );
  return new Map(header.channels.map((c, i) => [c.name, out[i]]));
}

/** By the reference tool of the format. */
function tiled(from: string, kind: string, tileWidth: number, tileHeight: number, ...more: string[]): string {
  const to = join(dir, `${kind}-${tileWidth}-${tileHeight}${more.join('')}-of-${from.split('/').pop()}`);
  execFileSync('exrmaketiled', ['-z', kind, '-t', `${tileWidth}`, `${tileHeight}`, ...more, from, to]);
  return to;
}

/** The reference tool unpacks its own file; what it then writes without compression is the truth. */
const truthOf = (path: string): Map<string, Float32Array> => read(readFileSync(tiled(path, 'none', 512, 512)));

/** Tiles as wide as the picture and as high as a block hold what the blocks of a file of scan lines hold. */
function inScanLines(bytes: Uint8Array): Uint8Array {
  const header = readExrHeader(bytes, 'x');
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  const lines = header.tile!.height;
  const blocks = Math.ceil(header.height / lines);
  const table = new DataView(new ArrayBuffer(blocks * 8));
  const chunks: Uint8Array[] = [];
  let at = header.table + blocks * 8;
  for (let b = 0; b < blocks; b++) {
    const from = Number(view.getBigUint64(header.table + b * 8, true));
    const size = view.getInt32(from + 16, true);
    const chunk = new DataView(new ArrayBuffer(8 + size));
    chunk.setInt32(0, b * lines, true);
    chunk.setInt32(4, size, true);
    new Uint8Array(chunk.buffer).set(bytes.subarray(from + 20, from + 20 + size), 8);
    table.setBigUint64(b * 8, BigInt(at), true);
    at += 8 + size;
    chunks.push(new Uint8Array(chunk.buffer));
  }
  const head = Uint8Array.from(bytes.subarray(0, header.table));
  head[5] = 0;
  return Buffer.concat([head, new Uint8Array(table.buffer), ...chunks]);
}

describe('an EXR file written by the reference tool', () => {
  const expected = truthOf(source);
  it('is read as the numbers that were written', () => {
    NAMES.forEach((name, c) =>
      planes[c].forEach((v, i) => expect(Math.abs(expected.get(name)![i] - v)).toBeLessThan(v / 1000 + 1e-9)),
    );
  });

  it.each(KINDS)('in tiles with %s is read as that tool reads it', (kind) => {
    for (const [w, h] of [
      [16, 16],
      [20, 31],
      [64, 300],
    ]) {
      const path = tiled(source, kind, w, h);
      const truth = truthOf(path);
      for (const [name, numbers] of read(readFileSync(path))) {
        const wanted = truth.get(name)!;
        // sums in another order round to the next half: 1/256 of what the eye sees at most here, 2.2 times that as light
        const slack = kind.startsWith('dwa') ? 0.0095 : 0;
        const off = numbers.findIndex((v, i) => Math.abs(v - wanted[i]) > slack * Math.abs(wanted[i]) + slack / 1000);
        expect([name, off], `${w}×${h}: ${numbers[off]} for ${wanted[off]}`).toEqual([name, -1]);
      }
    }
  });

  it.each(KINDS.map((kind, k) => [kind, CODES[k]] as const))('in scan lines with %s is read alike', (kind, code) => {
    const bytes = readFileSync(tiled(source, kind, width, linesPerBlock(code)));
    const lines = inScanLines(bytes);
    expect(readExrHeader(lines, 'x').tile).toBe(null);
    expect(read(lines)).toEqual(read(bytes));
  });

  it('with smaller sizes of itself is read at its full size', () => {
    const plain = read(readFileSync(tiled(source, 'zip', 16, 16)));
    for (const levels of ['-m', '-r']) expect(read(readFileSync(tiled(source, 'zip', 16, 16, levels)))).toEqual(plain);
  });

  it('in several parts is read from the one with the colours', () => {
    const [depth, both] = [join(dir, 'depth.exr'), join(dir, 'both.exr')];
    const data = planes[4];
    const deflate = (bytes: Uint8Array): Uint8Array => deflateSync(bytes);
    writeFileSync(
      depth,
      writeExr({ width, height, pixelType: 'float', channels: [{ name: 'depth.Z', data }], deflate }),
    );
    for (const colours of [source, tiled(source, 'piz', 20, 31)]) {
      execFileSync('exrmultipart', ['-combine', '-i', `${depth}::far`, `${colours}::seen`, '-o', both]);
      const bytes = readFileSync(both);
      expect(readExrHeader(bytes, 'x').part).toBe(1);
      expect(read(bytes)).toEqual(read(readFileSync(colours)));
      expect(readPicture(bytes, 'both.exr', inflate).rgb[0]).toBeCloseTo(planes[3][0], 3);
    }
  });
});

describe('a damaged EXR file', () => {
  it('gives a picture or an error that names it, soon, whatever its compression', () => {
    for (const kind of KINDS) {
      const bytes = readFileSync(tiled(source, kind, 32, 32));
      const table = readExrHeader(bytes, 'x').table;
      fc.assert(
        fc.property(
          fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(255)), { minLength: 1, maxLength: 4 }),
          fc.boolean(),
          fc.nat(bytes.length),
          (changes, header, cut) => {
            const mutated = Uint8Array.from(bytes.subarray(0, header ? bytes.length : Math.max(table, cut)));
            for (const [at, value] of changes) mutated[header ? at % (table + 600) : at % mutated.length] = value;
            const start = performance.now();
            try {
              readPicture(mutated, 'x.exr', inflate);
            } catch (error) {
              expect(error).toBeInstanceOf(BadFileError);
            }
            expect(performance.now() - start).toBeLessThan(2000);
          },
        ),
        { numRuns: cases(60), seed: 3 },
      );
    }
  });

  it.each([
    ['deep pixels', (bytes: Uint8Array) => (bytes[5] |= 8), /it holds deep pixels/],
    ['another version', (bytes: Uint8Array) => (bytes[4] = 3), /written in version 3/],
    ['parts without a header', (bytes: Uint8Array) => (bytes[5] |= 16), /x\.exr: /],
  ])('with %s says so', (_, change, message) => {
    const bytes = Uint8Array.from(readFileSync(source));
    change(bytes);
    expect(() => read(bytes)).toThrow(message);
  });
});
