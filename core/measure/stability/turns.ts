/** Which way a point's luminance goes from frame to frame of the window, and how often it turns. */
import { WINDOW } from './track';

export const PAIRS = WINDOW - 1;

/**
 * Ways of the changes between WINDOW values, two bits each: 0 none, 1 up, 2 down.
 * @param slight a change no larger than this is none
 */
export function waysOf(s: ArrayLike<number>, slight: number): number {
  let ways = 0;
  for (let k = 0; k < PAIRS; k++) {
    const d = s[k + 1] - s[k];
    if (d > slight) ways |= 1 << (2 * k);
    else if (d < -slight) ways |= 2 << (2 * k);
  }
  return ways;
}

/** How often the ways of a point turn, by its ways. */
export const TURNS = Uint8Array.from({ length: 1 << (2 * PAIRS) }, (_, ways) => {
  let [turns, last] = [0, 0];
  for (let k = 0; k < PAIRS; k++) {
    const way = (ways >> (2 * k)) & 3;
    if (way === 0) continue;
    if (last !== 0 && way !== last) turns++;
    last = way;
  }
  return turns;
});
