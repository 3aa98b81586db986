/**
 * Finds what makes a place of a run flicker, and proves what calms it: a few frames about its worst one are rendered there
 * again, first as they were, then with one setting raised at a time.
 */
import type { Rect } from '../measure/rect';
import type { WorstPlace } from '../measure/stability/meter';
import type { PlaceFlicker } from '../measure/stability/place';
import type { ResolvedRecipe } from '../recipe/recipe';
import type { Bench } from './bench';
import {
  bestFlickerCure,
  flickerCures,
  UNSEEN,
  verdictOfCure,
  type Elsewhere,
  type TriedFlickerCure,
} from './flickerCures';
import type { SceneFacts } from './sceneFacts';

/** Other places at which the best cure is proved, and pixels between them and the first. */
const ELSEWHERE = 2;
const APART = 64;
/** Cures that are held against other places before none is recommended. */
const MOST_PROVED = 3;
/** Milliseconds after which nothing more is tried: an answer that is waited for longer is not waited for. */
const MOST_MS = 100_000;

/** Either or both: flicker at a place, and seconds of a whole frame. */
export interface FlickerAsked {
  place?: { frame: number; rect: Rect };
  secondsOf?: number;
}
export interface FlickerTrial {
  /** Null where it was not asked for; its index where nothing there can be followed. */
  place: PlaceFlicker | null;
  seconds: number;
}
export type FlickerBench = Bench<FlickerAsked, FlickerTrial>;

export interface FlickerCause {
  frame: number;
  rect: Rect;
  before: { index: number; seconds: number; passing: number; blame: PlaceFlicker['blame'] };
  tried: TriedFlickerCure[];
  /** Index of the one to take, −1 when none helps. */
  best: number;
  /** Changes that were left out for want of time. */
  untried: number;
}

/** `elsewhere` names the cure that is held against other places. */
export interface FlickerSearchStep {
  done: number;
  all: number;
  elsewhere?: string;
}

export interface FlickerPlace {
  recipe: ResolvedRecipe;
  facts: SceneFacts;
  frame: number;
  rect: Rect;
  /** The worst places of the run, the worst first. */
  worst: readonly WorstPlace[];
}

export interface Watching {
  signal: AbortSignal;
  /** Milliseconds. */
  now: () => number;
  at: (step: FlickerSearchStep) => void;
  /** Told again whenever more is known. */
  found: (cause: FlickerCause) => void;
}

/**
 * @returns false when nothing at the place can be followed from frame to frame
 * @throws what the bench throws
 */
export async function searchFlicker(bench: FlickerBench, asked: FlickerPlace, watching: Watching): Promise<boolean> {
  const { recipe, facts, frame, rect } = asked;
  const { signal, now, at, found } = watching;
  const { place, seconds } = await bench.try({}, { place: { frame, rect }, secondsOf: frame }, signal);
  if (!place || place.index === null) return false;
  const { index, passing, blame } = place;
  const before = { index, seconds, passing, blame };
  const tried: TriedFlickerCure[] = [];
  const causeOf = (untried: number): FlickerCause => ({
    ...{ frame, rect, before, untried },
    tried: [...tried],
    best: bestFlickerCure(before, tried),
  });
  found(causeOf(0));
  // what passes is no flicker, and nothing cures it
  if (index < UNSEEN) return true;
  const cures = flickerCures(recipe, blame, facts);
  const began = now();
  const late = (): boolean => now() - began > MOST_MS;
  let untried = 0;
  for (const [k, cure] of cures.entries()) {
    if (late()) {
      untried = cures.length - k;
      found(causeOf(untried));
      break;
    }
    at({ done: k + 1, all: cures.length + 1 });
    const after = (await bench.try(cure.values, { place: { frame, rect } }, signal)).place;
    if (!after || after.index === null) continue;
    // only what is of use is worth knowing the price of
    const timed = verdictOfCure(before, { index: after.index, seconds: 0 }) !== 'no use';
    const price = timed ? await bench.try(cure.values, { secondsOf: frame }, signal) : before;
    tried.push({ ...cure, index: after.index, seconds: price.seconds, timed });
    found(causeOf(0));
  }
  if (!late()) await proveElsewhere(bench, causeOf(untried), otherPlaces(asked.worst, rect), watching);
  return true;
}

/** Holds the best cure against other places; one that makes any of them worse gives way to the next best. */
async function proveElsewhere(
  bench: FlickerBench,
  cause: FlickerCause,
  places: readonly WorstPlace[],
  { signal, at, found }: Watching,
): Promise<void> {
  const before = new Map<WorstPlace, number | null>();
  for (let round = 0; round < MOST_PROVED && places.length > 0; round++) {
    const { best, tried } = cause;
    if (best < 0 || tried[best].elsewhere) return;
    const elsewhere: Elsewhere[] = [];
    for (const place of places) {
      at({ done: elsewhere.length, all: places.length, elsewhere: tried[best].label });
      const asked = { place: { frame: place.frame, rect: place } };
      if (!before.has(place)) before.set(place, (await bench.try({}, asked, signal)).place?.index ?? null);
      const after = (await bench.try(tried[best].values, asked, signal)).place?.index ?? null;
      const asItIs = before.get(place) ?? null;
      if (asItIs !== null && after !== null) elsewhere.push({ before: asItIs, after });
    }
    const proved = tried.map((t, i) => (i === best ? { ...t, elsewhere } : t));
    cause = { ...cause, tried: proved, best: bestFlickerCure(cause.before, proved) };
    found(cause);
  }
}

/** The worst places that are not this one. */
function otherPlaces(worst: readonly WorstPlace[], rect: Rect): WorstPlace[] {
  const apart = (a: Rect, b: Rect): boolean =>
    Math.abs(a.x + a.width / 2 - b.x - b.width / 2) > APART ||
    Math.abs(a.y + a.height / 2 - b.y - b.height / 2) > APART;
  const chosen: WorstPlace[] = [];
  for (const w of worst) if (chosen.length < ELSEWHERE && [rect, ...chosen].every((c) => apart(c, w))) chosen.push(w);
  return chosen;
}
