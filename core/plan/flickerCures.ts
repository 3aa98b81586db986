/** What could calm a flicker: changes of one setting each, the most likely first, to be tried and measured. */
import type { Blame } from '../measure/stability/blame';
import { isPathTraced } from '../recipe/pathSettings';
import type { ResolvedRecipe } from '../recipe/recipe';
import { DRAW_DISTANCES } from '../recipe/detailSettings';
import { findSetting, type SettingValue } from '../recipe/settings';
import { cureOf, shadowCures, type Cure, type CastingKinds } from './shadowCures';

/** A cure as it was measured beside the recipe as it is. */
export interface TriedFlickerCure extends Cure {
  /** Flicker at the place. */
  index: number;
  /** Seconds of a whole frame. */
  seconds: number;
  /** At other places, where it was held against them. */
  elsewhere?: readonly Elsewhere[];
}

/** A part of the light below this share is no suspect. */
const SUSPECT = 0.15;
export const MOST_CURES = 7;

/** @param blame what flickers at the place @param casting kinds of lights of the shot that cast shadows */
export function flickerCures(recipe: ResolvedRecipe, blame: Blame, casting: CastingKinds): Cure[] {
  const cures: Cure[] = [];
  const number = (id: string): number => recipe[id] as number;
  const offer = (id: string, value: SettingValue): void => {
    const cure = cureOf(recipe, id, value);
    const matters = findSetting(id)?.matters;
    if (!cure || (matters && !matters({ ...recipe, [id]: value }))) return;
    if (!cures.some((c) => c.values[id] !== undefined)) cures.push(cure);
  };
  const { parts, outlines } = blame;
  const suspects = Object.entries(parts)
    .filter(([, share]) => share >= SUSPECT)
    .sort((a, b) => b[1] - a[1])
    .map(([part]) => part);
  const path = isPathTraced(recipe);
  offer('samples.history', Math.max(8, number('samples.history') * 2));
  // what jumps or comes and goes with the distance
  offer('geometry.levels', false);
  for (const id of DRAW_DISTANCES) offer(id, 0);
  if (outlines >= 0.4) {
    offer('samples.pixel', number('samples.pixel') * 4);
    if (recipe['samples.filter'] === 'box') offer('samples.filter', 'gaussian');
    offer('samples.radius', Math.min(2, number('samples.radius') * 1.5));
    if (number('samples.scale') < 200) offer('samples.scale', Math.min(200, number('samples.scale') * 2));
  }
  if (path) {
    offer('samples.pixel', number('samples.pixel') * 4);
    offer('samples.denoise', 'spatial');
    if (suspects.some((s) => s === 'bounce' || s === 'reflection') && number('bounce.clamp') === 0)
      offer('bounce.clamp', 10);
    offer('samples.pattern', 'still');
    return cures.slice(0, MOST_CURES);
  }
  for (const part of suspects) {
    if (part === 'shadow') {
      for (const cure of shadowCures(recipe, casting)) {
        const [id, value] = Object.entries(cure.values)[0];
        offer(id, value);
      }
      continue;
    }
    // what glints or has texture is finer than the samples see
    offer('reflections.steady', true);
    offer('samples.pixel', number('samples.pixel') * 4);
    if (part !== 'emission') offer('geometry.textureBias', Math.min(2, number('geometry.textureBias') + 0.75));
  }
  offer('samples.pixel', number('samples.pixel') * 4);
  return cures.slice(0, MOST_CURES);
}

/** Single frames are timed: a smaller difference, as a share, may be the machine's other work. */
export const SURE = 0.35;
/** Flicker below this is not noticed. */
export const UNSEEN = 1;

/** Flicker at another place of the run, as it is and with a cure. */
export interface Elsewhere {
  before: number;
  after: number;
}
/** Share by which flicker may seem to grow by chance. */
const GROWTH = 1.1;

/** Whether a cure brings out flicker that is noticed at any other place. */
export function worsens(elsewhere: readonly Elsewhere[]): boolean {
  return elsewhere.some(({ before, after }) => after > UNSEEN && after > before * GROWTH);
}

/**
 * The cheapest cure that makes the flicker invisible, else the one that takes most of it away per second added;
 * none that makes another place worse.
 * @returns index into `tried`, or −1 when nothing is noticed as it is or none takes away a tenth of it
 */
export function bestFlickerCure(
  before: { index: number; seconds: number },
  tried: readonly { index: number; seconds: number; elsewhere?: readonly Elsewhere[] }[],
): number {
  let best = -1;
  if (before.index < UNSEEN) return best;
  let bestCost = Infinity;
  const harmless = (t: (typeof tried)[number]): boolean => !worsens(t.elsewhere ?? []);
  tried.forEach((t, i) => {
    if (harmless(t) && t.index < UNSEEN && t.seconds < bestCost) [best, bestCost] = [i, t.seconds];
  });
  if (best >= 0) return best;
  let bestGain = 0;
  tried.forEach((t, i) => {
    const less = before.index - t.index;
    const gain = less / Math.max(SURE * before.seconds, t.seconds - before.seconds);
    if (harmless(t) && less > before.index * 0.1 && gain > bestGain) [best, bestGain] = [i, gain];
  });
  return best;
}
