/** Settings of bounced light by rays through the picture. */
import type { Setting, SettingValue } from '../../recipe/settingTypes';

type Values = Readonly<Record<string, SettingValue>>;

/** Do rays look for what comes from around in the picture? */
export function marchesBounce(recipe: Values): boolean {
  return recipe['bounce.method'] === 'screen';
}

export const MOST_RAYS = 64;

const common = { stage: 'bounce', matters: marchesBounce } as const;
const reduced = (recipe: Values): boolean => marchesBounce(recipe) && recipe['bounce.screenScale'] !== 'full';

export const SCREEN_SETTINGS: readonly Setting[] = [
  {
    ...common,
    id: 'bounce.screenRays',
    kind: 'integer',
    label: 'Screen rays',
    unit: 'a sample',
    min: 1,
    max: MOST_RAYS,
    step: 1,
    doubling: true,
    initial: 4,
    does: 'Rays from each place that looks around in the picture; other samples send them other ways.',
    lookFor: 'Grain in shade and in corners',
    cost: 'grows in proportion',
    grows: 1,
    coarse: 2,
  },
  {
    ...common,
    id: 'bounce.screenSteps',
    kind: 'integer',
    label: 'Screen steps',
    unit: 'a ray',
    min: 4,
    max: 128,
    step: 1,
    doubling: true,
    initial: 12,
    does: 'Places of the picture that each ray looks at on its way, closer together near by.',
    lookFor: 'Thin things that light and shade nothing when few',
    cost: 'grows in proportion',
    passing: 8,
  },
  {
    ...common,
    id: 'bounce.screenRefine',
    kind: 'integer',
    label: 'Step refinement',
    unit: 'halvings',
    min: 0,
    max: 8,
    step: 1,
    initial: 3,
    does: 'How often a step in which a ray met something is halved to find where.',
    lookFor: 'Colours that come from the wrong side of an edge when low',
    cost: 'small',
  },
  {
    ...common,
    id: 'bounce.screenThickness',
    kind: 'number',
    label: 'Thickness',
    unit: 'm',
    min: 0.001,
    max: 100,
    step: 0.05,
    initial: 0.3,
    does: 'How thick everything is taken to be that the picture shows from the front alone: deeper behind it rays go on unseen.',
    lookFor: 'Halos of shade around things before a far wall when thick, light through walls when thin',
    cost: 'free',
  },
  {
    ...common,
    id: 'bounce.screenRange',
    kind: 'number',
    label: 'Screen range',
    unit: 'm',
    min: 0.05,
    max: 1000,
    step: 0.5,
    initial: 20,
    does: 'How far rays look.',
    lookFor: 'Colour that does not reach across the room when short; coarse corners when long and steps are few',
    cost: 'free by itself, long needs more steps',
  },
  {
    ...common,
    id: 'bounce.screenScale',
    kind: 'choice',
    label: 'Screen size',
    choices: [
      { value: 'full', label: 'full' },
      { value: 'half', label: 'half' },
      { value: 'quarter', label: 'quarter' },
    ],
    initial: 'half',
    does: 'Half and quarter look around from every second or fourth pixel across and down; those between take what neighbours on their surface have.',
    lookFor: 'Lost detail in creases and on small things',
    cost: 'half takes about a third of full',
  },
  {
    ...common,
    id: 'bounce.screenBlend',
    kind: 'switch',
    label: 'Blend rays',
    initial: true,
    matters: reduced,
    does: 'Sixteen neighbours send parts of one set of rays, and each takes the answers of all of them on its surface.',
    lookFor: 'Grain when off, washed-out creases when on',
    cost: 'small',
  },
  {
    ...common,
    id: 'bounce.screenNext',
    kind: 'choice',
    label: 'What rays miss',
    choices: [
      { value: 'environment', label: 'surroundings' },
      { value: 'voxels', label: 'voxels' },
      { value: 'probes', label: 'probes' },
    ],
    initial: 'probes',
    does: 'Who answers where a ray leaves the frame, goes behind something or meets nothing.',
    lookFor:
      'Surroundings: light through walls, and shade that changes at the border. Voxels and probes: both cured as far as these know',
    cost: 'voxels are made whenever something moves, probes baked once',
  },
];
