/** The search for what makes a place of a run flicker, as a screen shows it. */
import { onUnmounted, ref, shallowRef } from 'vue';
import type { Rect } from '@daxel/core/measure/rect';
import { searchFlicker, type FlickerCause, type FlickerSearchStep } from '@daxel/core/plan/flickerSearch';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import { runBench } from '../render/runBench';
import type { Run } from '../stores/runs';
import { createWorker, type StabilityPort } from './useRun';
import { renderPool } from './useShot';

export function useCause(createPort: () => StabilityPort = createWorker) {
  const found = shallowRef<FlickerCause | null>(null);
  const running = ref<FlickerSearchStep | null>(null);
  const failure = ref<string | null>(null);
  let abort = new AbortController();

  async function search({ order, report }: Run, frame: number, rect: Rect): Promise<void> {
    if (running.value || !order) return;
    abort = new AbortController();
    const { signal } = abort;
    failure.value = null;
    found.value = null;
    running.value = { done: 0, all: 1 };
    const { recipe, lighting } = order.wish;
    const place = { recipe, facts: sceneFacts(order.scene, lighting), frame, rect, worst: report?.worst ?? [] };
    try {
      const followed = await searchFlicker(runBench(renderPool(), createPort, order), place, {
        signal,
        now: () => performance.now(),
        at: (step) => (running.value = step),
        found: (cause) => (found.value = cause),
      });
      if (!followed) failure.value = 'Nothing at this place can be followed from frame to frame: choose another one.';
    } catch (error) {
      if ((error as Error).name !== 'AbortError') failure.value = (error as Error).message;
    } finally {
      running.value = null;
    }
  }
  const cancel = (): void => abort.abort();
  function forget(): void {
    cancel();
    found.value = null;
    failure.value = null;
  }
  onUnmounted(cancel);
  return { found, running, failure, search, cancel, forget };
}
