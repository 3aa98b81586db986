/** Finds what cures a bad shadow edge: every candidate is rendered and measured on the patch. */
import { shadowFigures, type PatchPicture, type ShadowFigures } from '../measure/shadowFigures';
import { totalSamples, type ResolvedRecipe } from '../recipe/recipe';
import type { Bench } from './bench';
import type { SceneFacts } from './sceneFacts';
import { bestCure, drawsHard, shadowCures, type TriedCure } from './shadowCures';

export interface ShadowTrial extends PatchPicture {
  seconds: number;
}
/** Renders the whole picture, each time anew, and cuts nothing away. */
export type ShadowBench = Bench<'patch', ShadowTrial>;

export interface ShadowSearchResult {
  before: ShadowFigures & { seconds: number };
  /** Seconds of the recipe as it is, before and after all others were tried. */
  times: readonly [number, number];
  /** A light with an extent casts hard edges, since it is drawn from one point. */
  hard: boolean;
  tried: TriedCure[];
  /** Index of the one to take, −1 when none helps. */
  best: number;
}

/** Places on each light that highlights are told by, of all samples of a pixel together. */
const MANY_PLACES = 64;

/** The recipe with so many places on each light; null where it has them. */
function manyPlaces(recipe: ResolvedRecipe): Record<string, number> | null {
  const places = Math.ceil(MANY_PLACES / Math.max(1, totalSamples(recipe)));
  return (recipe['shadows.lightSamples'] as number) >= places ? null : { 'shadows.lightSamples': places };
}

/**
 * @param at told before each render, with how many there are in all
 * @param breathe called between measurements, which hold up whoever calls this
 * @throws what the bench throws
 */
export async function searchShadowCures(
  bench: ShadowBench,
  { recipe, facts }: { recipe: ResolvedRecipe; facts: SceneFacts },
  {
    signal,
    at,
    breathe,
  }: { signal: AbortSignal; at: (done: number, all: number) => void; breathe: () => Promise<void> },
): Promise<ShadowSearchResult> {
  const cures = shadowCures(recipe, facts);
  // what acne and leaks are told by, and dots: the latter is no cure
  const traced = cures.findIndex((c) => c.values['shadows.method'] === 'traced');
  const many = facts.has('soft light') ? manyPlaces(recipe) : null;
  const changes = [{}, ...cures.map((c) => c.values), ...(many ? [many] : []), ...(cures.length > 0 ? [{}] : [])];
  const drawn: ShadowTrial[] = [];
  for (const change of changes) {
    at(drawn.length + 1, changes.length);
    drawn.push(await bench.try(change, 'patch', signal));
  }
  const [before, ...others] = drawn;
  const truth = traced >= 0 ? others[traced] : before;
  const reference = many && others[cures.length];
  const figures = async (trial: ShadowTrial): Promise<ShadowFigures & { seconds: number }> => {
    await breathe();
    signal.throwIfAborted();
    return { ...shadowFigures(trial, truth, reference), seconds: trial.seconds };
  };
  const asItIs = await figures(before);
  const tried: TriedCure[] = [];
  for (const [i, cure] of cures.entries()) tried.push({ ...cure, ...(await figures(others[i])) });
  return {
    before: asItIs,
    times: [before.seconds, drawn[drawn.length - 1].seconds],
    hard: drawsHard(recipe, facts),
    tried,
    best: bestCure(asItIs, tried),
  };
}
