/** Wedges: which steps are rendered, and the ready-made ones. */
import { BadInputError } from '../errors';
import { WINDOW } from '../measure/stability/track';
import { checkValue, type ResolvedRecipe, type TierValues } from '../recipe/recipe';
import { isPathTraced } from '../recipe/pathSettings';
import { findSetting, SETTINGS, type NumberSetting, type Setting, type SettingValue } from '../recipe/settings';
import { canMatter, type SceneFacts } from './sceneFacts';

/** One setting over its steps. */
export interface WedgeAxis {
  id: string;
  values: SettingValue[];
}

export interface WedgeStep {
  /** What differs from the recipe. */
  values: TierValues;
  label: string;
}

export const MOST_STEPS = 64;

/**
 * Every value of the first setting with every value of the second, or the first values of both, then the second ones…
 * @param pairs the settings are stepped together
 * @throws BadInputError when a value is not allowed, or there are too few or too many steps
 */
export function wedgeSteps(axes: readonly WedgeAxis[], pairs = false): WedgeStep[] {
  let steps: TierValues[] = [{}];
  for (const [i, { id, values }] of axes.entries()) {
    const checked = values.map((v) => checkValue(id, v));
    if (pairs && axes.length > 1) {
      if (values.length !== axes[0].values.length)
        throw new BadInputError('Settings that are stepped together need as many values each.');
      steps = checked.map((v, k) => ({ ...(i > 0 ? steps[k] : {}), [id]: v }));
    } else steps = [...new Set(checked)].flatMap((v) => steps.map((s) => ({ ...s, [id]: v })));
  }
  if (steps.length < 2)
    throw new BadInputError('A wedge needs at least two steps: give a setting more than one value.');
  if (steps.length > MOST_STEPS)
    throw new BadInputError(
      `This wedge has ${steps.length} steps; at most ${MOST_STEPS} are rendered. Give fewer values.`,
    );
  return steps.map((values) => ({ values, label: stepLabel(values) }));
}

export function stepLabel(values: TierValues): string {
  return Object.entries(values)
    .map(([id, v]) => `${findSetting(id)?.label ?? id} ${valueLabel(id, v)}`)
    .join(', ');
}

export function valueLabel(id: string, value: SettingValue): string {
  const setting = findSetting(id);
  if (setting?.kind === 'choice') return setting.choices.find((c) => c.value === value)?.label ?? String(value);
  if (setting?.kind === 'switch') return value ? 'on' : 'off';
  return setting?.least && value === setting.min ? setting.least : String(value);
}

function numberSetting(id: string): NumberSetting | null {
  const setting = findSetting(id);
  return setting?.kind === 'number' || setting?.kind === 'integer' ? setting : null;
}

/**
 * Time of all steps together in times of the recipe as it is: a rough guess, to be said before starting.
 * @param frames that are rendered for each step, one where it is not given
 */
export function costOfSteps(recipe: ResolvedRecipe, steps: readonly WedgeStep[], frames?: readonly number[]): number {
  let sum = 0;
  for (const [i, { values }] of steps.entries()) {
    let factor = 1;
    for (const [id, v] of Object.entries(values)) {
      const power = numberSetting(id)?.grows;
      if (power && typeof v === 'number' && typeof recipe[id] === 'number')
        factor *= (Math.max(1, v) / Math.max(1, recipe[id])) ** power;
    }
    sum += factor * (frames?.[i] ?? 1);
  }
  return sum;
}

/** Samples in all of a step, when the settings of a wedge multiply. */
export function totalOf(values: TierValues): number | null {
  const own = Object.entries(values).flatMap(([id, v]) => {
    const multiplies = numberSetting(id)?.multiplies;
    return multiplies && typeof v === 'number' ? [multiplies(v)] : [];
  });
  return own.length === 2 ? own[0] * own[1] : null;
}

/**
 * The step to be rendered: first the one that others are measured against, the recipe as it is or the one with the most of
 * everything; then those that are missing.
 * @param reference what steps are measured against @param made it is there
 * @returns −1 when none is left, or the reference is no step and comes first
 */
export function nextStep(
  steps: readonly { seconds: number | null }[],
  kind: 'wedge' | 'sensitivity',
  reference: { kind: 'last' | 'path' | 'still' },
  made: boolean,
): number {
  if (made) return steps.findIndex((s) => s.seconds === null);
  if (kind === 'sensitivity') return 0;
  return reference.kind === 'last' ? steps.length - 1 : -1;
}

/** Is the last step there for the others to be measured against, with more samples than any of them, and no choice itself? */
function lastIsYardstick(steps: readonly Pick<WedgeStep, 'values'>[], pairs: boolean): boolean {
  const totals = steps.map(({ values }) => totalOf(values) ?? Infinity);
  const last = totals.pop() ?? 0;
  return pairs && totals.every((total) => total < last);
}

