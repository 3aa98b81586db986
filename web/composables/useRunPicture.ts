/** The picture of a run's frame: from memory, or read from its file again where memory holds no more. */
import { computed, onScopeDispose, shallowRef, watch, type Ref } from 'vue';
import type { Picture } from '../render/preview';
import { useNotices } from '../stores/notices';
import type { Run } from '../stores/runs';

/** @returns while a file is being read the picture that was read last, so that nothing blinks */
export function useRunPicture(run: Ref<Run | null>, frame: Ref<number>): Ref<Picture | null> {
  const notices = useNotices();
  const read = shallowRef<{ again: Run['again']; index: number; picture: Picture } | null>(null);
  let reading = false;
  let gone = false;
  onScopeDispose(() => (gone = true));
  const index = computed(() => frame.value - (run.value?.first ?? 0));
  const held = computed(() => run.value?.pictures[index.value] ?? null);
  const away = computed(() => run.value?.pictures[index.value] === null);

  /** Reads the frame that is looked at; if that has changed meanwhile, the one that is looked at then. */
  async function fetch(): Promise<void> {
    const [again, wanted] = [run.value?.again, index.value];
    if (gone || reading || !away.value || !again) return;
    if (read.value?.again === again && read.value.index === wanted) return;
    reading = true;
    try {
      read.value = { again, index: wanted, picture: await again(wanted) };
    } catch (error) {
      if (!gone) notices.flag(error);
      if (index.value === wanted) return;
    } finally {
      reading = false;
    }
    void fetch();
  }
  watch([() => run.value?.again, index, away], () => void fetch(), { immediate: true });
  return computed(
    () => held.value ?? (away.value && read.value?.again === run.value?.again ? read.value!.picture : null),
  );
}
