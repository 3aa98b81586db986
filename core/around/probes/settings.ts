/** Settings of irradiance probes. */
import type { Setting, SettingValue } from '../../recipe/settingTypes';
import { marchesBounce } from '../screen/settings';

type Values = Readonly<Record<string, SettingValue>>;

/** Are probes asked for what comes from around? */
export function asksProbes(recipe: Values): boolean {
  return recipe['bounce.method'] === 'probes' || (marchesBounce(recipe) && recipe['bounce.screenNext'] === 'probes');
}
const placed = (recipe: Values): boolean => asksProbes(recipe) && recipe['bounce.probeFine'] === true;

const common = { stage: 'bounce', matters: asksProbes } as const;
const length = { ...common, kind: 'number', unit: 'm', step: 0.25 } as const;
const FAR = 10_000;
const AXES = ['X', 'Y', 'Z'] as const;
const SIDES = [
  ['Width', 'width', 'x'],
  ['Height', 'height', 'y'],
  ['Depth', 'depth', 'z'],
] as const;

export const PROBE_SETTINGS: readonly Setting[] = [
  {
    ...length,
    id: 'bounce.probeSpacing',
    label: 'Probe spacing',
    min: 0,
    max: 100,
    least: 'auto',
    initial: 0,
    does: 'Distance between the probes that fill the scene; auto: as the scene is large, for about a thousand.',
    lookFor: 'Light that creeps past corners and soft patches when wide',
    cost: 'baking: halving it takes eight times as long; frames hardly',
  },
  {
    ...common,
    id: 'bounce.probeRays',
    kind: 'integer',
    label: 'Probe rays',
    unit: 'a probe',
    min: 16,
    max: 16384,
    step: 1,
    doubling: true,
    initial: 1024,
    does: 'Paths by which each probe looks around while it is baked.',
    lookFor: 'Blotches as wide as the spacing',
    cost: 'baking grows in proportion; frames not at all',
    coarse: 16,
  },
  {
    ...common,
    id: 'bounce.probeFollow',
    kind: 'switch',
    label: 'Follow what moves',
    initial: false,
    does: 'Bakes the probes anew for every frame. Off: once, of the scene as it stands at 0 seconds.',
    lookFor: 'Bounced light that stays behind when a lamp or a door moves',
    cost: 'baking is a part of every frame in which anything moves',
  },
  {
    ...common,
    id: 'bounce.probeFine',
    kind: 'switch',
    label: 'Fine box',
    initial: false,
    does: 'Fills a box of your own with more probes, where bounced light changes from step to step.',
    lookFor: 'Stairs, alcoves and furniture whose shade is blurred away',
    cost: 'baking, by the probes that it holds',
  },
  ...AXES.map((axis): Setting => ({
    ...length,
    id: `bounce.fine${axis}`,
    label: `Fine box ${axis.toLowerCase()}`,
    min: -FAR,
    max: FAR,
    initial: 0,
    matters: placed,
    does: `Where the middle of the fine box lies along ${axis.toLowerCase()}.`,
    lookFor: 'The balls of the view Probes',
    cost: 'free by itself',
  })),
  ...SIDES.map(([name, word, axis]): Setting => ({
    ...length,
    id: `bounce.fine${name}`,
    label: `Fine box ${word}`,
    min: 0.1,
    max: FAR,
    initial: 2,
    matters: placed,
    does: `How far the fine box reaches along ${axis}.`,
    lookFor: 'The balls of the view Probes',
    cost: 'baking grows in proportion',
  })),
  {
    ...length,
    id: 'bounce.fineSpacing',
    label: 'Fine spacing',
    min: 0.02,
    max: 100,
    initial: 0.25,
    matters: placed,
    does: 'Distance between the probes of the fine box.',
    lookFor: 'Light that creeps past corners when wide',
    cost: 'baking: halving it takes eight times as long',
  },
];
