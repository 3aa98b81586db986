/**
 * Which of two recipes is quicker, by renders in turn: neighbours on the machine only ever make a render slower, and never
 * both in the same way, so the quickest of each counts, and a difference is claimed when no render contradicts it.
 */

/** Seconds of renders, in the order in which they were made. */
export interface TimesInTurn {
  /** Of the recipe as it is. */
  base: readonly number[];
  /** Of the one that is held against it. */
  other: readonly number[];
}

/** `unsure`: they differ, but not by more than this machine varies. */
export type TimeVerdict = 'same' | 'differs' | 'unsure';

/** Times that differ by less, as a share, are the same on any machine. */
export const SAME_TIME = 0.07;
/** Renders of each that must agree. */
const LEAST_EACH = 3;
/** Where the times lie so far apart that neighbours do not explain it, three renders of both together are enough. */
const PLAIN = 0.5;
const LEAST_PLAIN = 3;
/** Renders of each after which times that contradict each other are left at that; short renders vary more, and cost less. */
const MOST_EACH = 2;
const SHORT_SECONDS = 0.4;
const MOST_SHORT = 5;

/** @returns null when it takes more renders to tell */
export function timeVerdict({ base, other }: TimesInTurn): TimeVerdict | null {
  if (base.length === 0 || other.length === 0) return null;
  if (Math.abs(Math.min(...other) / Math.min(...base) - 1) < SAME_TIME) return 'same';
  // how far apart the nearest two lie
  const gap = Math.max(Math.min(...other) / Math.max(...base), Math.min(...base) / Math.max(...other)) - 1;
  const spread = Math.max(...[base, other].map((t) => Math.max(...t) / Math.min(...t))) - 1;
  const each = Math.min(base.length, other.length);
  const plain = gap > PLAIN && base.length + other.length >= LEAST_PLAIN;
  if (gap > Math.max(SAME_TIME, spread / 2) && (plain || each >= LEAST_EACH)) return 'differs';
  const most = Math.min(...base) < SHORT_SECONDS ? MOST_SHORT : gap > 0 ? LEAST_EACH : MOST_EACH;
  return each < most ? null : 'unsure';
}

/** A render that took longer is not repeated: it is long enough for its neighbours to even out. */
const LONG_SECONDS = 5;
const MOST_REPEATS = 4;

/** Whether a render's time is known: its two quickest agree, or it was long, or it was repeated often enough. */
export function timeIsKnown(seconds: readonly number[]): boolean {
  if (seconds.length === 0) return false;
  const [first, second] = [...seconds].sort((a, b) => a - b);
  if (first >= LONG_SECONDS || seconds.length >= MOST_REPEATS) return true;
  return second !== undefined && second / first - 1 < SAME_TIME;
}
