/** A name that is edited in place: a field opens on it, Enter or leaving keeps it, an empty one is not taken. */
import { nextTick, ref, useTemplateRef } from 'vue';

/**
 * The component's input carries `ref="renaming"`.
 * @param current the name as it is
 * @param keepName called with a name that is new
 */
export function useRename(current: () => string, keepName: (name: string) => void) {
  const editing = ref(false);
  const name = ref('');
  const field = useTemplateRef<HTMLInputElement>('renaming');

  async function edit(): Promise<void> {
    name.value = current();
    editing.value = true;
    await nextTick();
    field.value?.select();
  }
  function keep(): void {
    if (!editing.value) return;
    editing.value = false;
    const next = name.value.trim();
    if (next && next !== current()) keepName(next);
  }
  return { editing, name, edit, keep };
}
