/** Which method finds light from around, and the settings of the traced one; those it shares with paths are with these. */
import type { Setting, SettingValue } from '../../recipe/settingTypes';

/** Are rays asked for what comes from around? */
export function tracesBounce(recipe: Readonly<Record<string, SettingValue>>): boolean {
  return recipe['bounce.method'] === 'traced';
}

export const BOUNCE_METHOD_SETTING: Setting = {
  id: 'bounce.method',
  stage: 'bounce',
  kind: 'choice',
  label: 'Method',
  choices: [
    { value: 'environment', label: 'surroundings' },
    { value: 'screen', label: 'screen' },
    { value: 'voxels', label: 'voxels' },
    { value: 'probes', label: 'probes' },
    { value: 'traced', label: 'traced' },
  ],
  initial: 'environment',
  does: 'Surroundings: light from far away alone, as if nothing stood in its way. Screen: light of what the picture shows, with what it misses from elsewhere. Voxels: light of all surfaces as a grid of small boxes knows it, made in about a second. Probes: light as it was baked at a grid of places, with all bounces, what glows, and what keeps the surroundings out. Traced: rays find the same at every place.',
  lookFor: 'Rooms lit through their walls, flat shade, glowing things that light nothing',
  cost: 'screen about half of a frame; voxels are made whenever something moves, probes are baked once and nearly free then; traced takes about as long as paths do',
};

export const TRACED_SETTINGS: readonly Setting[] = [
  {
    id: 'bounce.rays',
    stage: 'bounce',
    kind: 'integer',
    label: 'Bounce rays',
    unit: 'a sample',
    min: 1,
    max: 256,
    step: 1,
    doubling: true,
    initial: 1,
    matters: tracesBounce,
    does: 'Rays from each place that is shaded.',
    lookFor: 'Grain in shade and in corners',
    cost: 'grows in proportion',
    grows: 1,
    coarse: 1,
  },
];
