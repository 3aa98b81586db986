import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { computed, nextTick, ref, shallowRef } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { Lut } from '@daxel/core/film/lut';
import type { Picture } from '../render/preview';
import { useNotices } from '../stores/notices';
import type { Run } from '../stores/runs';
import { useHint } from './useHint';
import { useLooking } from './useLooking';

const kept = new Map<string, Lut>();
vi.mock('../stores/gradeShelf', () => ({
  gradeOf: (id: string) => Promise.resolve(kept.get(id) ?? null),
  keepGrade: (id: string, lut: Lut) => Promise.resolve(void kept.set(id, lut)),
}));

const grey = (level: number, width = 2): Picture => ({
  width,
  height: 1,
  codes: new Uint8ClampedArray(width * 4).fill(level),
  samples: 1,
  coarse: false,
});
const runOf = (first: number, pictures: Picture[]): Run => ({ first, pictures }) as Run;

beforeEach(() => setActivePinia(createPinia()));
afterEach(() => void vi.unstubAllGlobals());

function looking(now: Run | null, then: Run | null, at: number) {
  const [run, before] = [shallowRef(now), shallowRef(then)];
  const frame = ref(at);
  const picture = computed(() => run.value?.pictures[frame.value - run.value.first] ?? null);
  const shotId = ref('one');
  return { run, before, frame, shotId, ...useLooking(shotId, run, before, frame, picture) };
}
/** As the file field hands it over. */
const chosen = (name: string, text: string): Event =>
  ({ target: { files: [new File([text], name)], value: name } }) as unknown as Event;
const INVERSE = 'LUT_1D_SIZE 2\n1 1 1\n0 0 0\n';

describe('how a run is looked at', () => {
  it('is as it is, until asked otherwise', () => {
    const { seen } = looking(runOf(8, [grey(10), grey(20)]), null, 9);
    expect(seen.value?.codes[0]).toBe(20);
  });

  it('differs from the run before by eight times as much, frame by frame, whatever they begin with', () => {
    const { seen, difference, frame } = looking(
      runOf(8, [grey(10), grey(20)]),
      runOf(7, [grey(0), grey(9), grey(25)]),
      8,
    );
    difference.value = true;
    expect(seen.value?.codes[0]).toBe(128 + 8);
    frame.value = 9;
    expect(seen.value?.codes[0]).toBe(128 - 40);
  });

  it('is shown itself where there is nothing to hold it against', () => {
    const { seen, difference } = looking(runOf(8, [grey(10)]), runOf(9, [grey(0)]), 8);
    difference.value = true;
    expect(seen.value?.codes[0]).toBe(10);
    const other = looking(runOf(8, [grey(10)]), runOf(8, [grey(0, 3)]), 8);
    other.difference.value = true;
    expect(other.seen.value?.codes[0]).toBe(10);
  });

  it('goes through a table once one is there, and back', async () => {
    const { seen, graded, toggleGrade, loadTable, tableFile } = looking(runOf(0, [grey(0)]), null, 0);
    const click = vi.fn();
    tableFile.value = { click } as unknown as HTMLInputElement;
    // without one the file is asked for
    toggleGrade();
    expect(click).toHaveBeenCalledOnce();
    await loadTable(chosen('inverse.cube', INVERSE));
    expect([graded.value, seen.value?.codes[0]]).toEqual([true, 255]);
    toggleGrade();
    expect([graded.value, seen.value?.codes[0]]).toEqual([false, 0]);
  });

  it('keeps the table it has when another one is broken, and says what is wrong', async () => {
    const { lut, loadTable } = looking(runOf(0, [grey(0)]), null, 0);
    await loadTable(chosen('inverse.cube', INVERSE));
    const before = lut.value;
    await loadTable(chosen('broken.cube', 'LUT_1D_SIZE 2\n1 1 1\n'));
    expect(lut.value).toBe(before);
    expect(useNotices().current).toMatchObject({ flagged: true });
    expect(useNotices().current?.text).toContain('broken.cube');
  });

  it('keeps the grade with its shot', async () => {
    kept.clear();
    const first = looking(runOf(8, [grey(10)]), null, 8);
    await first.loadTable(chosen('look.cube', INVERSE));
    first.shotId.value = 'two';
    await nextTick();
    await nextTick();
    expect([first.lut.value, first.graded.value]).toEqual([null, false]);
    const again = looking(runOf(8, [grey(10)]), null, 8);
    await vi.waitFor(() => expect(again.lut.value?.name).toBe('look'));
    // it is there, and looked through when it is asked for
    expect(again.graded.value).toBe(false);
  });
});

describe('the line of what to try', () => {
  const store = new Map<string, string>();
  beforeEach(() => {
    store.clear();
    vi.stubGlobal('localStorage', {
      getItem: (key: string) => store.get(key) ?? null,
      setItem: (key: string, value: string) => void store.set(key, value),
    });
  });
  const shot = (id: string, hint: string | null): Shot => ({ id, hint }) as Shot;

  it('stands until it is dismissed, for good and for this shot alone', () => {
    const current = ref<Shot | null>(shot('a', 'Raise the samples.'));
    const { hint, dismiss } = useHint(current);
    expect(hint.value).toBe('Raise the samples.');
    dismiss();
    expect(hint.value).toBeNull();
    current.value = shot('b', 'Look at the rail.');
    expect(hint.value).toBe('Look at the rail.');
    expect(useHint(ref(shot('a', 'Raise the samples.'))).hint.value).toBeNull();
    current.value = shot('c', null);
    expect(hint.value).toBeNull();
  });
});
