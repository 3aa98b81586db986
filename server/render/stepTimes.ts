/** How long a step of a wedge takes, by as many renders as it needs to say so. */
import { timeIsKnown, timeVerdict, type TimeVerdict } from '@daxel/core/plan/timing';
import type { StepTiming } from './renderProcess';

export interface StepTimes {
  /** On the clock: of the quickest render. */
  seconds: number;
  /** That the processor worked, in the quickest. */
  workSeconds: number;
  /** The same of the recipe it was held against; null where there is none. */
  besideSeconds: number | null;
  /** What the other took at last; null where it was not rendered for this step. */
  besideLast: number | null;
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
  const times = (besideSeconds: number | null, besideLast: number | null, verdict: TimeVerdict | null): StepTimes => ({
    seconds: Math.min(...own.map((t) => t.frame.seconds)),
    workSeconds: Math.min(...own.map((t) => t.workSeconds)),
    ...{ besideSeconds, besideLast, verdict },
  });
  if (timing.kind === 'once') return times(null, null, null);
  if (timing.kind === 'repeated') {
    while (!timeIsKnown(own.map((t) => t.frame.seconds))) {
      const more = await again(false);
      if (!more) return null;
      own.push(more);
    }
    return times(null, null, null);
  }
  // an earlier time may say that they are alike; that they differ is said by renders in turn as well
  const base = timing.lately === null ? [] : [timing.lately];
  const verdictOf = (): TimeVerdict | null => timeVerdict({ base, other: own.map((t) => t.workSeconds) });
  if (verdictOf() === 'same') return times(base[0], null, 'same');
  if (timing.lately !== null && Math.abs(first.workSeconds / timing.lately - 1) < timing.varies)
    return times(timing.lately, null, 'unsure');
  for (let turns = 0; ; turns++) {
    const more = await again(turns % 2 === 0);
    if (!more) return null;
    if (turns % 2 === 0) base.push(more.workSeconds);
    else own.push(more);
    const verdict = verdictOf();
    if (verdict) return times(Math.min(...base), base[base.length - 1], verdict);
  }
}
