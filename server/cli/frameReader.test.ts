import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { displayLuminance, type MeasuredImage } from '@daxel/core/measure/imageError';
import { writeExr } from '@daxel/formats/exr/writeExr';
import { readFrames } from './frameReader';

const dir = mkdtempSync(join(tmpdir(), 'daxel-frames-'));
const at = (name: string): string => join(dir, name);
const [WIDTH, HEIGHT] = [40, 33];

/** A frame all of whose pixels hold one number. */
function write(name: string, value: number): void {
  const data = new Float32Array(WIDTH * HEIGHT).fill(value);
  const channels = ['R', 'G', 'B', 'motion.X', 'motion.Y', 'objectId.Y'].map((c) => ({ name: c, data }));
  const deflate = (bytes: Uint8Array): Uint8Array => deflateSync(bytes);
  writeFileSync(at(name), writeExr({ width: WIDTH, height: HEIGHT, channels, pixelType: 'float', deflate }));
}
async function all(names: readonly string[]): Promise<MeasuredImage[]> {
  const out: MeasuredImage[] = [];
  for await (const image of readFrames(names.map(at))) out.push(image);
  return out;
}

beforeAll(() => [1, 2, 3, 4, 5].forEach((n) => write(`f.${n}.exr`, n / 8)));
afterAll(() => rmSync(dir, { recursive: true }));

describe('frames that are read ahead', () => {
  it('come in the order of their paths, with motion, ids and what the display shows of them', async () => {
    const frames = await all([3, 1, 5, 2, 4].map((n) => `f.${n}.exr`));
    expect(frames.map((f) => [f.name, f.rgb[0]])).toEqual([3, 1, 5, 2, 4].map((n) => [`f.${n}.exr`, n / 8]));
    for (const frame of frames) {
      expect([frame.width, frame.height, frame.motion!.length]).toEqual([WIDTH, HEIGHT, 2 * WIDTH * HEIGHT]);
      expect(frame.ids![7]).toBe(frame.rgb[0]);
      expect(frame.shown).toEqual(displayLuminance(frame));
    }
  });

  it('are none where there are none', async () => {
    expect(await all([])).toEqual([]);
  });

  it('are told of one that cannot be read when its turn comes, not before', async () => {
    writeFileSync(at('bad.exr'), 'no picture');
    const seen: string[] = [];
    const run = async (names: string[]): Promise<void> => {
      for await (const image of readFrames(names.map(at))) seen.push(image.name);
    };
    await expect(run(['f.1.exr', 'f.2.exr', 'bad.exr', 'f.3.exr'])).rejects.toMatchObject({
      code: 'bad-file',
      message: 'bad.exr: it is neither a PNG nor an OpenEXR picture. Save it as one.',
    });
    expect(seen).toEqual(['f.1.exr', 'f.2.exr']);
    await expect(run(['gone.exr'])).rejects.toThrow(`${at('gone.exr')}: the file cannot be read.`);
  });

  it('may be left before their end', async () => {
    for await (const image of readFrames([1, 2, 3].map((n) => at(`f.${n}.exr`)))) {
      expect(image.name).toBe('f.1.exr');
      break;
    }
  });
});
