/** The pictures held against each other: stills, renders of a tier by a method, files. The address names them. */
import { computed, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Still } from '@daxel/api/schemas';
import type { ToneCurve } from '@daxel/core/film/tone';
import { knowsPaths } from '@daxel/core/frame/layers';
import type { RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import { exp2 } from '@daxel/core/math/exact';
import { lightLayers } from '@daxel/core/measure/stability/frameLayers';
import { SUMS } from '@daxel/core/light/components';
import type { MeasuredImage } from '@daxel/core/measure/imageError';
import type { Tier } from '@daxel/core/recipe/recipe';
import { standardError } from '@daxel/core/trace/pathSums';
import { api } from '../api/client';
import { Measurer } from '../render/measurer';
import type { Picture } from '../render/preview';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

export const MOST_CANDIDATES = 6;
export const METHODS = { raster: 'rasterised', path: 'path traced' } as const;
export type Method = keyof typeof METHODS;

/** A picture that is rendered for the comparison. */
export interface Live {
  tier: Tier;
  method: Method;
  /** Another rig than the one that is shown. */
  rigId?: string;
}
/** What an address names, null where that is a still or a file. */
export function liveOf(key: string): Live | null {
  const [kind, tier, method, rigId] = key.split(':') as ['live', Tier, Method, string | undefined];
  return kind === 'live' ? { tier, method, rigId } : null;
}
/** As the address names it. */
export const liveKey = ({ tier, method, rigId }: Live): string => `live:${tier}:${method}${rigId ? `:${rigId}` : ''}`;

export interface Candidate {
  /** As in the address: still:ID, live:draft:path, file:NAME. */
  key: string;
  name: string;
  state: 'loading' | 'ready' | 'failed';
  /** Share of a render, 0…1. */
  progress: number;
  message: string | null;
  picture: Picture | null;
  seconds: number | null;
  knowsNoise: boolean;
}

/** @param wishOf what to render for a tier and method, at a size or the tier's own; null until scene and light are there */
export function useCandidates(
  stills: Ref<readonly Still[]>,
  wishOf: (live: Live, size: { width: number; height: number } | null) => Wish | null,
  ready: Ref<boolean>,
  rigName: (id: string) => string | undefined = () => undefined,
) {
  const route = useRoute();
  const router = useRouter();
  const measurer = new Measurer();
  const list = ref<Candidate[]>([]);
  const files = new Map<string, File>();
  const tickets = new Map<string, RenderTicket>();
  const started = new Set<string>();
  const reference = shallowRef<string | null>(null);

  const keys = computed(() => {
    const text = route.query.with;
    return typeof text === 'string' && text !== '' ? text.split(',').slice(0, MOST_CANDIDATES) : [];
  });
  function go(next: { keys?: string[]; reference?: string | null }): void {
    const to = next.keys ?? keys.value;
    const ref = next.reference === undefined ? reference.value : next.reference;
    const query = { ...route.query, with: to.join(',') || undefined, ref: ref && to.includes(ref) ? ref : undefined };
    void router.replace({ query });
  }
  function add(key: string): void {
    if (!keys.value.includes(key) && keys.value.length < MOST_CANDIDATES) go({ keys: [...keys.value, key] });
  }
  function addFiles(chosen: readonly File[]): void {
    const next = new Set(keys.value);
    for (const file of chosen) {
      const key = `file:${file.name.replaceAll(',', ' ')}`;
      // the same name again is another picture: the one before makes way
      if (files.has(key)) forget(key);
      files.set(key, file);
      next.add(key);
    }
    go({ keys: [...next].slice(0, MOST_CANDIDATES) });
    start();
  }
  function remove(key: string): void {
    go({ keys: keys.value.filter((k) => k !== key) });
  }
  function again(key: string): void {
    forget(key);
    start();
  }

  function forget(key: string): void {
    tickets.get(key)?.cancel();
    tickets.delete(key);
    started.delete(key);
    list.value = list.value.filter((c) => c.key !== key);
    void measurer.forget(key);
  }
  const of = (key: string): Candidate | undefined => list.value.find((c) => c.key === key);

  function start(): void {
    for (const c of [...list.value]) if (!keys.value.includes(c.key)) forget(c.key);
    const named = typeof route.query.ref === 'string' ? route.query.ref : null;
    reference.value = named && keys.value.includes(named) ? named : null;
    if (!ready.value) return;
    // fixed sizes first: pictures rendered here take theirs from them
    for (const fixed of [true, false]) {
      for (const key of keys.value) {
        if (started.has(key) || key.startsWith('live:') === fixed) continue;
        started.add(key);
        void load(key);
      }
    }
    list.value.sort((a, b) => keys.value.indexOf(a.key) - keys.value.indexOf(b.key));
  }
  watch([keys, ready, stills, () => route.query.ref], start, { immediate: true });

  async function load(key: string): Promise<void> {
    list.value.push({
      key,
      name: key,
      state: 'loading',
      progress: 0,
      message: null,
      picture: null,
      seconds: null,
      knowsNoise: false,
    });
    try {
      if (key.startsWith('still:')) await loadStill(key);
      else if (key.startsWith('live:')) await loadLive(key);
      else await loadFile(key);
    } catch (error) {
      const c = of(key);
      if (c) Object.assign(c, { state: 'failed', message: (error as Error).message });
    }
  }
  function show(
    key: string,
    shown: { width: number; height: number; codes: Picture['codes']; knowsNoise: boolean },
  ): void {
    const c = of(key);
    if (!c) return;
    const { width, height, codes, knowsNoise } = shown;
    c.picture = { width, height, codes, samples: 1, coarse: false };
    Object.assign(c, { state: 'ready', knowsNoise });
  }

  async function loadStill(key: string): Promise<void> {
    const still = stills.value.find((s) => `still:${s.id}` === key);
    const c = of(key)!;
    c.name = still ? `Still, ${still.recipe.name} ${still.tier}` : 'Still';
    if (!still) throw new Error('This still was deleted.');
    if (still.state !== 'done') throw new Error('This still is not finished.');
    c.seconds = still.seconds;
    const response = await fetch(api.stillFile(still.id, 'exr-float'));
    if (!response.ok) throw new Error('The picture of this still could not be loaded.');
    const tone = (still.recipe[still.tier]['lens.tone'] as ToneCurve | undefined) ?? 'neutral';
    const bytes = new Uint8Array(await response.arrayBuffer());
    show(key, await measurer.putBytes(key, bytes, `still ${still.id.slice(0, 8)}`, tone));
  }
  async function loadFile(key: string): Promise<void> {
    const c = of(key)!;
    c.name = key.slice('file:'.length);
    const file = files.get(key);
    if (!file) throw new Error(`Drop ${c.name} again: files are not kept when the page is left.`);
    show(key, await measurer.putBytes(key, new Uint8Array(await file.arrayBuffer()), file.name));
  }
  async function loadLive(key: string): Promise<void> {
    const { tier, method, rigId } = liveOf(key)!;
    const c = of(key)!;
    const rig = rigId ? `${rigName(rigId) ?? 'a rig that was deleted'}, ` : '';
    c.name = `${rig}${tier === 'final' ? 'Final' : 'Draft'}, ${METHODS[method] ?? method}`;
    await settledSizes();
    const wish = wishOf({ tier, method, rigId }, sizeOfOthers());
    if (!wish || !(method in METHODS)) throw new Error('There is no such render.');
    const ticket = renderPool().render({ ...wish, view: 'picture' });
    tickets.set(key, ticket);
    const timer = setInterval(() => {
      const mine = of(key);
      if (mine) mine.progress = ticket.progress();
    }, 200);
    const frame = await ticket.promise.finally(() => clearInterval(timer));
    if (!frame.finished) throw new Error('Cancelled.');
    const mine = of(key);
    if (mine) mine.seconds = frame.seconds;
    show(key, await measurer.putImage(key, imageOf(frame, wish, c.name)));
  }
  /** Waits until stills and files say how large they are. */
  async function settledSizes(): Promise<void> {
    const waits = (): boolean =>
      list.value.some((c) => !c.key.startsWith('live:') && c.state === 'loading') ||
      keys.value.some((k) => !k.startsWith('live:') && !started.has(k));
    while (waits()) await new Promise((done) => setTimeout(done, 50));
  }
  function sizeOfOthers(): { width: number; height: number } | null {
    const fixed = list.value.filter((c) => !c.key.startsWith('live:') && c.picture);
    const chosen = fixed.find((c) => c.key === reference.value) ?? fixed[0];
    return chosen?.picture ? { width: chosen.picture.width, height: chosen.picture.height } : null;
  }

  onUnmounted(() => {
    for (const ticket of tickets.values()) ticket.cancel();
    measurer.terminate();
  });
  const cancel = (key: string): void => tickets.get(key)?.cancel();
  const setReference = (key: string): void => go({ reference: key });
  return { list, keys, reference, measurer, add, addFiles, remove, again, cancel, setReference };
}

/** Copies, since a frame's memory is used again. */
function imageOf(frame: RenderedFrame, wish: Wish, name: string): MeasuredImage {
  const { width, height, views } = frame;
  const ev = wish.recipe['lens.exposure'] as number;
  const scale = exp2(ev);
  return {
    name,
    width,
    height,
    rgb: new Float32Array(views.beauty.subarray(0, width * height * 3)),
    tone: wish.recipe['lens.tone'] as ToneCurve,
    light: views.sums.length === width * height * SUMS ? lightLayers(views.sums, frame.samples, ev) : undefined,
    error: knowsPaths(views)
      ? Float32Array.from({ length: width * height }, (_, i) => standardError(views.paths, i) * scale)
      : undefined,
  };
}