/** Frames that are rendered for each step: around its own where flicker is measured, which a yardstick needs none of. */
export function framesOfSteps(steps: readonly Pick<WedgeStep, 'values'>[], pairs: boolean, flicker: boolean): number[] {
  const yardstick = lastIsYardstick(steps, pairs) ? steps.length - 1 : -1;
  return steps.map((_, i) => (flicker && i !== yardstick ? 1 + WINDOW : 1));
}

/** Steps that a ladder is made longer by. */
const MORE_STEPS = 2;

/**
 * The ladder of each setting made longer where its values grow, as they grew at last.
 * @param way beyond the last value, or before the first
 * @returns null where no setting can go on; else the axes, and what was added, in words
 */
export function longerLadder(
  axes: readonly WedgeAxis[],
  way: 'dearer' | 'cheaper',
): { axes: WedgeAxis[]; added: string } | null {
  const added: string[] = [];
  const longer = axes.map(({ id, values }) => {
    const setting = findSetting(id);
    if (setting?.kind !== 'integer' && setting?.kind !== 'number') return { id, values: [...values] };
    const known = (values as number[]).slice().sort((a, b) => a - b);
    const more: number[] = [];
    for (let k = 1; k <= MORE_STEPS; k++) {
      const from = more.at(-1) ?? (way === 'dearer' ? known[known.length - 1] : known[0]);
      const next = way === 'dearer' ? from * 2 : from / 2;
      const to = setting.kind === 'integer' ? Math.floor(next) : next;
      if (to >= setting.min && to <= setting.max && to !== from) more.push(to);
    }
    if (more.length === 0) return { id, values: [...values] };
    added.push(more.join(', '));
    return { id, values: way === 'dearer' ? [...known, ...more] : [...more.reverse(), ...known] };
  });
  return added.length > 0 ? { axes: longer, added: added.join(' and ') } : null;
}

/**
 * The splits of an equal total once more, at one price: with as many positions in the pixel as the time of the middle one
 * buys, by what each took.
 * @returns null where it cannot be told
 */
export function equalPrice(
  axes: readonly WedgeAxis[],
  steps: readonly { values: TierValues; seconds: number | null }[],
): WedgeAxis[] | null {
  const scaled = axes.findIndex((a) => a.id === 'samples.pixel');
  const other = axes[1 - scaled];
  if (axes.length !== 2 || scaled < 0) return null;
  const own = lastIsYardstick(steps, true) ? steps.slice(0, -1) : steps;
  const times = own.flatMap((s) => (s.seconds === null ? [] : [s.seconds])).sort((a, b) => a - b);
  if (times.length !== own.length || times.length < 2) return null;
  const price = times[times.length >> 1];
  const pixel = own.map((s) => Math.max(1, Math.round(((s.values['samples.pixel'] as number) * price) / s.seconds!)));
  const rest = own.map((s) => s.values[other.id]);
  const result: WedgeAxis[] = [];
  result[scaled] = {
    id: 'samples.pixel',
    values: [...pixel, axes[scaled].values[own.length]].filter((v) => v !== undefined),
  };
  result[1 - scaled] = { id: other.id, values: [...rest, other.values[own.length]].filter((v) => v !== undefined) };
  return result;
}

/** Values of a step in the order in which its settings are named. */
export function valuesInOrder(axes: readonly WedgeAxis[], values: TierValues): SettingValue[] {
  return axes.length > 0 ? axes.map((a) => values[a.id]) : Object.values(values);
}

export interface ReadyWedge {
  id: string;
  label: string;
  /** What it answers. */
  asks: string;
  axes: WedgeAxis[];
  /** Both settings are stepped together. */
  pairs?: boolean;
  /** It asks for what is seen in motion alone. */
  flicker?: boolean;
}

