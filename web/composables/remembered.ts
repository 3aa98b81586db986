/** What an artist had set up on a screen, kept in the browser for each shot. */
import { ref, watch, type Ref } from 'vue';

const PREFIX = 'daxel-kept';

/**
 * A value that is read when its name changes and kept whenever it changes.
 * @param name of the value, null while it is not known yet
 * @param first what it is where nothing was kept, or what was kept is not valid any more
 */
export function remembered<T>(name: () => string | null, first: () => T, valid: (value: T) => boolean): Ref<T> {
  const value = ref(first()) as Ref<T>;
  watch(
    name,
    (now) => {
      if (now !== null) value.value = keptUnder(now, valid) ?? first();
    },
    { immediate: true, flush: 'sync' },
  );
  watch(
    value,
    (next) => {
      const now = name();
      if (now === null) return;
      try {
        localStorage.setItem(`${PREFIX} ${now}`, JSON.stringify(next));
      } catch {
        // a full or forbidden storage forgets: nothing but comfort is lost
      }
    },
    { deep: true },
  );
  return value;
}

function keptUnder<T>(name: string, valid: (value: T) => boolean): T | null {
  try {
    const kept = JSON.parse(localStorage.getItem(`${PREFIX} ${name}`) ?? 'null') as T | null;
    return kept !== null && valid(kept) ? kept : null;
  } catch {
    return null;
  }
}
