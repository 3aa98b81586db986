/** Flicker of named parts of the picture, on which an artist keeps an eye. */
import type { Rect } from '../rect';
import { flickerIn } from './flicker';
import { regionRect } from './regions';

/**
 * What a hundredth of the measured pixels of each part exceeds; regions over which light moves do not count.
 * @param map, valid, moving as `StabilityMeter.onMap` has them
 * @returns null for a part of which nothing was measured
 */
export function flickerOfParts(
  map: Float32Array,
  valid: Float32Array,
  moving: Uint8Array,
  width: number,
  parts: readonly Rect[],
): (number | null)[] {
  if (parts.length === 0) return [];
  const counted = moving.includes(1) ? valid.slice() : valid;
  moving.forEach((m, n) => {
    if (m === 0) return;
    const { x, y, width: w, height: h } = regionRect(n, width, map.length / width);
    for (let row = y; row < y + h; row++) counted.fill(0, row * width + x, row * width + x + w);
  });
  return parts.map((part) => flickerIn(map, counted, width, part));
}
