/** How a run is looked at: difference to the run before, a grade, a dark room. None of it changes a frame. */
import { computed, ref, shallowRef, watch, type Ref } from 'vue';
import { BadFileError } from '@daxel/core/errors';
import type { Lut } from '@daxel/core/film/lut';
import { MOST_CUBE_BYTES, readCube } from '@daxel/formats/lut/readCube';
import { amplified, createGrader } from '../render/lookAt';
import type { Picture } from '../render/preview';
import { useNotices } from '../stores/notices';
import { gradeOf, keepGrade } from '../stores/gradeShelf';
import type { Run } from '../stores/runs';

/** What a difference is multiplied by. */
export const DIFFERENCE = 8;

/** @param shotId whose grade it is: it is there again the next time */
export function useLooking(
  shotId: Ref<string>,
  run: Ref<Run | null>,
  before: Ref<Run | null>,
  frame: Ref<number>,
  picture: Ref<Picture | null>,
) {
  const notices = useNotices();
  const lut = shallowRef<Lut | null>(null);
  const graded = ref(false);
  const dark = ref(false);
  const difference = ref(false);
  const grade = createGrader();
  watch(
    shotId,
    async (id) => {
      lut.value = null;
      graded.value = false;
      // without a disk there is no grade that was kept
      const kept = await gradeOf(id).catch(() => null);
      if (id === shotId.value && !lut.value) lut.value = kept;
    },
    { immediate: true },
  );
  const seen = computed(() => {
    const [now, then] = [run.value, before.value];
    if (difference.value && now && then) {
      const at = (r: Run): Picture | null | undefined => r.pictures[frame.value - r.first];
      const [a, b] = [at(now), at(then)];
      return (a && b && amplified(a, b, DIFFERENCE)) ?? picture.value;
    }
    return picture.value && grade(picture.value, graded.value ? lut.value : null);
  });
  const tableFile = ref<HTMLInputElement | null>(null);
  async function loadTable(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    try {
      if (file.size > MOST_CUBE_BYTES)
        throw new BadFileError(file.name, 'it is too large for a table', 'Choose a .cube file.');
      lut.value = readCube(await file.text(), file.name);
      graded.value = true;
      await keepGrade(shotId.value, lut.value);
    } catch (error) {
      notices.flag(error);
    }
  }
  function toggleGrade(): void {
    if (lut.value) graded.value = !graded.value;
    else tableFile.value?.click();
  }
  return { lut, graded, dark, difference, seen, tableFile, loadTable, toggleGrade };
}
