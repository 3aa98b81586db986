/** The one line of what to try, until it is dismissed. */
import { computed, ref, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';

const SEEN = 'daxel-hints-seen';

export function useHint(shot: Ref<Shot | null>) {
  const seen = ref<string[]>((localStorage.getItem(SEEN) ?? '').split(' ').filter(Boolean));
  const hint = computed(() => (shot.value?.hint && !seen.value.includes(shot.value.id) ? shot.value.hint : null));
  function dismiss(): void {
    if (!shot.value) return;
    seen.value = [...seen.value, shot.value.id].slice(-200);
    localStorage.setItem(SEEN, seen.value.join(' '));
  }
  return { hint, dismiss };
}
