import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { watchLife } from './watchLife';

/** Seconds at which it is given up. @param touches when files are touched, seconds @returns null when it never is in ten minutes */
function givenUp(touches: readonly number[]): number | null {
  const life = new Int32Array(1);
  const from = Date.now();
  let at: number | null = null;
  const watch = watchLife(
    life,
    () => (at = (Date.now() - from) / 1000),
    () => Date.now(),
  );
  for (let second = 0; second < 600; second++) {
    if (touches.includes(second)) life[0]++;
    vi.advanceTimersByTime(1000);
  }
  clearInterval(watch);
  return at;
}
const until = (from: number, to: number, step = 1): number[] =>
  Array.from({ length: Math.ceil((to - from) / step) }, (_, i) => from + i * step);

describe('a database that is opened', () => {
  beforeEach(() => void vi.useFakeTimers({ now: 0 }));
  afterEach(() => void vi.useRealTimers());

  it('is waited for as long as it reads and writes', () => {
    expect(givenUp(until(1, 600))).toBeNull();
    expect(givenUp(until(1, 600, 8))).toBeNull();
  });

  it('is given up ten seconds after it went still', () => {
    const at = givenUp(until(1, 5))!;
    expect(at).toBeGreaterThan(14);
    expect(at).toBeLessThan(16);
  });

  it('is waited for longer where its program was slow to load, and given up all the same', () => {
    expect(givenUp(until(8, 600, 25))).toBeNull();
    expect(givenUp(until(8, 20))!).toBeLessThan(60);
  });

  it('has two minutes to load', () => {
    expect(givenUp(until(100, 600))).toBeNull();
    expect(givenUp([])!).toBeGreaterThan(119);
    expect(givenUp([])!).toBeLessThan(122);
  });
});
