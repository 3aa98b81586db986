import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { painted } from './painted';

describe('waiting until the page is painted', () => {
  let frames: (() => void)[] = [];
  beforeEach(() => {
    frames = [];
    vi.useFakeTimers();
    vi.stubGlobal('requestAnimationFrame', (run: () => void) => frames.push(run));
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  const nextFrame = (): void => frames.splice(0).forEach((run) => run());

  it('takes two frames: the first comes before painting', async () => {
    let done = false;
    void painted().then(() => (done = true));
    nextFrame();
    await Promise.resolve();
    expect(done).toBe(false);
    nextFrame();
    await Promise.resolve();
    expect(done).toBe(true);
  });

  it('ends in a page that is hidden and never painted', async () => {
    const waited = painted();
    await vi.advanceTimersByTimeAsync(300);
    await expect(waited).resolves.toBeUndefined();
  });
});
