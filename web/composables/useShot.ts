/** The shot that the address names, with its scene loaded into the render workers. */
import { computed, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { api } from '../api/client';
import { createRenderer, type Renderer } from '../render/browserPool';
import { useProjects } from '../stores/projects';

export const LAST_VISITED = 'daxel-last-shot';

/** One pool for the life of the page: starting threads and sending scenes is slow, keeping them is not. */
let sharedPool: Renderer | null = null;
let held: { id: string; buffer: ArrayBufferLike } | null = null;

export function renderPool(): Renderer {
  return (sharedPool ??= createRenderer());
}

export function useShot(shotId: Ref<string>) {
  const projects = useProjects();
  const found = computed(() => projects.find(shotId.value));
  const missing = computed(() => projects.loaded && !found.value);
  const scene = shallowRef<CompiledScene | null>(null);
  const loading = ref(0);
  const failure = ref<string | null>(null);
  let abort: AbortController | null = null;

  watch(
    () => found.value?.scene.id,
    async (sceneId) => {
      abort?.abort();
      scene.value = null;
      failure.value = null;
      if (!sceneId || !found.value) return;
      const mine = (abort = new AbortController());
      const { compiledBytes, compiledHash } = found.value.scene;
      try {
        const pool = renderPool();
        if (held?.id !== compiledHash) {
          const buffer = await api.compiledScene(
            sceneId,
            compiledBytes,
            (share) => (loading.value = share),
            mine.signal,
          );
          if (mine.signal.aborted) return;
          if (held) pool.forgetScene(held.id);
          held = { id: compiledHash, buffer };
        }
        scene.value = pool.setScene(compiledHash, held.buffer);
      } catch (error) {
        if (!mine.signal.aborted) failure.value = (error as Error).message;
      }
    },
    { immediate: true },
  );
  watch(
    [shotId, found],
    () => {
      if (found.value) localStorage.setItem(LAST_VISITED, shotId.value);
    },
    { immediate: true },
  );
  onUnmounted(() => abort?.abort());
  const sceneId = computed(() => found.value?.scene.compiledHash ?? '');
  return { found, missing, scene, sceneId, loading, failure };
}
