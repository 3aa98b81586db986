/** What a setting is: stage, range, words for the artist. */

export const STAGES = [
  { id: 'geometry', label: 'Geometry', does: 'moves the scene into place, finds what each pixel sees' },
  { id: 'shadows', label: 'Shadows', does: 'draws the scene as each light sees it' },
  {
    id: 'bounce',
    label: 'Bounce',
    does: 'light from all around: the surroundings, and what surfaces throw at each other by the method chosen',
  },
  {
    id: 'reflections',
    label: 'Reflections',
    does: 'the surroundings in shiny surfaces; other things in them only where paths are traced',
  },
  { id: 'samples', label: 'Samples', does: 'finds and shades the surface behind every sub-pixel position' },
  { id: 'lens', label: 'Lens', does: 'exposure, tone and glow of the finished picture' },
  { id: 'output', label: 'Output', does: 'size and encoding' },
] as const;
export type StageId = (typeof STAGES)[number]['id'];
export type SettingValue = number | string | boolean;

/** What a scene and its light may have, without which some settings change nothing. */
export const SCENE_NEEDS = [
  'sun shadow',
  'lamp shadow',
  'shadow',
  'soft light',
  'textures',
  'bumps',
  'glass',
  'coarser levels',
  'surroundings that light',
  'mirrored surroundings',
  'small things',
  'medium things',
  'large things',
  'foliage',
] as const;
export type SceneNeed = (typeof SCENE_NEEDS)[number];

interface SettingBase {
  id: string;
  stage: StageId;
  label: string;
  /** One sentence: what the setting does. */
  does: string;
  /** What to look for in the picture when it is too low or wrong. */
  lookFor: string;
  /** How the price grows with it, in words. */
  cost: string;
  /** It only develops the samples anew: they are the same whatever it is set to. */
  develops?: true;
  /** Whether it changes anything beside the other values; absent when it always does. */
  matters?: (recipe: Readonly<Record<string, SettingValue>>) => boolean;
  /** What the scene and its light must have for it to change anything; absent when nothing in particular. */
  needs?: SceneNeed;
}
export interface NumberSetting extends SettingBase {
  kind: 'number' | 'integer';
  unit: string;
  min: number;
  max: number;
  /** Size of one notch; with `doubling` a notch doubles or halves. */
  step: number;
  doubling?: boolean;
  /** What its least value stands for, where that is a word and no number. */
  least?: string;
  /** Time grows with its value to this power; absent where it hardly does, or not in a way that can be said beforehand. */
  grows?: number;
  /** It multiplies with others into one total: how many samples a pixel of the output its value stands for. */
  multiplies?: (value: number) => number;
  /** Most that a coarse picture takes, with which a better one still shares its shadow maps. */
  coarse?: number;
  /** Most that a picture takes which no better one follows. */
  passing?: number;
  initial: number;
}
export interface ChoiceSetting extends SettingBase {
  kind: 'choice';
  choices: readonly { value: string; label: string }[];
  initial: string;
}
export interface SwitchSetting extends SettingBase {
  kind: 'switch';
  initial: boolean;
}
export type Setting = NumberSetting | ChoiceSetting | SwitchSetting;
