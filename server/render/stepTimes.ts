/** How long a step of a wedge takes, by as many renders as it needs to say so. */
import { timeIsKnown, timeVerdict, type TimedPair, type TimeVerdict } from '@daxel/core/plan/timing';
import type { StepTiming } from './renderProcess';

export interface StepTimes {
  /** On the clock: of the quickest render. */
  seconds: number;
  /** That the processor worked, in the quickest. */
  workSeconds: number;
  /** The same of the recipe it was held against; null where there is none. */
  besideSeconds: number | null;
  /** That time was taken for this step, not for one before. */
  besideIsNew: boolean;
  /** Of a step that was held against another recipe. */
  verdict: TimeVerdict | null;
}

export interface Timed {
  frame: { seconds: number };
  workSeconds: number;
}

/**
 * @param first the render whose picture is kept
 * @param again renders once more: the step, or the recipe that it is held against; null when cancelled
 * @returns null when cancelled
 */
export async function timesOf(
  timing: StepTiming,
  first: Timed,
  again: (beside: boolean) => Promise<Timed | null>,
): Promise<StepTimes | null> {
  const own = [first];
  const times = (besideSeconds: number | null, besideIsNew: boolean, verdict: TimeVerdict | null): StepTimes => ({
    seconds: Math.min(...own.map((t) => t.frame.seconds)),
    workSeconds: Math.min(...own.map((t) => t.workSeconds)),
    ...{ besideSeconds, besideIsNew, verdict },
  });
  if (timing.kind === 'once') return times(null, false, null);
  if (timing.kind === 'repeated') {
    while (!timeIsKnown(own.map((t) => t.frame.seconds))) {
      const more = await again(false);
      if (!more) return null;
      own.push(more);
    }
    return times(null, false, null);
  }
  // an earlier time may say that they are alike; that they differ is said by renders in turn alone
  const { lately } = timing;
  if (lately !== null && timeVerdict([{ base: lately, other: first.workSeconds }]) === 'same')
    return times(lately, false, 'same');
  const pairs: TimedPair[] = [];
  for (;;) {
    const base = await again(true);
    const other = pairs.length === 0 ? first : await again(false);
    if (!base || !other) return null;
    if (other !== first) own.push(other);
    pairs.push({ base: base.workSeconds, other: other.workSeconds });
    const verdict = timeVerdict(pairs);
    if (verdict) return times(Math.min(...pairs.map((p) => p.base)), true, verdict);
  }
}
