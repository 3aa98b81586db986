/** Finds what brings the bounced light of a place to that of a reference: every candidate is rendered, measured and timed. */
import { partLevel, type PartLevel, type PlacePart } from '../measure/partLevel';
import type { ResolvedRecipe } from '../recipe/recipe';
import type { Bench } from './bench';
import { bestBounce, bounceCures, isEnough, worstOf, type TriedBounce } from './bounceCures';

export interface BounceTrial {
  /** Of each place that is asked for: first the one that is to be cured. */
  parts: readonly PlacePart[];
  seconds: number;
  once: number;
  /** Of the probes that were asked, metres; null where none were. */
  spacing: number | null;
}
/** Renders the picture until what it keeps stands, and once more. */
export type BounceBench = Bench<'bounce', BounceTrial>;

export interface BounceResult {
  before: PartLevel & { seconds: number };
  /** Of the other patches the one that is most wrong; null where there is none with bounced light. */
  elsewhere: PartLevel | null;
  /** Seconds of the recipe as it is, before and, when all were tried, after the others. */
  times: readonly [number, number];
  tried: readonly TriedBounce[];
  /** Index of the one to take, −1 when none helps. */
  best: number;
}

/**
 * @param references of the same places as the bench's; null where the reference does not say
 * @param at told before each render, with how many there are in all @param found told what is known after each
 * @returns null where neither picture has bounced light to speak of there
 * @throws what the bench throws of the recipe as it is; of changes that is booked with them
 */
export async function searchBounceCures(
  bench: BounceBench,
  { recipe, references }: { recipe: ResolvedRecipe; references: readonly (PlacePart | null)[] },
  {
    signal,
    at,
    found,
  }: { signal: AbortSignal; at: (done: number, all: number) => void; found: (result: BounceResult) => void },
): Promise<BounceResult | null> {
  const levelsOf = ({ parts }: BounceTrial): (PartLevel | null)[] =>
    parts.map((part, i) => references[i] && partLevel(part, references[i]));
  at(1, 1);
  const first = await bench.try({}, 'bounce', signal);
  const [level, ...others] = levelsOf(first);
  if (!level) return null;
  const elsewhere = worstOf(others);
  const before = { ...level, seconds: first.seconds };
  const cures = isEnough(level) ? [] : bounceCures(recipe, { ...level, spacing: first.spacing });
  const tried: TriedBounce[] = [];
  let times: [number, number] = [first.seconds, first.seconds];
  const tell = (): BounceResult => {
    const result = { before, elsewhere, times, tried: [...tried], best: bestBounce(before, elsewhere, tried) };
    found(result);
    return result;
  };
  let result = tell();
  for (const cure of cures) {
    at(tried.length + 2, cures.length + 2);
    try {
      const trial = await bench.try(cure.values, 'bounce', signal);
      const [now, ...rest] = levelsOf(trial);
      const { seconds, once } = trial;
      tried.push({ ...cure, level: now, elsewhere: worstOf(rest), seconds, once, failure: null });
    } catch (error) {
      // too much memory, too many probes: the others are tried all the same
      if (signal.aborted || (error as Error).name === 'AbortError') throw error;
      tried.push({ ...cure, level: null, elsewhere: null, seconds: 0, once: 0, failure: (error as Error).message });
    }
    result = tell();
  }
  if (cures.length > 0) {
    at(cures.length + 2, cures.length + 2);
    times = [first.seconds, (await bench.try({}, 'bounce', signal)).seconds];
    result = tell();
  }
  return result;
}
