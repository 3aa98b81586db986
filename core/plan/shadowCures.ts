/** What could cure a bad shadow edge: changes of one setting each, to be tried and measured. */
import type { ShadowFigures } from '../measure/shadowFigures';
import { checkValue, type ResolvedRecipe, type TierValues } from '../recipe/recipe';
import { findSetting, type SettingValue } from '../recipe/settings';
import type { SceneFacts } from './sceneFacts';
import { valueLabel } from './wedge';

export interface Cure {
  /** Settings that change, mostly one. */
  values: TierValues;
  /** In words, for the artist. */
  label: string;
}

/** A cure as it was measured beside the recipe as it is. */
export interface TriedCure extends Cure, ShadowFigures {
  seconds: number;
}

/** Faults in the order in which they are shown; what lies below `unseen` is not seen. */
export const SHADOW_FAULTS: readonly { id: keyof ShadowFigures; label: string; shows: string; unseen: number }[] = [
  { id: 'stairs', label: 'Stairs', shows: 'How far edges run from a smooth line', unseen: 0.2 },
  {
    id: 'bands',
    label: 'Bands',
    shows: 'Contrast of false layers in soft shadows, as an eye sees them: 1 % is seen',
    unseen: 0.01,
  },
  { id: 'acne', label: 'Acne', shows: 'Light that maps take away where rays find all around lit', unseen: 0.003 },
  { id: 'leak', label: 'Leaks', shows: 'Light that maps let through where rays find all around dark', unseen: 0.003 },
  {
    id: 'dots',
    label: 'Dots',
    shows: 'Contrast of dots in highlights, against many more places on each light',
    unseen: 0.01,
  },
];

/** Whether a fault is seen: never of what was not measured. */
export function isSeen(figures: ShadowFigures, fault: (typeof SHADOW_FAULTS)[number]): boolean {
  const value = figures[fault.id];
  return value !== null && value > fault.unseen;
}

/** The change of one setting, or null when it changes nothing or is beyond the range. */
export function cureOf(recipe: ResolvedRecipe, id: string, value: SettingValue): Cure | null {
  const setting = findSetting(id)!;
  if ((setting.kind === 'integer' || setting.kind === 'number') && (value as number) > setting.max) return null;
  if (recipe[id] === value) return null;
  return { values: { [id]: checkValue(id, value) }, label: `${setting.label} ${valueLabel(id, value)}` };
}

/** @param facts what the scene has: nothing is offered that cannot change it */
export function shadowCures(recipe: ResolvedRecipe, facts: SceneFacts): Cure[] {
  const kinds = { sun: facts.has('sun shadow'), lamp: facts.has('lamp shadow'), soft: facts.has('soft light') };
  const number = (id: string): number => recipe[id] as number;
  const cures: Cure[] = [];
  const offer = (id: string, value: SettingValue): void => {
    const cure = cureOf(recipe, id, value);
    if (cure) cures.push(cure);
  };
  /** More positions on each light; where they are chosen, a finer choice and so many that none is read wider. */
  function offerSofter(): void {
    if (!kinds.soft) return;
    const positions = number('shadows.lightSamples');
    if (positions === 0) offer('shadows.edgeNoise', Math.max(0.5, number('shadows.edgeNoise') / 4));
    else offer('shadows.lightSamples', 0);
    offer('shadows.lightSamples', Math.max(8, positions * 4));
  }
  if (recipe['shadows.method'] === 'traced') {
    offerSofter();
    offer('samples.pixel', number('samples.pixel') * 2);
    return cures;
  }
  offer('shadows.autoBias', true);
  if (kinds.sun) offer('shadows.resolution', number('shadows.resolution') * 2);
  if (kinds.lamp) offer('shadows.localResolution', number('shadows.localResolution') * 2);
  if (kinds.sun) offer('shadows.cascades', Math.min(6, number('shadows.cascades') + 2));
  if (kinds.sun) offer('shadows.distance', number('shadows.distance') * 2);
  if (recipe['shadows.filter'] === 'hard') offer('shadows.filter', 'pcf');
  else {
    offer('shadows.radius', number('shadows.radius') * 2);
    if (recipe['shadows.filter'] !== 'moment') offer('shadows.taps', number('shadows.taps') + 2);
  }
  offerSofter();
  offer('shadows.method', 'traced');
  return cures;
}

/** Share of what is wrong that a change has to take away to be of use: leaves have edges that nothing smooths. */
const OF_USE = 0.25;

/**
 * The cheapest cure that makes all faults invisible, else the one that takes most of them away per second added.
 * @returns index into `tried`, or −1 when nothing is visibly wrong or none takes away a quarter of it
 */
export function bestCure(before: ShadowFigures & { seconds: number }, tried: readonly TriedCure[]): number {
  const wrong = (t: ShadowFigures): number =>
    SHADOW_FAULTS.reduce((sum, { id, unseen }) => sum + Math.max(0, (t[id] ?? 0) / unseen - 1), 0);
  const start = wrong(before);
  if (start === 0) return -1;
  let best = -1;
  let bestCost = Infinity;
  tried.forEach((t, i) => {
    if (wrong(t) === 0 && t.seconds < bestCost) [best, bestCost] = [i, t.seconds];
  });
  if (best >= 0) return best;
  let bestGain = 0;
  tried.forEach((t, i) => {
    const less = start - wrong(t);
    const gain = less / Math.max(0.02 * before.seconds, t.seconds - before.seconds);
    if (less > start * OF_USE && gain > bestGain) [best, bestGain] = [i, gain];
  });
  return best;
}

/** What light with an extent draws hard: one position on it, read by a filter that is as wide everywhere. */
export function drawsHard(recipe: ResolvedRecipe, facts: SceneFacts): boolean {
  return facts.has('soft light') && recipe['shadows.lightSamples'] === 1 && recipe['shadows.filter'] !== 'soft';
}

/** Two times of one picture that differ by less, as a share, are alike, however well the machine behaves. */
const LEAST_SPREAD = 0.35;

/**
 * What a cure costs, in words, by single pictures.
 * @param before seconds of the recipe as it is, timed before and after the others: what these two differ by is the machine's
 */
export function priceOfCure(before: readonly [number, number], seconds: number): string {
  const [low, high] = [Math.min(...before), Math.max(...before)];
  // held against the nearer of both: what lies between them is the machine's
  const share = seconds > high ? seconds / high - 1 : Math.min(0, seconds / low - 1);
  if (Math.abs(share) <= LEAST_SPREAD) return 'within what this machine varies';
  return `${share > 0 ? '+' : '−'}${Math.round(Math.abs(share) * 100)} %`;
}
