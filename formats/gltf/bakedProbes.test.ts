import { describe, expect, it } from 'vitest';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import { MATTE, quad, sceneOf } from '@daxel/core/testing/scenes';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene } from '@daxel/core/scene/packScene';
import { readBaked, writeBaked, type BakedSet } from './bakedProbes';
import { readGlb } from './readGlb';
import { writeGlb } from './writeGlb';

const setOf = (key: string, count: number): BakedSet => ({
  key,
  probes: Float32Array.from({ length: count * PROBE_STRIDE }, (_, i) => Math.sin(i) * count),
});
const file = (): Promise<Uint8Array> => writeGlb(sceneOf([quad(2)], [MATTE]));
/** The same file with another description. */
function edited(glb: Uint8Array, edit: (json: { extras: { daxel: { probes: unknown } } }) => void): Uint8Array {
  const view = new DataView(glb.buffer, glb.byteOffset, glb.byteLength);
  const length = view.getUint32(12, true);
  const json = JSON.parse(new TextDecoder().decode(glb.subarray(20, 20 + length))) as Parameters<typeof edit>[0];
  edit(json);
  const text = new TextEncoder().encode(JSON.stringify(json));
  const padded = Math.ceil(text.length / 4) * 4;
  const out = new Uint8Array(20 + padded + glb.length - 20 - length).fill(0x20);
  out.set(glb.subarray(0, 20));
  out.set(text, 20);
  out.set(glb.subarray(20 + length), 20 + padded);
  new DataView(out.buffer).setUint32(8, out.length, true);
  new DataView(out.buffer).setUint32(12, padded, true);
  return out;
}

describe('baked probes in a .glb', () => {
  it('come out as they went in, several sets of them, and leave the scene as it was', async () => {
    const plain = await file();
    const sets = [setOf('one', 3), setOf('two', 8)];
    const baked = writeBaked(plain, 'a.glb', sets);
    expect(readBaked(plain, 'a.glb')).toEqual([]);
    expect(readBaked(baked, 'a.glb')).toEqual(sets);
    // read into a part of a larger memory, as files are on Node
    expect(readBaked(Buffer.concat([Buffer.alloc(12), baked]).subarray(12), 'a.glb')).toEqual(sets);
    const packed = async (glb: Uint8Array): Promise<Uint8Array> => packScene(compileScene(await readGlb(glb, 'a.glb')));
    expect(await packed(baked)).toEqual(await packed(plain));
  });

  it('take the place of those before them, and leave nothing of them behind', async () => {
    const plain = await file();
    const first = writeBaked(plain, 'a.glb', [setOf('one', 30)]);
    const second = writeBaked(first, 'a.glb', [setOf('two', 2)]);
    expect(second).toEqual(writeBaked(plain, 'a.glb', [setOf('two', 2)]));
    // whatever is baked in it, the rest of a file is known again
    expect(writeBaked(second, 'a.glb', [])).toEqual(writeBaked(plain, 'a.glb', []));
  });

  it('that are damaged are named, with a remedy', async () => {
    const baked = writeBaked(await file(), 'a.glb', [setOf('one', 3)]);
    const wrong = (probes: unknown): Uint8Array =>
      edited(baked, (json) => {
        json.extras.daxel.probes = probes;
      });
    const right = { key: 'one', bufferView: 0, count: 3, numbers: PROBE_STRIDE };
    for (const probes of [
      7,
      [{}],
      [right],
      [{ ...right, bufferView: 99 }],
      [{ ...right, bufferView: -1 }],
      [{ ...right, numbers: 4 }],
    ])
      expect(() => readBaked(wrong(probes), 'a.glb')).toThrow(/a\.glb: .*Bake them again/);
    const spoiled = baked.slice();
    spoiled.fill(0xff, baked.length - 64);
    expect(() => readBaked(spoiled, 'a.glb')).toThrow(/hold what is no number/);
    for (const bytes of [new Uint8Array(0), baked.subarray(0, 30), new Uint8Array(64)])
      expect(() => readBaked(bytes, 'a.glb')).toThrow(BadFileError);
  });

  it('never do anything but work or be refused, whatever happens to a file', async () => {
    const baked = writeBaked(await file(), 'a.glb', [setOf('one', 2)]);
    for (let k = 0; k < 400; k++) {
      const bytes = baked.slice(0, k % 5 === 0 ? Math.floor((baked.length * k) / 400) : baked.length);
      for (let i = 0; i < 1 + (k % 4) && bytes.length > 0; i++)
        bytes[(k * 7919 + i * 104729) % Math.min(bytes.length, 3000)] = (k * 31 + i * 17) & 255;
      try {
        for (const { probes } of readBaked(bytes, 'a.glb')) expect(probes.every(Number.isFinite)).toBe(true);
      } catch (error) {
        expect(error).toBeInstanceOf(DaxelError);
      }
    }
  });
});
