/**
 * Which of two recipes is quicker, by renders in turn: neighbours on the machine only ever make a render slower, and never
 * both in the same way, so the quickest of each counts, and a difference is claimed when no render contradicts it.
 */

/** Seconds of two renders that followed each other: the recipe as it is, and the one that is held against it. */
export interface TimedPair {
  base: number;
  other: number;
}

/** `unsure`: they differ, but not by more than this machine varies. */
export type TimeVerdict = 'same' | 'differs' | 'unsure';

/** Times that differ by less, as a share, are the same on any machine. */
export const SAME_TIME = 0.07;
/** Pairs that must agree; fewer where the times lie so far apart that neighbours do not explain it. */
const LEAST_PAIRS = 3;
const LEAST_PLAIN_PAIRS = 2;
const PLAIN = 0.5;
/** Pairs after which times that contradict each other are left at that; short renders vary more, and cost less. */
const MOST_PAIRS = 2;
const SHORT_SECONDS = 0.4;
const MOST_SHORT_PAIRS = 5;

/** @returns null when it takes another pair to tell */
export function timeVerdict(pairs: readonly TimedPair[]): TimeVerdict | null {
  const [base, other] = [pairs.map((p) => p.base), pairs.map((p) => p.other)];
  if (pairs.length === 0) return null;
  if (Math.abs(Math.min(...other) / Math.min(...base) - 1) < SAME_TIME) return 'same';
  // how far apart the nearest two lie
  const gap = Math.max(Math.min(...other) / Math.max(...base), Math.min(...base) / Math.max(...other)) - 1;
  const spread = Math.max(...[base, other].map((t) => Math.max(...t) / Math.min(...t))) - 1;
  if (gap > Math.max(SAME_TIME, spread) && pairs.length >= (gap > PLAIN ? LEAST_PLAIN_PAIRS : LEAST_PAIRS))
    return 'differs';
  const most = Math.min(...base) < SHORT_SECONDS ? MOST_SHORT_PAIRS : gap > 0 ? LEAST_PAIRS : MOST_PAIRS;
  return pairs.length < most ? null : 'unsure';
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
