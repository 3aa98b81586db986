/** Files that would take the machine with them end in one clear line; what comes after them is read as ever. */
import { readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { addNode, DOWN, light } from '@daxel/core/testing/scenes';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { smallScene, temporaryDir, writeSmallGlb } from '../testing/harness';
import { importFile } from './importFile';
import { runLimited } from './runLimited';

const dir = temporaryDir();
afterAll(() => dir.remove());
const left = (): string[] => readdirSync(dir.path).filter((name) => name.endsWith('.packed'));

describe('reading a file', () => {
  it('that takes more memory than it may ends in one line, and leaves nothing', async () => {
    const path = await writeSmallGlb(dir.path);
    // any process takes more than this
    const reading = importFile(path, 'huge.glb', dir.path, { memory: 20 * 2 ** 20 });
    await expect(reading).rejects.toThrow(
      /^huge\.glb: reading it needs more than 0\.0 GB of memory\. Reduce or split the scene/,
    );
    expect(left()).toEqual([]);
    const { counts } = await importFile(path, 'small.glb', dir.path);
    expect(counts.triangles).toBeGreaterThan(0);
  });

  it('that takes too long ends, and the next one has its turn', async () => {
    const path = await writeSmallGlb(dir.path, 'next.glb');
    const order = { path, name: 'x', preview: null, packed: join(dir.path, 'x.packed') };
    const limits = { timeMs: 1, failed: (why: string) => why };
    const [late, next] = await Promise.all([
      runLimited<unknown>('importProcess', order, limits),
      importFile(path, 'next.glb', dir.path),
    ]);
    expect(late).toMatch(/took over/);
    expect(next.counts.triangles).toBeGreaterThan(0);
  });

  it('that nobody waits for any more ends, while it is read or before its turn', async () => {
    const path = await writeSmallGlb(dir.path, 'cancelled.glb');
    const before = left().length;
    const abort = new AbortController();
    const both = [0, 1].map(() => importFile(path, 'c.glb', dir.path, { signal: abort.signal }));
    setTimeout(() => abort.abort(), 50);
    // together: one that is refused while the other is waited for would be nobody's
    await Promise.all(both.map((reading) => expect(reading).rejects.toThrow(/cancelled/)));
    expect(left().length).toBe(before);
  });

  it('whose process is gone is told in one line', async () => {
    const limits = { timeMs: 20_000, failed: (why: string) => why };
    expect(await runLimited<string>('nothingOfThisName', {}, limits)).toMatch(/ended unexpectedly/);
  });

  it('says which lights a rig has no room for', async () => {
    const scene = smallScene();
    for (let i = 0; i < 300; i++) {
      scene.lights.push(light('point', 1, { name: `lamp ${i}` }));
      addNode(scene, { light: scene.lights.length - 1, rotation: DOWN, name: `lamp ${i}` });
    }
    const path = join(dir.path, 'lamps.glb');
    writeFileSync(path, await writeGlb(scene));
    const { meta, rig } = await importFile(path, 'lamps.glb', dir.path);
    expect([meta.lights.length, rig.lights.length]).toEqual([301, 256]);
    expect(meta.warnings.join()).toMatch(/at most 256 lights: 45 give no light in it, from "lamp 255" to "lamp 299"/);
  });
});
