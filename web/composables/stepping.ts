/** How a number moves by a notch or by a drag, within its range. */
import type { NumberSetting } from '@daxel/core/recipe/settings';

const PIXELS_PER_NOTCH = 6;

/** One notch up or down; a setting that doubles is doubled or halved. */
export function stepped(s: NumberSetting, value: number, direction: 1 | -1, times = 1): number {
  const raw = s.doubling && times === 1 ? (direction > 0 ? value * 2 : value / 2) : value + direction * s.step * times;
  return fit(s, raw, s.doubling ? 1 : s.step);
}

/** @param pixels of the hand, to the right is up */
export function dragged(s: NumberSetting, start: number, pixels: number): number {
  const notches = Math.trunc(pixels / PIXELS_PER_NOTCH);
  if (s.doubling) return fit(s, start * 2 ** Math.trunc(notches / 4), 1);
  return fit(s, start + notches * s.step, s.step);
}

function fit(s: NumberSetting, value: number, step: number): number {
  const rounded = s.kind === 'integer' ? Math.round(value) : Math.round(value / step) * step;
  return Number(Math.min(s.max, Math.max(s.min, rounded)).toFixed(4));
}
