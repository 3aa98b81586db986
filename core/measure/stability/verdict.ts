/**
 * What may be said of a run in one sentence. Nothing is called calm that was not measured: how much was, stands in the
 * sentence, and what changes without being followed keeps it from saying so.
 */
import type { StabilityReport } from './meter';

export type VerdictLevel =
  /** Too little was measured to say anything. */
  | 'unknown'
  /** Calm where it was measured, but not all that changes was. */
  | 'partly'
  | 'calm'
  /** Calm but for single moments. */
  | 'moments'
  | 'noticed'
  | 'plain';

export interface Verdict {
  level: VerdictLevel;
  /** A sentence for the artist. */
  words: string;
}

/** Flicker that is just noticed, and that is plainly seen. */
const NOTICED = 1;
const PLAIN = 2;
/** Share of the picture that must be measured for anything to be said, and for calm to be said of the whole. */
const LEAST_MEASURED = 0.05;
const MOST_OF_IT = 0.5;
/** Share of the picture that may change back and forth unmeasured, as borders of moving things do. */
const UNSETTLED = 0.04;

/** With a space that does not break. */
const percent = (share: number): string => `${Math.floor(share * 100)}\u00a0%`;

export function verdictOf({
  index,
  peak,
  coverage,
  unsettled,
}: Pick<StabilityReport, 'index' | 'peak' | 'coverage' | 'unsettled'>): Verdict {
  const measured = percent(coverage);
  if (coverage < LEAST_MEASURED)
    return {
      level: 'unknown',
      words: `Cannot be told: only ${measured} of the picture could be followed from frame to frame.`,
    };
  const of = coverage < 0.995 ? `, on the ${measured} that was measured` : '';
  if (index >= PLAIN) return { level: 'plain', words: `Flicker is plainly seen${of}.` };
  if (index >= NOTICED) return { level: 'noticed', words: `Flicker is just noticed${of}.` };
  if (peak >= NOTICED) return { level: 'moments', words: `Calm but for single moments${of}.` };
  if (unsettled > UNSETTLED)
    return {
      level: 'partly',
      words: `No flicker on the ${measured} that was measured; ${percent(unsettled)} changes back and forth and could not be followed: look there.`,
    };
  if (coverage < MOST_OF_IT)
    return {
      level: 'partly',
      words: `No flicker on the ${measured} that was measured; the rest could not be followed.`,
    };
  return { level: 'calm', words: `Calm: nobody would notice${of}.` };
}
