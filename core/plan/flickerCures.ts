/** What could calm a flicker: changes of one setting each, the most likely first, to be tried and measured. */
import type { Blame } from '../measure/stability/blame';
import { isPathTraced } from '../recipe/pathSettings';
import type { ResolvedRecipe } from '../recipe/recipe';
import { DRAW_DISTANCES } from '../recipe/detailSettings';
import { findSetting, type SettingValue } from '../recipe/settings';
import { canMatter, type SceneFacts } from './sceneFacts';
import { cureOf, shadowCures, type Cure } from './shadowCures';

/** A cure as it was measured beside the recipe as it is. */
export interface TriedFlickerCure extends Cure {
  /** Flicker at the place. */
  index: number;
  /** Seconds of a whole frame; as before where it was not timed, since it is of no use. */
  seconds: number;
  timed: boolean;
  /** At other places, where it was held against them. */
  elsewhere?: readonly Elsewhere[];
}

/** A part of the light below this share is no suspect. */
const SUSPECT = 0.15;
export const MOST_CURES = 7;

/** @param blame what flickers at the place @param facts what the scene has: nothing is tried that cannot change it */
export function flickerCures(recipe: ResolvedRecipe, blame: Blame, facts: SceneFacts): Cure[] {
  const cures: Cure[] = [];
  const number = (id: string): number => recipe[id] as number;
  const offer = (id: string, value: SettingValue): void => {
    const cure = cureOf(recipe, id, value);
    const setting = findSetting(id);
    if (!cure || !setting || !canMatter(setting, { ...recipe, [id]: value }, facts)) return;
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
      for (const cure of shadowCures(recipe, facts)) {
        const [id, value] = Object.entries(cure.values)[0];
        // where shadows end moves with the camera, however far that is
        if (id !== 'shadows.distance') offer(id, value);
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
/** Share of the flicker that a change has to leave at most to be of use. */
export const OF_USE = 0.7;
/** What two changes leave is alike within this factor: the quicker one is better. */
const ALIKE = 1.25;

/** Whether a cure brings out flicker that is noticed at any other place. */
export function worsens(elsewhere: readonly Elsewhere[]): boolean {
  return elsewhere.some(({ before, after }) => after > UNSEEN && after > before * GROWTH);
}

type Measured = Pick<TriedFlickerCure, 'index' | 'seconds' | 'elsewhere'>;

/** What is said of a change: it makes the flicker invisible, less, or neither; or it makes another place worse. */
export type CureVerdict = 'cures it' | 'helps' | 'no use' | 'worse elsewhere';

export function verdictOfCure(before: Pick<Measured, 'index'>, { index, elsewhere }: Measured): CureVerdict {
  if (worsens(elsewhere ?? [])) return 'worse elsewhere';
  if (index < UNSEEN) return 'cures it';
  return index <= OF_USE * before.index ? 'helps' : 'no use';
}

/**
 * The quickest cure that makes the flicker invisible, else the change that leaves least of it; of those that leave about as
 * much the quickest. None that makes another place worse, or is of no use.
 * @returns index into `tried`, or −1 when nothing is noticed as it is or nothing is of use
 */
export function bestFlickerCure(before: Pick<Measured, 'index'>, tried: readonly Measured[]): number {
  if (before.index < UNSEEN) return -1;
  const of = (verdict: CureVerdict): number[] =>
    [...tried.keys()].filter((i) => verdictOfCure(before, tried[i]) === verdict);
  const cures = of('cures it');
  const able = cures.length > 0 ? cures : of('helps');
  if (able.length === 0) return -1;
  const least = cures.length > 0 ? Infinity : Math.min(...able.map((i) => tried[i].index)) * ALIKE;
  const quickest = able.filter((i) => tried[i].index <= least).sort((a, b) => tried[a].seconds - tried[b].seconds);
  return quickest[0];
}

/**
 * The change that takes away most of the flicker per second added, where that is not the best one: what to take when time is
 * short.
 * @returns index into `tried`, or −1
 */
export function bestForItsTime(before: Pick<Measured, 'index' | 'seconds'>, tried: readonly Measured[]): number {
  const best = bestFlickerCure(before, tried);
  if (best < 0) return -1;
  const gain = (i: number): number =>
    (before.index - tried[i].index) / Math.max(SURE * before.seconds, tried[i].seconds - before.seconds);
  const able = [...tried.keys()].filter((i) => ['cures it', 'helps'].includes(verdictOfCure(before, tried[i])));
  const most = able.sort((a, b) => gain(b) - gain(a))[0];
  // quicker by chance is not quicker
  return most !== best && tried[most].seconds < tried[best].seconds * (1 - SURE) ? most : -1;
}
