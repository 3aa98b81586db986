/**
 * Files of every format that comes in, changed in any way: read, or refused in one line that names the file. The long
 * form (`./daxel attack`) makes ten thousand of each.
 */
import { deflateSync, inflateSync } from 'node:zlib';
import { encode } from 'fast-png';
import jpeg from 'jpeg-js';
import { afterAll, describe, expect, it } from 'vitest';
import { DaxelError } from '@daxel/core/errors';
import { newLight, readRig, writeRig } from '@daxel/core/light/rig';
import { hashCombine } from '@daxel/core/math/random';
import { readRecipe, writeRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import { STUDIO_ENVIRONMENT } from '@daxel/core/scene/source';
import { cases } from '@daxel/core/testing/cases';
import { addNode, light, quad, sceneOf } from '@daxel/core/testing/scenes';
import { readEnvironment } from './environment/readEnvironment';
import { writeExr } from './exr/writeExr';
import { readGlb } from './gltf/readGlb';
import { writeGlb } from './gltf/writeGlb';
import { lazyImage } from './image/decodeImage';
import { readPicture } from './image/readPicture';
import { readCube } from './lut/readCube';

const WIDTH = 16;
const HEIGHT = 8;
const inflate = (bytes: Uint8Array, maxOutputLength: number): Uint8Array => inflateSync(bytes, { maxOutputLength });
const plane = (): Float32Array => Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => (i % 7) / 3);
const rgba = Uint8Array.from({ length: WIDTH * HEIGHT * 4 }, (_, i) => i * 5);
const text = (value: string): Uint8Array => new TextEncoder().encode(value);
const read = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);

function glb(): Promise<Uint8Array> {
  const scene = sceneOf([quad(2), quad(0.4, 0.5)]);
  scene.lights = [light('sun', 4000), light('spot', 10)];
  for (const one of [0, 1]) addNode(scene, { light: one, name: `light ${one}` });
  scene.images.push({ name: 'wood', width: 4, height: 4, pixels: rgba.slice(0, 64) });
  return writeGlb(scene);
}

/** Radiance picture, lines not packed. */
function hdr(): Uint8Array {
  const head = text(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${HEIGHT} +X ${WIDTH}\n`);
  const bytes = new Uint8Array(head.length + WIDTH * HEIGHT * 4).fill(128);
  bytes.set(head);
  return bytes;
}

function cube(): Uint8Array {
  const corners = [0, 1].flatMap((b) => [0, 1].flatMap((g) => [0, 1].map((r) => `${r} ${g} ${b}`)));
  return text(`TITLE "grade"\nLUT_3D_SIZE 2\n${corners.join('\n')}\n`);
}

const exr = (): Uint8Array =>
  writeExr({
    width: WIDTH,
    height: HEIGHT,
    channels: ['R', 'G', 'B'].map((name) => ({ name, data: plane() })),
    pixelType: 'half',
    deflate: (bytes) => deflateSync(bytes),
  });
const rig = {
  name: 'evening',
  exposureEv: 0,
  lights: [newLight('spot', 'a', 'key'), newLight('sun', 'b', 'low sun')],
  environment: STUDIO_ENVIRONMENT,
};

interface Format {
  name: string;
  make: () => Uint8Array | Promise<Uint8Array>;
  read: (bytes: Uint8Array, file: string) => unknown;
}
const FORMATS: readonly Format[] = [
  { name: 'glb', make: glb, read: async (bytes, file) => compileScene(await readGlb(bytes, file)) },
  { name: 'hdr', make: hdr, read: (bytes, file) => readEnvironment(bytes, file, inflate) },
  { name: 'exr', make: exr, read: (bytes, file) => readEnvironment(bytes, file, inflate) },
  { name: 'frame.exr', make: exr, read: (bytes, file) => readPicture(bytes, file, inflate, true) },
  {
    name: 'png',
    make: () => encode({ width: WIDTH, height: HEIGHT, data: rgba, channels: 4, depth: 8 }),
    read: (bytes, file) => lazyImage(bytes, file).pixels,
  },
  {
    name: 'jpeg',
    make: () => new Uint8Array(jpeg.encode({ width: WIDTH, height: HEIGHT, data: rgba }, 80).data),
    read: (bytes, file) => lazyImage(bytes, file).pixels,
  },
  { name: 'cube', make: cube, read: (bytes, file) => readCube(read(bytes), file) },
  {
    name: 'recipe.json',
    make: () => text(writeRecipe({ name: 'r', draft: { 'samples.pixel': 4 }, final: { 'lens.tone': 'none' } })),
    read: (bytes, file) => readRecipe(read(bytes), file),
  },
  { name: 'rig.json', make: () => text(writeRig(rig)), read: (bytes, file) => readRig(read(bytes), file) },
];

/** One to four changes of any kind: bytes overwritten, put in, taken out, moved, or the end cut off. */
function mutated(good: Uint8Array, seed: number): Uint8Array {
  let draws = 0;
  const draw = (below: number): number => hashCombine(seed, draws++) % below;
  let bytes = good.slice();
  for (let left = 1 + draw(4); left > 0; left--) {
    const at = draw(Math.max(1, bytes.length));
    const length = 1 + draw(8);
    const kind = draw(6);
    const [before, from, after] = [bytes.subarray(0, at), bytes.subarray(at), bytes.subarray(at + length)];
    if (kind === 0) bytes[at] = draw(256);
    else if (kind === 1) bytes.fill([0, 255, 128, 48][draw(4)], at, at + length);
    else if (kind === 2) bytes = Uint8Array.from([...before, ...Array.from({ length }, () => draw(256)), ...from]);
    else if (kind === 3) bytes = Uint8Array.from([...before, ...after]);
    else if (kind === 4) bytes = bytes.copyWithin(at, draw(Math.max(1, bytes.length)), at + length * 4);
    else if (draw(4) === 0) bytes = bytes.slice(0, at);
  }
  return bytes;
}

const told: string[] = [];
afterAll(() => {
  // for the page on reliability
  if (cases(1) > 1) process.stdout.write(`${told.join('\n')}\n`);
});

describe.each(FORMATS)('a changed file, $name', ({ name, make, read: open }) => {
  it('is read, or refused in one line with its name', async () => {
    const good = await make();
    await open(good, 'good');
    let [slowest, refused] = [0, 0];
    const count = cases(250);
    for (let i = 0; i < count; i++) {
      const bytes = mutated(good, hashCombine(i, name.length * 1000 + name.charCodeAt(0)));
      const began = performance.now();
      try {
        await open(bytes, `bad.${name}`);
      } catch (error) {
        refused++;
        expect(error).toBeInstanceOf(DaxelError);
        const { message } = error as Error;
        expect(message).toMatch(/^bad\.[\w.]+: [^\n]{5,390}$/);
        expect(message).not.toMatch(
          /is not iterable|out of bounds|cannot read prop|not a function|array length|\[object/i,
        );
      }
      slowest = Math.max(slowest, performance.now() - began);
    }
    expect(refused).toBeGreaterThan(0);
    told.push(`${name}: ${count} changed files, ${refused} refused, slowest ${slowest.toFixed(0)} ms`);
  });
});
