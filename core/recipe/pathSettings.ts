/** Settings of path tracing. They matter while the method is path tracing, and the rasteriser's own while it is not. */
import { asksProbes } from '../around/probes/settings';
import { marchesBounce } from '../around/screen/settings';
import { tracesMirrors } from '../around/mirrors/settings';
import { tracesBounce } from '../around/traced/settings';
import { asksVoxels } from '../around/voxels/settings';
import type { Setting, SettingValue } from './settingTypes';

type Values = Readonly<Record<string, SettingValue>>;

/** Is this recipe path-traced? */
export function isPathTraced(recipe: Values): boolean {
  return recipe['samples.method'] === 'path';
}

/** The same settings, out of the way while the method is path tracing. */
export function rasterOnly(settings: readonly Setting[]): Setting[] {
  return settings.map((s) => ({ ...s, matters: (r) => !isPathTraced(r) && (s.matters?.(r) ?? true) }));
}

export const METHOD_SETTING: Setting = {
  id: 'samples.method',
  stage: 'samples',
  kind: 'choice',
  label: 'Method',
  choices: [
    { value: 'raster', label: 'rasterised' },
    { value: 'path', label: 'path traced' },
  ],
  initial: 'raster',
  does: 'Rasterised: quick; bounced and mirrored light by the methods chosen under Bounce and Reflections. Path traced: the reference, slower and grainy at first.',
  lookFor: 'Light that has bounced: dark corners, colour that spills, what mirrors show',
  cost: 'path tracing takes four to ten times as long a sample, and noise asks for more',
};

const PATH_ONLY: readonly Setting[] = [
  {
    id: 'bounce.total',
    stage: 'bounce',
    kind: 'integer',
    label: 'Bounces',
    unit: 'surfaces',
    min: 0,
    max: 64,
    step: 1,
    initial: 8,
    does: 'Surfaces after the first that light may come by; 0 is direct light and what is seen in mirrors of lamps and sky.',
    lookFor: 'Closed rooms stay too dark when low; bright rooms hardly change',
    cost: 'grows with each, ever less',
    grows: 0.5,
  },
  {
    id: 'bounce.matte',
    stage: 'bounce',
    kind: 'integer',
    label: 'Matte bounces',
    unit: 'surfaces',
    min: 0,
    max: 64,
    step: 1,
    initial: 8,
    does: 'Of these, at most so many on matte surfaces.',
    lookFor: 'Corners lit by nothing but walls',
    cost: 'grows with each, ever less',
  },
  {
    id: 'bounce.roulette',
    stage: 'bounce',
    kind: 'integer',
    label: 'Surfaces before chance',
    unit: 'surfaces',
    min: 0,
    max: 64,
    step: 1,
    initial: 3,
    does: 'After so many, faint paths are ended by chance and the others count for them.',
    lookFor: 'More grain when low, at less time; the mean stays the same',
    cost: 'grows a little',
  },
  {
    id: 'bounce.clamp',
    stage: 'bounce',
    kind: 'number',
    label: 'Firefly clamp',
    unit: '× white',
    min: 0,
    max: 1000,
    step: 1,
    initial: 0,
    does: 'Cuts single bounced contributions brighter than this; 0 cuts nothing. What it takes is reported.',
    lookFor: 'Lone bright dots when off, dull bounced highlights when low',
    cost: 'free',
  },
  {
    id: 'bounce.caustics',
    stage: 'bounce',
    kind: 'switch',
    label: 'Caustics',
    initial: false,
    does: 'On: light bent by solid glass or sent by smooth mirrors onto matte surfaces is followed exactly. Off: light of small lamps crosses glass in a straight line, tinted, and mirrors on its way are blunt.',
    lookFor: 'Bright rings under bottles and beside mirrors when on, and lone bright dots',
    cost: 'free, but needs many more samples',
  },
  {
    id: 'reflections.bounces',
    stage: 'reflections',
    kind: 'integer',
    label: 'Mirror bounces',
    unit: 'surfaces',
    min: 0,
    max: 64,
    step: 1,
    initial: 8,
    does: 'Shiny surfaces that light may come by.',
    lookFor: 'Mirrors in mirrors that turn dark',
    cost: 'grows with each, ever less',
  },
  {
    id: 'reflections.through',
    stage: 'reflections',
    kind: 'integer',
    label: 'Glass faces',
    unit: 'faces',
    min: 0,
    max: 64,
    step: 1,
    initial: 16,
    does: 'Faces of glass that light may cross.',
    lookFor: 'Black inside bottles and lenses when low',
    cost: 'grows with the glass in view',
  },
  {
    id: 'samples.errorTarget',
    stage: 'samples',
    kind: 'number',
    label: 'Error target',
    unit: '%',
    min: 0,
    max: 50,
    step: 0.5,
    initial: 0,
    does: 'Blocks of the picture stop once their noise is below this; 0 gives every pixel all samples.',
    lookFor: 'Blocks that stay grainy when high',
    cost: 'saves where the picture is easy',
    // a block that stopped early would have seen a part of the open time only
    matters: (r) => r['samples.shutter'] === 1,
  },
  {
    id: 'samples.minimum',
    stage: 'samples',
    kind: 'integer',
    label: 'Samples before stopping',
    unit: 'a pixel',
    min: 2,
    max: 4096,
    step: 1,
    doubling: true,
    initial: 16,
    does: 'No block stops before so many.',
    lookFor: 'Dark places that stop before they have seen any light, when low',
    cost: 'grows in proportion',
    matters: (r) => r['samples.shutter'] === 1 && (r['samples.errorTarget'] as number) > 0,
  },
  {
    id: 'samples.denoise',
    stage: 'samples',
    kind: 'choice',
    label: 'Denoise',
    choices: [
      { value: 'off', label: 'off' },
      { value: 'spatial', label: 'spatial' },
    ],
    initial: 'off',
    does: 'Smooths what the samples show to be noise; the picture before is kept as the layer original.',
    lookFor: 'Smeared detail and blotches that crawl from frame to frame',
    cost: 'about a second a megapixel',
  },
  {
    id: 'samples.denoiseStrength',
    stage: 'samples',
    kind: 'number',
    label: 'Denoise strength',
    unit: '×',
    min: 0.25,
    max: 4,
    step: 0.25,
    initial: 1,
    does: 'How many times the noise a difference may be and still be smoothed.',
    lookFor: 'Grain left when low, soft shadows lost when high',
    cost: 'free',
    matters: (r) => r['samples.denoise'] === 'spatial',
  },
];

