import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { nextTick, ref } from 'vue';
import { remembered } from './remembered';

let store: Map<string, string>;
beforeEach(() => {
  store = new Map();
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => store.get(key) ?? null,
    setItem: (key: string, value: string) => void store.set(key, value),
  });
});
afterEach(() => void vi.unstubAllGlobals());
const range = (name: () => string | null) =>
  remembered(
    name,
    () => ({ from: 0, to: 23 }),
    (r) => Number.isInteger(r.from) && Number.isInteger(r.to),
  );

describe('what was set up on a screen', () => {
  it('is there again for the same shot, and not for another one', async () => {
    const shot = ref<string | null>(null);
    const kept = range(() => shot.value);
    expect(kept.value).toEqual({ from: 0, to: 23 });
    shot.value = 'one';
    kept.value = { from: 5, to: 9 };
    await nextTick();
    shot.value = 'two';
    expect(kept.value).toEqual({ from: 0, to: 23 });
    shot.value = 'one';
    expect(kept.value).toEqual({ from: 5, to: 9 });
    expect(range(() => 'one').value).toEqual({ from: 5, to: 9 });
  });

  it('begins anew where what was kept is damaged or no longer valid', () => {
    for (const damage of ['{', '{"from":"x"}', 'null']) {
      store.set('daxel-kept one', damage);
      expect(range(() => 'one').value).toEqual({ from: 0, to: 23 });
    }
  });

  it('does without a storage that is full', async () => {
    vi.stubGlobal('localStorage', {
      getItem: () => null,
      setItem: () => {
        throw new Error('full');
      },
    });
    const kept = range(() => 'one');
    kept.value = { from: 1, to: 2 };
    await nextTick();
    expect(kept.value).toEqual({ from: 1, to: 2 });
  });
});
