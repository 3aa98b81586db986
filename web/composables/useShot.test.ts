import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, nextTick, ref, type EffectScope } from 'vue';
import type { Project } from '@daxel/api/schemas';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, sketchBytes, unpackScene } from '@daxel/core/scene/packScene';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { MATTE, quad, sceneOf } from '@daxel/core/testing/scenes';
import { useProjects } from '../stores/projects';
import { settle } from '../testing/fakePool';
import { useShot } from './useShot';

/** A pool that keeps scenes and notes which it was told to forget. */
const pool = vi.hoisted(() => ({ scenes: new Map<string, unknown>(), forgotten: [] as string[], discarded: 0 }));
vi.mock('../render/browserPool', () => ({
  createRenderer: () => {
    const keep = (id: string, buffer: ArrayBufferLike): CompiledScene => {
      const scene = unpackScene(buffer);
      pool.scenes.set(id, scene);
      return scene;
    };
    return {
      setScene: keep,
      receiveScene: (size: number) => {
        const bytes = new Uint8Array(size);
        return { bytes, keep: (id: string) => keep(id, bytes.buffer), discard: () => void pool.discarded++ };
      },
      forgetScene: (id: string) => {
        if (pool.scenes.delete(id)) pool.forgotten.push(id);
      },
    };
  },
}));

const SIDE = 512;
const picture = { name: 'picture', width: SIDE, height: SIDE, pixels: new Uint8Array(SIDE * SIDE * 4).fill(90) };
const use = { image: 0, wrapS: 'repeat', wrapT: 'repeat' } as const;
const packed = packScene(
  compileScene({ ...sceneOf([quad(1)], [{ ...MATTE, baseColorTexture: use }]), images: [picture] }),
);
const needed = sketchBytes(packed, packed.length)!;

/** A server whose answer comes as the test says. */
let send: (from: number, to: number) => Promise<void>;
let end: () => Promise<void>;
let scope: EffectScope;
let hash = 0;
beforeEach(() => {
  setActivePinia(createPinia());
  scope = effectScope();
  vi.stubGlobal('localStorage', { setItem: () => undefined });
  let controller: ReadableStreamDefaultController<Uint8Array>;
  vi.stubGlobal('fetch', (_path: string, { signal }: { signal: AbortSignal }) => {
    const body = new ReadableStream<Uint8Array>({ start: (c) => void (controller = c) });
    signal.addEventListener('abort', () => controller.error(new DOMException('gone', 'AbortError')));
    return Promise.resolve(new Response(body));
  });
  send = async (from, to) => {
    controller.enqueue(packed.slice(from, to));
    await settle();
  };
  end = async () => {
    controller.close();
    await settle();
  };
  hash++;
  const scenes = [{ id: 'scene', compiledBytes: packed.length, compiledHash: `hash ${hash}` }];
  useProjects().list = [{ id: 'p', shots: [{ id: 'shot', sceneId: 'scene' }], scenes }] as unknown as Project[];
  pool.forgotten.length = pool.discarded = 0;
});
afterEach(() => {
  scope.stop();
  vi.unstubAllGlobals();
});
const open = (sketched: boolean) => scope.run(() => useShot(ref('shot'), { sketched }))!;

describe('the scene of a shot', () => {
  it('is there as a sketch when its fine textures are still to come, and then as itself', async () => {
    const shot = open(true);
    await settle();
    await send(0, needed - 1);
    expect(shot.scene.value).toBeNull();
    // it is looked at fifty times in all
    const enough = needed + Math.ceil(packed.length / 40);
    await send(needed - 1, enough);
    const sketch = shot.sketch.value;
    expect(sketch).toMatch(new RegExp(`^hash ${hash} sketch`));
    expect(shot.scene.value!.texels.length).toBeLessThan(SIDE * SIDE * 4);
    expect(shot.loading.value).toBeCloseTo(enough / packed.length, 5);
    shot.sketchDrawn();
    await send(enough, packed.length);
    await end();
    expect(shot.sketch.value).toBeNull();
    expect(shot.scene.value!.texels.length).toBeGreaterThan(SIDE * SIDE * 4);
    expect(pool.forgotten).toContain(sketch);
    // the next screen finds it there
    expect(open(true).scene.value).toBe(shot.scene.value);
  });

  it('waits for a picture of the sketch before the rest comes', async () => {
    const shot = open(true);
    await settle();
    await send(0, needed);
    await send(needed, packed.length);
    await end();
    expect(shot.sketch.value).not.toBeNull();
    shot.sketchDrawn();
    await settle();
    expect(shot.sketch.value).toBeNull();
  });

  it('is not sketched where all of it is needed', async () => {
    const shot = open(false);
    await settle();
    await send(0, packed.length - 1);
    expect([shot.scene.value, shot.sketch.value]).toEqual([null, null]);
    await send(packed.length - 1, packed.length);
    await end();
    expect(shot.scene.value).not.toBeNull();
  });

  it('that does not arrive whole says so and leaves nothing behind', async () => {
    const before = pool.scenes.size;
    const shot = open(true);
    await settle();
    await send(0, needed + 5);
    shot.sketchDrawn();
    await end();
    expect(shot.failure.value).toMatch(/did not arrive whole/);
    expect([pool.discarded, pool.forgotten.length, pool.scenes.size, shot.scene.value]).toEqual([1, 1, before, null]);
  });

  it('is let go of when the screen is left meanwhile', async () => {
    const id = ref('shot');
    const shot = scope.run(() => useShot(id, { sketched: true }))!;
    await settle();
    await send(0, 100);
    id.value = 'other';
    await nextTick();
    await settle();
    expect([shot.failure.value, shot.scene.value, pool.discarded]).toEqual([null, null, 1]);
  });
});