/** Voxels pass light on by no paths, but are lit by their loops. */
const OF_VOXELS: readonly string[] = ['bounce.total', 'bounce.matte', 'bounce.caustics', 'reflections.through'];

/** Does the rasteriser go by a setting of bounces? */
function asksFor(id: string, r: Values): boolean {
  if (tracesBounce(r) || tracesMirrors(r) || (asksProbes(r) && id !== 'bounce.clamp')) return true;
  if (asksVoxels(r) && OF_VOXELS.includes(id)) return true;
  return marchesBounce(r) && (id === 'bounce.total' || id === 'bounce.clamp');
}

/** Of those of a path, the ones on its bounces matter as well where the rasteriser traces what comes from around. */
export const PATH_SETTINGS: readonly Setting[] = PATH_ONLY.map((s) => {
  const ofBounces = s.stage === 'bounce' || s.stage === 'reflections';
  return {
    ...s,
    matters: (r) => (isPathTraced(r) || (ofBounces && asksFor(s.id, r))) && (s.matters?.(r) ?? true),
  };
});

const accumulates = (r: Values): boolean => (r['samples.history'] as number) > 1;

/** Of frames that follow one another. */
export const HISTORY_SETTINGS: readonly Setting[] = [
  {
    id: 'samples.history',
    stage: 'samples',
    kind: 'integer',
    label: 'Temporal accumulation',
    unit: 'frames',
    min: 1,
    max: 64,
    step: 1,
    doubling: true,
    initial: 1,
    does: 'Averages so many frames along the motion of what they show; 1 is off. Works on runs and finished frames, which take lead-in frames for it; the picture here shows single frames.',
    lookFor: 'Sparkle and crawl when off; smeared texture, ghosts behind things and late shadows when long',
    cost: 'about a second a megapixel, and memory for two pictures',
  },
  {
    id: 'samples.historyClip',
    stage: 'samples',
    kind: 'number',
    label: 'History clipping',
    unit: '× spread',
    min: 0.5,
    max: 16,
    step: 0.5,
    initial: 4,
    does: 'How far earlier frames may lie from what the neighbourhood shows now.',
    lookFor: 'Sparkle comes back when low; ghosts stay when high',
    cost: 'free',
    matters: accumulates,
  },
  {
    id: 'samples.historySharp',
    stage: 'samples',
    kind: 'switch',
    label: 'Sharp history',
    initial: true,
    does: 'Reads earlier frames by a cubic, which keeps texture, instead of a straight line between pixels.',
    lookFor: 'Soft texture in motion when off; faint seams along hard edges when on',
    cost: 'about a third of a second a megapixel',
    matters: accumulates,
  },
  {
    id: 'samples.leadIn',
    stage: 'samples',
    kind: 'integer',
    label: 'Lead-in',
    unit: 'frames',
    min: 0,
    max: 64,
    step: 1,
    initial: 8,
    does: 'Frames rendered before the first one that is kept, so that history has settled.',
    lookFor: 'First frames that are rougher than the rest when short',
    cost: 'one frame each, once a run',
    matters: accumulates,
  },
];

export const PATTERN_SETTING: Setting = {
  id: 'samples.pattern',
  stage: 'samples',
  kind: 'choice',
  label: 'Sample pattern',
  choices: [
    { value: 'still', label: 'fixed' },
    { value: 'moving', label: 'per frame' },
  ],
  initial: 'still',
  does: 'Whether samples lie at the same places in every frame of a shot.',
  lookFor: 'Grain that stands like a dirty pane, or grain that boils',
  cost: 'free',
  // frames that are averaged share one pattern, each with the next samples of it
  matters: (r) => !accumulates(r),
};