/** The wedges that answer the questions asked most often, for a recipe and its method. */
export function readyWedges(recipe: ResolvedRecipe): ReadyWedge[] {
  const path = isPathTraced(recipe);
  const wedges: ReadyWedge[] = [
    {
      id: 'samples',
      label: path ? 'Samples per pixel' : 'Pixel samples',
      asks: path ? 'How many samples until the grain is gone?' : 'How many positions until edges are calm?',
      axes: [{ id: 'samples.pixel', values: [1, 2, 4, 8, 16, 32] }],
    },
  ];
  wedges.push({
    id: 'split',
    label: 'Same total, other split',
    asks: 'With as many samples in all: more positions in the pixel, or more instants of the shutter? Prices differ.',
    axes: [
      { id: 'samples.pixel', values: [64, 32, 16, 8, 4, 2, 1, 16] },
      { id: 'samples.shutter', values: [1, 2, 4, 8, 16, 32, 64, 32] },
    ],
    pairs: true,
    flicker: true,
  });
  wedges.push({
    id: 'scale',
    label: 'Render scale × samples',
    asks: 'At one cost: a larger picture made smaller, or more samples?',
    axes: [
      { id: 'samples.scale', values: [50, 100, 200] },
      { id: 'samples.pixel', values: [1, 4, 16] },
    ],
  });
  if (path) {
    wedges.push({
      id: 'bounces',
      label: 'Bounces',
      asks: 'Does more bounced light change anything here?',
      axes: [{ id: 'bounce.total', values: [0, 1, 2, 4, 8, 16] }],
    });
    wedges.push({
      id: 'pixel-bounces',
      label: 'Samples × bounces',
      asks: 'Spend time on samples or on bounces?',
      axes: [
        { id: 'samples.pixel', values: [2, 8, 32] },
        { id: 'bounce.total', values: [1, 4, 8] },
      ],
    });
    return wedges;
  }
  wedges.push(
    {
      id: 'total',
      label: 'Pixel × light samples',
      asks: 'One total, other split: edges or soft shadows?',
      axes: [
        { id: 'samples.pixel', values: [1, 4, 16] },
        { id: 'shadows.lightSamples', values: [1, 4, 16] },
      ],
    },
    {
      id: 'shadow-maps',
      label: 'Shadow map size',
      asks: 'How fine must the shadow of the sun be?',
      axes: [{ id: 'shadows.resolution', values: [512, 1024, 2048, 4096] }],
    },
    {
      id: 'light-samples',
      label: 'Light samples',
      asks: 'How many positions on each lamp until shadows show no bands?',
      axes: [{ id: 'shadows.lightSamples', values: [1, 2, 4, 8, 16] }],
    },
    {
      id: 'bounce-methods',
      label: 'Methods of bounce',
      asks: 'Which comes near enough to traced, and when?',
      axes: [{ id: 'bounce.method', values: ['environment', 'screen', 'voxels', 'probes', 'traced'] }],
    },
  );
  if (canMatter(findSetting('bounce.voxelResolution')!, recipe, null))
    wedges.push({
      id: 'voxels',
      label: 'Voxel resolution',
      asks: 'How fine must voxels be until light keeps to its side of walls?',
      axes: [{ id: 'bounce.voxelResolution', values: [32, 64, 128, 256] }],
    });
  if (canMatter(findSetting('output.overscan')!, recipe, null))
    wedges.push({
      id: 'overscan',
      label: 'Overscan',
      asks: 'How wide a margin until the border is right?',
      axes: [{ id: 'output.overscan', values: [0, 3, 6, 12, 25, 50] }],
    });
  return wedges;
}

/** What mostly costs and changes most comes first, so that the first rows of a run are of use already. */
const FIRST_STAGES = ['samples', 'shadows', 'bounce', 'reflections'];

/**
 * One notch down and one up of every setting that changes anything beside the others, and in this scene.
 * @param facts what the scene has; null when that is not known
 */
export function sensitivitySteps(recipe: ResolvedRecipe, facts: SceneFacts | null): WedgeStep[] {
  const steps: WedgeStep[] = [];
  const rank = ({ stage }: Setting): number => FIRST_STAGES.indexOf(stage) + 1 || FIRST_STAGES.length + 1;
  for (const setting of [...SETTINGS].sort((a, b) => rank(a) - rank(b))) {
    // size changes what is compared, the method is another question, and looks are not quality
    if (
      (setting.stage === 'output' && setting.id !== 'output.overscan') ||
      setting.stage === 'lens' ||
      setting.id === 'samples.method'
    )
      continue;
    // single frames show nothing of what is averaged over time, nor of how grain moves
    if (setting.id === 'samples.history' || setting.id === 'samples.pattern') continue;
    // a spacing that the scene chooses has no next one
    if (setting.id === 'bounce.probeSpacing' && recipe[setting.id] === 0) continue;
    if (!canMatter(setting, recipe, facts)) continue;
    for (const value of notches(setting, recipe[setting.id]))
      steps.push({ values: { [setting.id]: value }, label: `${setting.label} ${valueLabel(setting.id, value)}` });
  }
  return steps;
}

/** The next value below and above. */
export function notches(setting: Setting, value: SettingValue): SettingValue[] {
  if (setting.kind === 'switch') return [!value];
  if (setting.kind === 'choice') {
    const at = setting.choices.findIndex((c) => c.value === value);
    return [at - 1, at + 1].flatMap((i) => (setting.choices[i] ? [setting.choices[i].value] : []));
  }
  const v = value as number;
  const by = (k: number): number => {
    if (setting.doubling) return k < 0 ? Math.floor(v / 2) : Math.max(1, v * 2);
    const coarse = Math.max(setting.step, Math.abs(v) * 0.25);
    const to = v + k * (setting.kind === 'integer' ? Math.max(1, Math.round(coarse)) : coarse);
    return Number(to.toPrecision(4));
  };
  return [by(-1), by(1)]
    .map((n) => Math.min(setting.max, Math.max(setting.min, n)))
    .filter((n, i, all) => n !== v && all.indexOf(n) === i);
}
