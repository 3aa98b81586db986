/** Wedges of the shot that is open, newest first, and those of all shots that are not done; kept current by events. */
import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { Wedge } from '@daxel/api/schemas';
import { api } from '../api/client';

export const useWedges = defineStore('wedges', () => {
  const shotId = ref('');
  const list = ref<Wedge[]>([]);
  const loaded = ref(false);
  /** Of all shots: being rendered, or waiting for it. */
  const open = ref<Wedge[]>([]);

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
  async function loadOpen(): Promise<void> {
    open.value = await api.openWedges();
  }
  function put(wedge: Wedge): void {
    const others = open.value.filter((w) => w.id !== wedge.id);
    open.value = wedge.state === 'queued' || wedge.state === 'running' ? [...others, wedge] : others;
    if (wedge.shotId !== shotId.value) return;
    const at = list.value.findIndex((w) => w.id === wedge.id);
    if (at >= 0) list.value[at] = wedge;
    else list.value = [wedge, ...list.value];
  }
  function drop(id: string): void {
    list.value = list.value.filter((w) => w.id !== id);
    open.value = open.value.filter((w) => w.id !== id);
  }
  return { list, loaded, open, load, loadOpen, put, drop };
});
