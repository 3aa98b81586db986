import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, nextTick, reactive, ref, type EffectScope } from 'vue';
import type { Still } from '@daxel/api/schemas';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { liveKey, MOST_CANDIDATES, useCandidates, type Live } from './useCandidates';
import type { Wish } from './usePreview';

const route = reactive<{ query: Record<string, string | undefined> }>({ query: {} });
vi.mock('vue-router', () => ({
  useRoute: () => route,
  useRouter: () => ({ replace: ({ query }: { query: Record<string, string> }) => void (route.query = query) }),
}));
const forgotten: string[] = [];
vi.mock('../render/measurer', () => ({
  Measurer: class {
    shown = { width: 64, height: 48, codes: new Uint8ClampedArray(4), knowsNoise: false };
    putBytes = (_key: string, bytes: Uint8Array): Promise<unknown> =>
      bytes[0] === 0 ? Promise.reject(new Error('it is no picture')) : Promise.resolve(this.shown);
    putImage = (_key: string, image: { width: number; height: number }): Promise<unknown> =>
      Promise.resolve({ ...this.shown, width: image.width, height: image.height });
    forget = (key: string): Promise<void> => Promise.resolve(void forgotten.push(key));
    terminate = (): void => undefined;
  },
}));
let rendered: Wish[] = [];
let cancelled = 0;
let held: (() => void) | null = null;
vi.mock('./useShot', () => ({
  renderPool: () => ({
    render: (wish: Wish) => {
      rendered.push(wish);
      const width = wish.recipe['output.width'] as number;
      const height = wish.recipe['output.height'] as number;
      const none = new Float32Array();
      const views = { beauty: new Float32Array(width * height * 3), paths: none, depth: none, sums: none };
      const frame = { finished: true, width, height, seconds: 2, path: null, views };
      const promise = held === null ? Promise.resolve(frame) : new Promise((done) => (held = () => done(frame)));
      return { promise, progress: () => 0.5, cancel: () => cancelled++ };
    },
  }),
}));

const still = (id: string, more: Partial<Still> = {}): Still =>
  ({
    id,
    state: 'done',
    tier: 'final',
    seconds: 3,
    recipe: { name: 'Dailies', draft: {}, final: {} },
    ...more,
  }) as Still;
const asked: Live[] = [];
const wishOf = (live: Live, size: { width: number; height: number } | null): Wish => {
  asked.push(live);
  return {
    recipe: {
      ...resolveRecipe({ name: 'r', draft: {}, final: {} }, 'draft'),
      'samples.method': live.method,
      'output.width': size?.width ?? 32,
      'output.height': size?.height ?? 24,
    },
  } as Wish;
};

let scope: EffectScope;
const stills = ref<Still[]>([]);
const ready = ref(true);
function open(): ReturnType<typeof useCandidates> {
  return scope.run(() => useCandidates(stills, wishOf, ready, (id) => (id === 'rig-2' ? 'Evening' : undefined)))!;
}
const settled = async (c: ReturnType<typeof useCandidates>): Promise<void> => {
  await nextTick();
  await vi.waitFor(() => expect(c.list.value.some((x) => x.state === 'loading')).toBe(false));
};
beforeEach(() => {
  scope = effectScope();
  route.query = {};
  [rendered, cancelled, held] = [[], 0, null];
  stills.value = [];
  ready.value = true;
  forgotten.length = 0;
  vi.spyOn(console, 'warn').mockImplementation(() => undefined);
  vi.stubGlobal('fetch', () =>
    Promise.resolve({ ok: true, arrayBuffer: () => Promise.resolve(new Uint8Array([1]).buffer) }),
  );
});
afterEach(() => {
  scope.stop();
  vi.unstubAllGlobals();
});

describe('candidates', () => {
  it('come up from the address in its order, and live ones take the size of a still', async () => {
    stills.value = [still('a')];
    route.query = { with: 'live:draft:raster,still:a,live:final:path', ref: 'still:a' };
    const c = open();
    await settled(c);
    expect(c.list.value.map((x) => [x.name, x.state])).toEqual([
      ['Draft, rasterised', 'ready'],
      ['Still, Dailies final', 'ready'],
      ['Final, path traced', 'ready'],
    ]);
    expect(c.reference.value).toBe('still:a');
    for (const wish of rendered) expect(wish.recipe['output.width']).toBe(64);
  });

  it('may be another rig of the shot', async () => {
    asked.length = 0;
    const key = liveKey({ tier: 'draft', method: 'path', rigId: 'rig-2' });
    route.query = { with: `${key},live:draft:path:gone` };
    const c = open();
    await settled(c);
    expect(c.list.value.map((x) => x.name)).toEqual([
      'Evening, Draft, path traced',
      'a rig that was deleted, Draft, path traced',
    ]);
    expect(asked[0]).toEqual({ tier: 'draft', method: 'path', rigId: 'rig-2' });
  });

  it('wait until scene and light are there', async () => {
    ready.value = false;
    route.query = { with: 'live:draft:raster,live:final:raster', ref: 'live:final:raster' };
    const c = open();
    await nextTick();
    expect(rendered.length).toBe(0);
    ready.value = true;
    await settled(c);
    expect(c.list.value.map((x) => x.state)).toEqual(['ready', 'ready']);
  });

  it('say what is wrong with each that cannot be shown', async () => {
    stills.value = [still('b', { state: 'running' })];
    route.query = { with: 'still:gone,still:b,file:card.png,live:draft:magic' };
    const c = open();
    await settled(c);
    const messages = c.list.value.map((x) => x.message ?? '');
    expect(messages[0]).toMatch(/deleted/);
    expect(messages[1]).toMatch(/not finished/);
    expect(messages[2]).toMatch(/Drop card\.png again/);
    expect(messages[3]).toMatch(/no such render/);
  });

  it('are at most six, and none twice', async () => {
    const c = open();
    for (let i = 0; i < 9; i++) {
      c.add(`live:draft:${i < 2 ? 'raster' : `m${i}`}`);
      await nextTick();
    }
    expect(c.keys.value.length).toBe(MOST_CANDIDATES);
    expect(c.keys.value.filter((k) => k === 'live:draft:raster').length).toBe(1);
    await settled(c);
  });

  it('from files are taken with commas in their names, and again when one of a name is dropped anew', async () => {
    const c = open();
    const file = (name: string, byte: number): File => new File([new Uint8Array([byte])], name);
    c.addFiles([file('a,b.png', 1), file('bad.png', 0)]);
    await settled(c);
    expect(c.keys.value).toEqual(['file:a b.png', 'file:bad.png']);
    expect(c.list.value.map((x) => x.state)).toEqual(['ready', 'failed']);
    c.addFiles([file('bad.png', 1)]);
    await settled(c);
    expect(c.list.value.map((x) => x.state)).toEqual(['ready', 'ready']);
    expect(forgotten).toContain('file:bad.png');
  });

  it('let go of a render that is taken away, and of the reference with it', async () => {
    held = () => undefined;
    route.query = { with: 'live:draft:raster', ref: 'live:draft:raster' };
    const c = open();
    await vi.waitFor(() => expect(rendered.length).toBe(1));
    c.remove('live:draft:raster');
    await nextTick();
    expect(cancelled).toBe(1);
    expect(c.list.value).toEqual([]);
    expect(c.reference.value).toBeNull();
    expect(route.query.with).toBeUndefined();
  });

  it('are drawn again when the light has changed', async () => {
    route.query = { with: 'live:draft:raster' };
    const c = open();
    await settled(c);
    c.again('live:draft:raster');
    await settled(c);
    expect(rendered.length).toBe(2);
  });
});
