/** The knee of a wedge: the step after which more time buys little that can be seen. */
import { log2 } from '../math/exact';
import { SAME_TIME, type TimeVerdict } from './timing';

export interface TimedError {
  seconds: number;
  /** FLIP against the reference. */
  error: number;
}

export interface Knee {
  index: number;
  /** In words, for the artist. */
  reason: string;
  /** A knee needs a step on both sides: whether dearer or cheaper ones are missing, null when neither is. */
  missing: 'dearer' | 'cheaper' | null;
}

/** Mean FLIP over a patch by which two pictures differ visibly: a few edges or some grain, found when they alternate. */
export const VISIBLE_STEP = 0.004;

export interface Ladder {
  /**
   * Step that the others are measured against, −1 when none is: it differs from itself by nothing, which says nothing of how
   * good it is.
   */
  yardstick?: number;
  /** They are all that can be chosen: none is missing on either side. */
  whole?: boolean;
}

/**
 * @param steps of one row of a wedge, from cheap to costly in meaning if not in time
 * @param labels of the steps
 * @param place named in the reason
 * @returns null without any measured step
 */
export function findKnee(
  steps: readonly (TimedError | null)[],
  labels: readonly string[],
  place: string,
  { yardstick = -1, whole = false }: Ladder = {},
): Knee | null {
  const known = steps
    .flatMap((s, index) => (s && index !== yardstick ? [{ ...s, index }] : []))
    .sort((a, b) => a.seconds - b.seconds);
  if (known.length === 0) return null;
  // steps that cost more and are no better are never worth it
  const front = known.filter((s, i) => known.slice(0, i).every((o) => o.error > s.error));
  let knee = front[0];
  for (const next of front.slice(1)) {
    const doublings = Math.max(0.25, log2(next.seconds / knee.seconds));
    if ((knee.error - next.error) / doublings >= VISIBLE_STEP) knee = next;
  }
  const { index } = knee;
  const label = labels[index];
  const dearer = known.filter((s) => s.seconds > knee.seconds);
  if (dearer.length === 0 && whole)
    return { index, missing: null, reason: `On the ${place} ${label} comes nearest, at the highest price.` };
  if (dearer.length === 0)
    return {
      index,
      missing: 'dearer',
      reason: `On the ${place} every step still gains: the ladder is too short. ${label} is the best tried, not yet known to be enough.`,
    };
  const cheapest = !whole && known.every((s) => s.seconds >= knee.seconds);
  const missing = cheapest ? 'cheaper' : null;
  const tail = cheapest ? ' It is the cheapest tried: less may do.' : '';
  const last = front.filter((s) => s.error < knee.error).at(-1);
  if (!last)
    return {
      index,
      missing,
      reason: `Beyond ${label} nothing gets better on the ${place}, at any price tried.${tail}`,
    };
  const gain = knee.error - last.error;
  return {
    index,
    missing,
    reason: `Beyond ${label}, on the ${place}, each doubling of time changes less than a visible step: ${labels[last.index]} costs ${(last.seconds / knee.seconds).toFixed(1)} × and takes ${gain.toFixed(3)} off a FLIP of ${knee.error.toFixed(3)}.${tail}`,
  };
}

/**
 * Of steps that share one total of samples, the one that differs least; of those that differ as little, the quickest.
 * @param steps FLIP against the reference, or null where not measured yet
 * @param totals samples in all of each step, null where they do not multiply
 * @returns null with fewer than two measured steps of one total
 */
export function bestSplit(
  steps: readonly (TimedError | null)[],
  totals: readonly (number | null)[],
  labels: readonly string[],
  place: string,
): Knee | null {
  const known = steps.flatMap((s, index) => (s && totals[index] !== null ? [{ ...s, index }] : []));
  // the total that most steps share: a step with more is the reference
  const count = (i: number): number => known.filter((k) => totals[k.index] === totals[i]).length;
  const first = [...known].sort((a, b) => count(b.index) - count(a.index) || a.index - b.index)[0];
  if (!first || count(first.index) < 2) return null;
  const total = totals[first.index]!;
  const same = known.filter((k) => totals[k.index] === total).sort((a, b) => a.error - b.error);
  const [nearest, worst] = [same[0], same[same.length - 1]];
  const alike = same.filter((k) => k.error - nearest.error < VISIBLE_STEP);
  const best = [...alike].sort((a, b) => a.seconds - b.seconds)[0];
  const apart =
    worst.error - nearest.error < VISIBLE_STEP
      ? 'the splits do not differ visibly'
      : `${labels[worst.index]} differs most (${worst.error.toFixed(3)})`;
  const slowest = Math.max(...same.map((k) => k.seconds));
  const price =
    slowest > best.seconds * (1 + DIFFERENT_PRICE)
      ? ` Prices differ up to ${(slowest / best.seconds).toFixed(1)} ×; this is the quickest of those as near.`
      : '';
  const reason = `Of ${total} samples in all, on the ${place} ${labels[best.index]} comes nearest (FLIP ${best.error.toFixed(3)}); ${apart}.${price}`;
  return { index: best.index, missing: null, reason };
}

/** Steps of one total whose times differ by less, as a share, have one price. */
const DIFFERENT_PRICE = 0.25;

/** What one notch of a setting does, against the recipe as it is. */
export interface Effect {
  /** Time against the recipe's own: 0.62 is 38 % less. */
  time: number;
  /** FLIP against the recipe's own picture. */
  change: number;
  /** Whether renders in turn bear out that the times differ; absent where none were made. */
  verdict?: TimeVerdict | null;
}

/**
 * "−38 % time, change not visible".
 * @param noise differences of time up to this share are not claimed where renders in turn do not bear them out
 */
export function effectInWords(effect: Effect, noise = LEAST_NOISE): string {
  const { time, change } = effect;
  const percent = Math.round((time - 1) * 100);
  const price = timeDiffers(effect, noise)
    ? `${percent < 0 ? '−' : '+'}${Math.abs(percent)} % time`
    : effect.verdict === 'unsure'
      ? 'time within what this machine varies'
      : 'same time';
  const seen =
    change < VISIBLE_STEP / 2
      ? 'change not visible'
      : change < VISIBLE_STEP * 3
        ? 'change just visible'
        : 'visible change';
  return `${price}, ${seen}`;
}

/** Whether a difference of time may be claimed. */
export function timeDiffers({ time, verdict }: Effect, noise: number): boolean {
  return verdict ? verdict === 'differs' : Math.abs(time - 1) >= noise;
}

/** Times of two equal renders differ by so much on any machine. */
const LEAST_NOISE = SAME_TIME;

/** How far equal renders of one run differed in time, as a share: from the tenth to the ninetieth of a hundred. */
export function timeNoise(equal: readonly number[]): number {
  if (equal.length < 4) return LEAST_NOISE;
  const sorted = [...equal].sort((a, b) => a - b);
  const at = (share: number): number => sorted[Math.round(share * (sorted.length - 1))];
  return Math.max(LEAST_NOISE, (at(0.9) - at(0.1)) / at(0.5));
}

/** Order in which to lower settings: what saves most time for the least visible change comes first. */
export function lowerFirst<T extends Effect>(effects: readonly T[], noise = LEAST_NOISE): T[] {
  const worth = (e: Effect): number => (1 - e.time) / (e.change + VISIBLE_STEP / 4);
  return effects.filter((e) => e.time < 1 && timeDiffers(e, noise)).sort((a, b) => worth(b) - worth(a));
}
