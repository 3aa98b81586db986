/** Stills of all projects, newest first, kept current by the server's events. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Still } from '@daxel/api/schemas';
import { api } from '../api/client';

export const useStills = defineStore('stills', () => {
  const list = ref<Still[]>([]);
  const loaded = ref(false);
  const running = computed(() => list.value.filter((s) => s.state === 'queued' || s.state === 'running').reverse());

  async function load(): Promise<void> {
    list.value = await api.stills();
    loaded.value = true;
  }
  function put(still: Still): void {
    const at = list.value.findIndex((s) => s.id === still.id);
    if (at >= 0) list.value[at] = still;
    else list.value = [still, ...list.value].sort((a, b) => b.createdAt.localeCompare(a.createdAt));
  }
  function drop(id: string): void {
    list.value = list.value.filter((s) => s.id !== id);
  }
  return { list, loaded, running, load, put, drop };
});
