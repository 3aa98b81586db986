import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { shallowRef } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import { useHint } from './useHint';

const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  vi.stubGlobal('localStorage', {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => kept.set(k, v),
  });
});
afterEach(() => void vi.unstubAllGlobals());

const shotOf = (id: string, hint: string | null): Shot => ({ id, hint }) as Shot;

describe('the hint of a shot', () => {
  it('stands until it is dismissed, and does not come back with the next visit', () => {
    const shot = shallowRef<Shot | null>(shotOf('a', 'Try the mirror.'));
    const { hint, dismiss } = useHint(shot);
    expect(hint.value).toBe('Try the mirror.');
    dismiss();
    expect(hint.value).toBeNull();
    expect(useHint(shot).hint.value).toBeNull();
    // another shot has its own
    shot.value = shotOf('b', 'Try the stairs.');
    expect(hint.value).toBe('Try the stairs.');
  });

  it('is nothing where there is no shot, or one without', () => {
    const shot = shallowRef<Shot | null>(null);
    const { hint, dismiss } = useHint(shot);
    dismiss();
    expect([hint.value, kept.size]).toEqual([null, 0]);
    shot.value = shotOf('a', null);
    expect(hint.value).toBeNull();
  });

  it('remembers the last two hundred', () => {
    const shot = shallowRef<Shot | null>(null);
    const { dismiss } = useHint(shot);
    for (let n = 0; n < 205; n++) {
      shot.value = shotOf(`s${n}`, 'x');
      dismiss();
    }
    const ids = [...kept.values()][0].split(' ');
    expect([ids.length, ids[0], ids.at(-1)]).toEqual([200, 's5', 's204']);
  });
});
