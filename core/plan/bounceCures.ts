/** What could bring bounced light to that of a reference: changes of one setting each, or of the method, to be tried and priced. */
import type { PartLevel } from '../measure/partLevel';
import { exp2 } from '../math/exact';
import type { ResolvedRecipe } from '../recipe/recipe';
import { findSetting, type SettingValue } from '../recipe/settings';
import { cureOf, type Cure } from './shadowCures';

/** A cure as it was tried. */
export interface TriedBounce extends Cure {
  /** Null where it could not be drawn. */
  level: PartLevel | null;
  /** Of the other patches the one that is most wrong; null where there is none with bounced light. */
  elsewhere: PartLevel | null;
  /** Seconds of a picture once what it keeps stands, and of making that. */
  seconds: number;
  once: number;
  /** Why it could not be drawn. */
  failure: string | null;
}

/** Stops that are left alone, and what places may differ by beside them. */
export const ENOUGH_STOPS = 0.1;
export const ENOUGH_OFF = 0.2;
/** Share of what is wrong that a change has to take away to be of use. */
const OF_USE = 0.25;

export interface BounceFound {
  stops: number;
  /** Of the probes that were asked, metres; null where none were. */
  spacing: number | null;
}

/** @param found of the recipe as it is */
export function bounceCures(recipe: ResolvedRecipe, { stops, spacing }: BounceFound): Cure[] {
  const cures: Cure[] = [];
  const number = (id: string): number => recipe[id] as number;
  const offer = (id: string, value: SettingValue): void => {
    const cure = cureOf(recipe, id, value);
    if (cure) cures.push(cure);
  };
  /** Raised so many times, as far as its range goes. */
  const raise = (id: string, times: number): void => {
    const setting = findSetting(id)!;
    const most = setting.kind === 'integer' || setting.kind === 'number' ? setting.max : Infinity;
    offer(id, Math.min(most, number(id) * times));
  };
  const method = recipe['bounce.method'];
  if (method === 'environment') {
    // cheap, and right where all of it comes from the sky
    if (Number.isFinite(stops)) {
      const factor = Number((number('bounce.environment') * exp2(-stops)).toPrecision(2));
      offer('bounce.environment', Math.min(4, factor));
    }
  } else if (number('bounce.environment') !== 1) offer('bounce.environment', 1);
  if (recipe['bounce.occlusion'] === true ? stops < 0 : stops > 0)
    offer('bounce.occlusion', recipe['bounce.occlusion'] !== true);
  if (method === 'voxels') {
    raise('bounce.voxelResolution', 2);
    raise('bounce.voxelSamples', 8);
    raise('bounce.voxelCones', 4);
  }
  if (method === 'probes') {
    if (spacing !== null) offer('bounce.probeSpacing', Number((spacing / 2).toPrecision(2)));
    raise('bounce.probeRays', 4);
  }
  if (method === 'screen') {
    raise('bounce.screenRays', 2);
    raise('bounce.screenSteps', 2);
    offer('bounce.screenScale', 'full');
    for (const next of ['voxels', 'probes']) offer('bounce.screenNext', next);
  }
  if (method === 'traced') raise('bounce.rays', 4);
  if (method !== 'environment' && stops < 0 && number('bounce.total') < 16) {
    const total = Math.max(2, 2 * number('bounce.total'));
    const longer = cureOf(recipe, 'bounce.total', total);
    if (longer)
      cures.push({ ...longer, values: { ...longer.values, 'bounce.matte': Math.max(total, number('bounce.matte')) } });
  }
  for (const other of ['screen', 'voxels', 'probes', 'traced']) offer('bounce.method', other);
  return cures;
}

/** How wrong a level is: 1 is enough. */
function wrong({ stops, sure, off }: PartLevel): number {
  return Math.max(sure ? Math.abs(stops) / ENOUGH_STOPS : 0, off / ENOUGH_OFF);
}

export function isEnough(level: PartLevel): boolean {
  return wrong(level) <= 1;
}

/** The level that is most wrong of some, null of none. */
export function worstOf(levels: readonly (PartLevel | null)[]): PartLevel | null {
  return levels.reduce((worst, level) => (level && (!worst || wrong(level) > wrong(worst)) ? level : worst), null);
}

/** How much more wrong other patches may become, where they were not right. */
const WORSE = 1.25;

function spoils(before: PartLevel | null, after: PartLevel | null): boolean {
  return after !== null && wrong(after) > Math.max(1, WORSE * (before ? wrong(before) : 0));
}

/** Pictures that take less longer are as dear, as a share: what takes more away is the better one of two. */
const AS_DEAR = 0.1;

/**
 * The cheapest that makes the place right; else the one that takes most of what is wrong away. Never one that makes another
 * patch wrong for it.
 * @param elsewhere of the other patches the one that is most wrong
 * @returns index into `tried`, or −1 where it is right as it is or nothing takes away a quarter
 */
export function bestBounce(before: PartLevel, elsewhere: PartLevel | null, tried: readonly TriedBounce[]): number {
  const start = wrong(before);
  if (start <= 1) return -1;
  const left = tried.map((t) => (t.level && !spoils(elsewhere, t.elsewhere) ? wrong(t.level) : Infinity));
  const enough = tried.map((t, i) => ({ ...t, i, left: left[i] })).filter((t) => t.left <= 1);
  if (enough.length > 0) {
    const least = Math.min(...enough.map((t) => t.seconds));
    const cheap = enough.filter((t) => t.seconds <= least * (1 + AS_DEAR));
    return cheap.reduce((a, b) => (b.left < a.left ? b : a)).i;
  }
  const best = left.indexOf(Math.min(...left, Infinity));
  return left[best] <= start * (1 - OF_USE) ? best : -1;
}
