/** The search for what cures a bad shadow edge, as a screen shows it. */
import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import { searchShadowCures, type ShadowSearchResult } from '@daxel/core/plan/shadowSearch';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { patchBench } from '../render/patchBench';
import { painted } from './painted';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

export interface Cures extends ShadowSearchResult {
  patch: string;
}

export function useCures(wish: Ref<Wish | null>, scene: Ref<CompiledScene | null>) {
  const found = shallowRef<Cures | null>(null);
  const running = ref<{ patch: string; done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let abort = new AbortController();

  async function search(patch: string, share: { x: number; y: number; width: number; height: number }): Promise<void> {
    const start = wish.value;
    if (!start || !scene.value || running.value) return;
    abort = new AbortController();
    const { signal } = abort;
    failure.value = null;
    found.value = null;
    running.value = { patch, done: 0, all: 1 };
    try {
      const asked = { recipe: start.recipe, facts: sceneFacts(scene.value, start.lighting) };
      const result = await searchShadowCures(patchBench(renderPool(), start, share), asked, {
        signal,
        at: (done, all) => (running.value = { patch, done, all }),
        breathe: painted,
      });
      found.value = { patch, ...result };
    } catch (error) {
      if ((error as Error).name !== 'AbortError') failure.value = (error as Error).message;
    } finally {
      running.value = null;
    }
  }
  const cancel = (): void => abort.abort();
  // figures of another picture say nothing about this one
  watch(wish, () => {
    cancel();
    found.value = null;
  });
  onUnmounted(cancel);
  return { found, running, failure, search, cancel };
}
