import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, ref, type EffectScope } from 'vue';
import { usePlayer, type Playable } from './usePlayer';

let scope: EffectScope;
let time = 0;
let due: (() => void) | null = null;
/** Lets time pass in steps of a screen's refresh. */
function pass(ms: number): void {
  for (const end = time + ms; time < end;) {
    time += 16;
    const run = due;
    due = null;
    run?.();
  }
}
beforeEach(() => {
  time = 0;
  due = null;
  scope = effectScope();
  vi.stubGlobal('requestAnimationFrame', (run: () => void) => {
    due = run;
    return 1;
  });
  vi.stubGlobal('cancelAnimationFrame', () => (due = null));
});
afterEach(() => {
  scope.stop();
  vi.unstubAllGlobals();
});
const play = (run: Playable) => {
  const source = ref<Playable | null>(run);
  return { source, player: scope.run(() => usePlayer(source, () => time))! };
};

describe('playing frames', () => {
  it('follows the clock at the rate of the shot', () => {
    const { player } = play({ first: 10, count: 48, rate: 24 });
    expect(player.frame.value).toBe(10);
    player.toggle();
    pass(500);
    expect(Math.abs(player.frame.value - 22)).toBeLessThanOrEqual(1);
  });

  it('begins again at the end, or stops there', () => {
    const { player } = play({ first: 0, count: 12, rate: 24 });
    player.toggle();
    pass(700);
    expect(player.playing.value).toBe(true);
    expect(player.frame.value).toBeLessThan(8);
    player.loop.value = false;
    pass(800);
    expect(player.frame.value).toBe(11);
    expect(player.playing.value).toBe(false);
    // played again it begins at the first frame
    player.toggle();
    expect(player.frame.value).toBe(0);
  });

  it('steps one frame and no further than the ends', () => {
    const { player } = play({ first: 5, count: 3, rate: 24 });
    player.step(1);
    expect(player.frame.value).toBe(6);
    player.step(9);
    expect(player.frame.value).toBe(7);
    player.step(-99);
    expect(player.frame.value).toBe(5);
    player.go(6.6);
    expect(player.frame.value).toBe(7);
  });

  it('does not play a single frame, nor nothing', () => {
    const { player, source } = play({ first: 0, count: 1, rate: 24 });
    player.toggle();
    expect(player.playing.value).toBe(false);
    source.value = null;
    player.toggle();
    expect(player.playing.value).toBe(false);
  });
});
