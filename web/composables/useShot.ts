/** The shot that the address names, with its scene loaded into the render workers. */
import { computed, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { packSketch, sketchBytes } from '@daxel/core/scene/packScene';
import { api } from '../api/client';
import type { SceneRoom } from '@daxel/core/frame/renderPool';
import { createRenderer, type Renderer } from '../render/browserPool';
import { useProjects } from '../stores/projects';

const LAST_VISITED = 'daxel-last-shot';

/** The shot last looked at if it is still there, or the first there is. */
export function shotToOpen({ find, shots }: Pick<ReturnType<typeof useProjects>, 'find' | 'shots'>): string | null {
  const last = localStorage.getItem(LAST_VISITED);
  return ((last && find(last)?.shot) || shots[0]?.shot)?.id ?? null;
}

/** One pool for the life of the page: starting threads and sending scenes is slow, keeping them is not. */
let sharedPool: Renderer | null = null;
let held: { id: string; scene: CompiledScene } | null = null;
let sketches = 0;
/** Scenes that something is still rendered of, by how many, whatever shot is looked at. */
const inUse = new Map<string, number>();
/** A sketch that spares less than this share of a scene's bytes is not worth a picture of its own. */
const SPARED = 0.3;
/** A sketch is drawn before the rest comes, which takes the same processors; milliseconds it gets. */
const SKETCH_MS = 1000;

/** A scene stays with the threads until it is let go of. @returns lets go */
export function holdScene(id: string): () => void {
  inUse.set(id, (inUse.get(id) ?? 0) + 1);
  return () => {
    const left = (inUse.get(id) ?? 1) - 1;
    if (left > 0) return void inUse.set(id, left);
    inUse.delete(id);
    if (held?.id !== id) renderPool().forgetScene(id);
  };
}

export function renderPool(): Renderer {
  return (sharedPool ??= createRenderer());
}

/** @param sketched whether the scene without the fine levels of its textures will do until all of it is there */
export function useShot(shotId: Ref<string>, { sketched = false } = {}) {
  const projects = useProjects();
  const found = computed(() => projects.find(shotId.value));
  const missing = computed(() => projects.loaded && !found.value);
  const scene = shallowRef<CompiledScene | null>(null);
  /** Name of its sketch, while that stands for it. */
  const sketch = ref<string | null>(null);
  const loading = ref(0);
  const failure = ref<string | null>(null);
  let abort: AbortController | null = null;
  /** To be called when a picture of the sketch is there. */
  let sketchDrawn = (): void => undefined;

  watch(
    () => found.value?.scene.id,
    (sceneId) => {
      abort?.abort();
      scene.value = sketch.value = failure.value = null;
      if (!sceneId || !found.value) return;
      const { compiledBytes, compiledHash } = found.value.scene;
      if (held?.id === compiledHash) scene.value = held.scene;
      else void load(sceneId, compiledHash, compiledBytes, (abort = new AbortController()));
    },
    { immediate: true },
  );

  async function load(sceneId: string, id: string, size: number, { signal }: AbortController): Promise<void> {
    const pool = renderPool();
    // a screen that is being left may still hold one of the same scene
    const sketchId = `${id} sketch ${++sketches}`;
    let room: SceneRoom | null = null;
    let needed: number | null = null;
    const drawn = new Promise<void>((resolve) => (sketchDrawn = resolve));
    const onArrived = (bytes: number): void | Promise<void> => {
      loading.value = bytes / size;
      if (!sketched || sketch.value || !room) return;
      needed ??= sketchBytes(room.bytes, bytes);
      if (needed === null || bytes < needed || needed > size * (1 - SPARED)) return;
      scene.value = pool.setScene(sketchId, packSketch(room.bytes).buffer);
      sketch.value = sketchId;
      return Promise.race([drawn, new Promise<void>((resolve) => setTimeout(resolve, SKETCH_MS))]);
    };
    try {
      room = pool.receiveScene(size);
      await api.compiledScene(sceneId, room.bytes, onArrived, signal);
      signal.throwIfAborted();
      if (held && !inUse.has(held.id)) pool.forgetScene(held.id);
      held = null;
      held = { id, scene: room.keep(id) };
      scene.value = held.scene;
      sketch.value = null;
    } catch (error) {
      room?.discard();
      if (signal.aborted) return;
      scene.value = sketch.value = null;
      failure.value = (error as Error).message;
    } finally {
      pool.forgetScene(sketchId);
    }
  }

  watch(
    [shotId, found],
    () => {
      if (found.value) localStorage.setItem(LAST_VISITED, shotId.value);
    },
    { immediate: true },
  );
  onUnmounted(() => abort?.abort());
  const sceneId = computed(() => found.value?.scene.compiledHash ?? '');
  return { found, missing, scene, sceneId, sketch, sketchDrawn: () => sketchDrawn(), loading, failure };
}
