import { readdirSync, readFileSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { createLocalPort } from '@daxel/core/frame/localPort';
import { isWorthKeeping, packProbes, probeFileName, unpackProbes } from '@daxel/core/frame/probeFile';
import { RenderPool, type RenderedFrame } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, toShared } from '@daxel/core/scene/packScene';
import type { Lighting } from '@daxel/core/scene/source';
import { room } from '@daxel/core/testing/rooms';
import { cameraAt } from '@daxel/core/testing/scenes';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { temporaryDir } from '../testing/harness';
import { ProbeShelf } from './probeShelf';

const keyOf = (scene: string, rays = 512): string => JSON.stringify([scene, {}, 'pose', [], rays, []]);
const some = (first: number, count = 2): Float32Array =>
  Float32Array.from({ length: PROBE_STRIDE * count }, (_, i) => first + i / 7);
/** The same with the parts of all objects in reverse order. */
function turnedAbout<T>(value: T): T {
  if (Array.isArray(value)) return value.map(turnedAbout) as T;
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .reverse()
      .map(([k, v]) => [k, turnedAbout<unknown>(v)]),
  ) as T;
}
let dir: ReturnType<typeof temporaryDir>;
beforeEach(() => (dir = temporaryDir()));
afterEach(() => dir.remove());

describe('baked probes on disk', () => {
  it('come back bit by bit for what they depend on, and for nothing else', async () => {
    const shelf = new ProbeShelf(dir.path);
    await shelf.save(keyOf('a'), some(1));
    expect(await shelf.load(keyOf('a'))).toEqual(some(1));
    expect(await shelf.load(keyOf('b'))).toBeNull();
    expect(await shelf.load(keyOf('a', 256))).toBeNull();
    // those of a coarse picture are baked sooner than fetched
    expect(isWorthKeeping(keyOf('a', 16))).toBe(false);
    await shelf.save(keyOf('c', 16), some(2));
    expect(await shelf.load(keyOf('c', 16))).toBeNull();
  });

  it('are dropped when damaged, and refused under a name that is not theirs', async () => {
    const shelf = new ProbeShelf(dir.path);
    const name = probeFileName(keyOf('a'));
    for (const damage of [
      () => truncateSync(join(dir.path, name), 100),
      () => writeFileSync(join(dir.path, name), ''),
      () => writeFileSync(join(dir.path, name), packProbes(keyOf('a'), Float32Array.of(1, 2, 3))),
      () => writeFileSync(join(dir.path, name), packProbes(keyOf('a'), some(1).fill(NaN))),
    ]) {
      await shelf.save(keyOf('a'), some(1));
      damage();
      expect(await shelf.load(keyOf('a'))).toBeNull();
      expect(readdirSync(dir.path)).toEqual([]);
    }
    await expect(shelf.take(name, packProbes(keyOf('b'), some(1)))).rejects.toThrow(/no probes of this version/);
    await expect(shelf.take(name, new Uint8Array(3))).rejects.toThrow(/no probes/);
    const other = packProbes(keyOf('a'), some(1));
    new Uint32Array(other.buffer)[1]++;
    expect(unpackProbes(other)).toBeNull();
    expect(readdirSync(dir.path)).toEqual([]);
    await shelf.take(name, packProbes(keyOf('a'), some(3)));
    expect(await shelf.load(keyOf('a'))).toEqual(some(3));
    // a file under the name of another key
    writeFileSync(join(dir.path, probeFileName(keyOf('z'))), readFileSync(join(dir.path, name)));
    expect(await shelf.load(keyOf('z'))).toBeNull();
  });

  it('take no more room than they may: those go that were not used for longest', async () => {
    const { length } = packProbes(keyOf('a'), some(1));
    const shelf = new ProbeShelf(dir.path, length * 2.5);
    const used = (key: string, seconds: number): void =>
      utimesSync(join(dir.path, probeFileName(key)), seconds, seconds);
    await shelf.save(keyOf('a'), some(1));
    await shelf.save(keyOf('b'), some(2));
    used(keyOf('a'), 1000);
    used(keyOf('b'), 2000);
    expect(await shelf.load(keyOf('a'))).not.toBeNull();
    await shelf.save(keyOf('c'), some(3));
    expect(await shelf.load(keyOf('b'))).toBeNull();
    expect(await shelf.load(keyOf('a'))).toEqual(some(1));
    expect(await shelf.load(keyOf('c'))).toEqual(some(3));
  });

  it('serve another pool, which draws the same bits without baking', async () => {
    const values = { 'output.width': 24, 'output.height': 24, 'samples.pixel': 1, 'bounce.method': 'probes' };
    const draft = { ...values, 'bounce.probeSpacing': 0.7, 'bounce.probeRays': 64 };
    const draw = async (shelf: ProbeShelf | null, lighting?: Lighting): Promise<RenderedFrame> => {
      const pool = new RenderPool([createLocalPort(() => performance.now())]);
      if (shelf) pool.keepProbesIn(shelf);
      pool.setScene('s', toShared(packScene(compileScene(room()))));
      const recipe = resolveRecipe({ name: 't', draft, final: {} }, 'draft');
      const camera = cameraAt([0.1, 0, 2.2], [0, -0.1, -1], 45);
      return pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1, lighting }).promise;
    };
    const alone = await draw(null);
    const shelf = new ProbeShelf(dir.path);
    const first = await draw(shelf);
    expect(first.probes!.seconds).toBeGreaterThan(0);
    const second = await draw(new ProbeShelf(dir.path));
    expect(second.probes!.seconds).toBe(0);
    expect(second.probes!.count).toBe(first.probes!.count);
    // light that a database has kept, with its parts in another order
    const { lights, environment } = compileScene(room()).meta;
    const third = await draw(shelf, turnedAbout({ lights, environment }));
    expect(third.probes!.seconds).toBe(0);
    for (const frame of [first, second, third]) expect(frame.views.beauty).toEqual(alone.views.beauty);
  });

  it('are not waited for where nothing can be written', async () => {
    const file = join(dir.path, 'file');
    writeFileSync(file, '');
    const shelf = new ProbeShelf(join(file, 'below'));
    await shelf.save(keyOf('a'), some(1));
    expect(await shelf.load(keyOf('a'))).toBeNull();
  });
});
