/** Which method finds what shiny surfaces mirror, and the settings of the traced one. */
import type { Setting, SettingValue } from '../../recipe/settingTypes';

/** Are rays asked for what is mirrored? */
export function tracesMirrors(recipe: Readonly<Record<string, SettingValue>>): boolean {
  return recipe['reflections.method'] === 'traced';
}

const common = { stage: 'reflections', matters: tracesMirrors } as const;

export const MIRROR_METHOD_SETTING: Setting = {
  id: 'reflections.method',
  stage: 'reflections',
  kind: 'choice',
  label: 'Method',
  choices: [
    { value: 'environment', label: 'surroundings' },
    { value: 'traced', label: 'traced' },
  ],
  initial: 'environment',
  does: 'Surroundings: shiny surfaces mirror what is far away alone, as if nothing stood in between. Traced: rays find what they mirror, lit as paths light it.',
  lookFor: 'Mirrors that show a sky indoors, metal and varnish that glow in the dark',
  cost: 'traced grows with the shiny part of the picture, and is about as dear there as paths are',
};

export const MIRROR_SETTINGS: readonly Setting[] = [
  {
    ...common,
    id: 'reflections.rays',
    kind: 'integer',
    label: 'Mirror rays',
    unit: 'a sample',
    min: 1,
    max: 64,
    step: 1,
    doubling: true,
    initial: 1,
    does: 'Rays from each place that mirrors.',
    lookFor: 'Grain in blurred mirrors; sharp ones need no more than one',
    cost: 'grows in proportion',
    grows: 1,
    coarse: 1,
  },
  {
    ...common,
    id: 'reflections.roughest',
    kind: 'number',
    label: 'Roughest mirror',
    unit: '',
    min: 0,
    max: 1,
    step: 0.05,
    initial: 0.4,
    does: 'Rougher surfaces send no rays: they mirror the mean of the bounced light that reaches them, where a method under Bounce knows it.',
    lookFor: 'Sheen on floors and walls that is too even when low',
    cost: 'grows with the surfaces that send rays',
  },
];
