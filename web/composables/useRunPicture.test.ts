import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { effectScope, nextTick, ref, shallowRef, type EffectScope } from 'vue';
import type { Picture } from '../render/preview';
import { useNotices } from '../stores/notices';
import type { Run } from '../stores/runs';
import { useRunPicture } from './useRunPicture';

const picture = (samples: number): Picture => ({
  width: 1,
  height: 1,
  codes: new Uint8ClampedArray(4),
  samples,
  coarse: false,
});

let scope: EffectScope;
beforeEach(() => {
  setActivePinia(createPinia());
  scope = effectScope();
});
afterEach(() => scope.stop());

/** Frames from 10 on: two are held, the others are read when they are asked for and then let go by hand. */
function look() {
  const asked: number[] = [];
  let answer: { resolve: (p: Picture) => void; reject: (e: Error) => void } | null = null;
  const again = (index: number): Promise<Picture> => {
    asked.push(index);
    return new Promise((resolve, reject) => (answer = { resolve, reject }));
  };
  const run = shallowRef({
    first: 10,
    pictures: [picture(10), picture(11), null, null, null],
    again,
  } as unknown as Run);
  const frame = ref(10);
  const shown = scope.run(() => useRunPicture(run, frame))!;
  const settle = async (of: (a: NonNullable<typeof answer>) => void): Promise<void> => {
    of(answer!);
    await new Promise((resolve) => setTimeout(resolve));
  };
  return { run, frame, shown, asked, settle };
}

describe('the picture of a frame', () => {
  it('comes from memory where it is held, else from its file', async () => {
    const { frame, shown, asked, settle } = look();
    expect(shown.value?.samples).toBe(10);
    frame.value = 12;
    await nextTick();
    expect(asked).toEqual([2]);
    await settle((a) => a.resolve(picture(12)));
    expect(shown.value?.samples).toBe(12);
    frame.value = 11;
    await nextTick();
    expect(shown.value?.samples).toBe(11);
    expect(asked).toEqual([2]);
  });

  it('is the one read last while another is read; what was passed over meanwhile is not read', async () => {
    const { frame, shown, asked, settle } = look();
    frame.value = 12;
    await nextTick();
    await settle((a) => a.resolve(picture(12)));
    frame.value = 13;
    await nextTick();
    frame.value = 14;
    await nextTick();
    expect(shown.value?.samples).toBe(12);
    await settle((a) => a.resolve(picture(13)));
    await settle((a) => a.resolve(picture(14)));
    expect(asked).toEqual([2, 3, 4]);
    expect(shown.value?.samples).toBe(14);
    frame.value = 12;
    await nextTick();
    frame.value = 13;
    await nextTick();
    frame.value = 14;
    await nextTick();
    await settle((a) => a.resolve(picture(12)));
    expect(asked).toEqual([2, 3, 4, 2, 4]);
  });

  it('of a file that is gone is told, and others can still be read', async () => {
    const { frame, shown, asked, settle } = look();
    frame.value = 12;
    await nextTick();
    await settle((a) => a.reject(new Error('f.12.png cannot be read any more')));
    expect(useNotices().current).toMatchObject({ flagged: true, text: expect.stringContaining('f.12.png') as string });
    frame.value = 13;
    await nextTick();
    await settle((a) => a.resolve(picture(13)));
    expect(asked).toEqual([2, 3]);
    expect(shown.value?.samples).toBe(13);
  });

  it('is never that of another run', async () => {
    const { run, frame, shown, settle } = look();
    frame.value = 12;
    await nextTick();
    await settle((a) => a.resolve(picture(12)));
    run.value = { ...run.value, again: () => new Promise<Picture>(() => undefined) };
    await nextTick();
    expect(shown.value).toBeNull();
  });
});
