/** Wedges of the shot that is open, newest first, kept current by the server's events. */
import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { Wedge } from '@daxel/api/schemas';
import { api } from '../api/client';

export const useWedges = defineStore('wedges', () => {
  const shotId = ref('');
  const list = ref<Wedge[]>([]);
  const loaded = ref(false);

  async function load(shot: string): Promise<void> {
    if (shotId.value !== shot) {
      list.value = [];
      loaded.value = false;
    }
    shotId.value = shot;
    const found = await api.wedges(shot);
    if (shotId.value !== shot) return;
    list.value = found;
    loaded.value = true;
  }
  function put(wedge: Wedge): void {
    if (wedge.shotId !== shotId.value) return;
    const at = list.value.findIndex((w) => w.id === wedge.id);
    if (at >= 0) list.value[at] = wedge;
    else list.value = [wedge, ...list.value];
  }
  function drop(id: string): void {
    list.value = list.value.filter((w) => w.id !== id);
  }
  return { list, loaded, load, put, drop };
});
