/** Sequences of all projects, newest first, kept current by the server's events. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Sequence } from '@daxel/api/schemas';
import { api } from '../api/client';

export const useSequences = defineStore('sequences', () => {
  const list = ref<Sequence[]>([]);
  const loaded = ref(false);
  const running = computed(() => list.value.filter((s) => s.state === 'queued' || s.state === 'running').reverse());

  async function load(): Promise<void> {
    list.value = await api.sequences();
    loaded.value = true;
  }
  /** @returns what it was before */
  function put(sequence: Sequence): Sequence | null {
    const at = list.value.findIndex((s) => s.id === sequence.id);
    if (at < 0) {
      list.value = [sequence, ...list.value].sort((a, b) => b.createdAt.localeCompare(a.createdAt));
      return null;
    }
    const before = list.value[at];
    list.value[at] = sequence;
    return before;
  }
  function drop(id: string): void {
    list.value = list.value.filter((s) => s.id !== id);
  }
  return { list, loaded, running, load, put, drop };
});

/** Frames that are finished, sound or not. */
export function finishedFrames(s: Sequence): number {
  let n = 0;
  for (const letter of s.map) if (letter !== '.') n++;
  return n;
}

/** The last finished frame of a map of frames, or null. */
export function newestFrame(map: string, first: number): number | null {
  const at = Math.max(map.lastIndexOf('+'), map.lastIndexOf('!'));
  return at < 0 ? null : first + at;
}

/** Share of the whole that is done, 0…1. */
export function sequenceProgress(s: Sequence): number {
  return Math.min(1, (finishedFrames(s) + s.progress) / s.map.length);
}
