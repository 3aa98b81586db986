/** How a number moves by a notch or by a drag, within its range. */
import type { NumberSetting } from '@daxel/core/recipe/settings';

const PIXELS_PER_NOTCH = 6;

/** One notch up or down; a setting that doubles is doubled or halved. */
export function stepped(s: NumberSetting, value: number, direction: 1 | -1, times = 1): number {
  const raw =
    s.doubling && times === 1
      ? direction > 0
        ? Math.max(1, value * 2)
        : Math.floor(value / 2)
      : value + direction * s.step * times;
  return fit(s, raw, s.doubling ? 1 : s.step);
}

/** @param pixels of the hand, to the right is up */
export function dragged(s: NumberSetting, start: number, pixels: number): number {
  const notches = Math.trunc(pixels / PIXELS_PER_NOTCH);
  if (s.doubling) {
    const doublings = Math.trunc(notches / 4);
    // from a least value of 0, which no doubling leaves, the first notch goes to 1
    const raw = start > 0 ? start * 2 ** doublings : doublings > 0 ? 2 ** (doublings - 1) : 0;
    return fit(s, start > 0 && raw < 1 ? 0 : raw, 1);
  }
  return fit(s, start + notches * s.step, s.step);
}

function fit(s: NumberSetting, value: number, step: number): number {
  const rounded = s.kind === 'integer' ? Math.round(value) : Math.round(value / step) * step;
  return Number(Math.min(s.max, Math.max(s.min, rounded)).toFixed(4));
}
