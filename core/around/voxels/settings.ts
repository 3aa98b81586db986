/** Settings of bounced light by voxels. */
import type { Setting, SettingValue } from '../../recipe/settingTypes';
import { marchesBounce } from '../screen/settings';

type Values = Readonly<Record<string, SettingValue>>;

/** Are voxels asked for what comes from around? */
export function asksVoxels(recipe: Values): boolean {
  return recipe['bounce.method'] === 'voxels' || (marchesBounce(recipe) && recipe['bounce.screenNext'] === 'voxels');
}
const boxIs =
  (...kinds: readonly string[]) =>
  (recipe: Values): boolean =>
    asksVoxels(recipe) && kinds.includes(recipe['bounce.voxelBox'] as string);

const common = { stage: 'bounce', matters: asksVoxels } as const;
const FAR = 10_000;
const AXES = ['X', 'Y', 'Z'] as const;

export const VOXEL_SETTINGS: readonly Setting[] = [
  {
    ...common,
    id: 'bounce.voxelResolution',
    kind: 'integer',
    label: 'Voxel resolution',
    unit: 'voxels',
    min: 32,
    max: 256,
    step: 1,
    doubling: true,
    initial: 128,
    does: 'Voxels along the longest side of their box. Half as many are made in about a quarter of the time: enough for a draft.',
    lookFor: 'Light that creeps through thin walls and bright blocks around small lamps when low',
    cost: 'making them: twice as many along a side take about four times as long; frames hardly',
  },
  {
    ...common,
    id: 'bounce.voxelCones',
    kind: 'integer',
    label: 'Voxel cones',
    unit: 'a face',
    min: 8,
    max: 128,
    step: 1,
    doubling: true,
    initial: 16,
    does: 'Cones and rays by which the faces of voxels look around, four neighbours a quarter each; more cones are narrower.',
    lookFor: 'Shade without shape, and windows that light a wall in blotches, when few',
    cost: 'making them grows in proportion; frames not at all',
  },
  {
    ...common,
    id: 'bounce.voxelSamples',
    kind: 'integer',
    label: 'Voxel samples',
    unit: 'a face',
    min: 1,
    max: 64,
    step: 1,
    doubling: true,
    initial: 1,
    does: 'Rays by which each face of a voxel learns how lights, the sky and what glows light it.',
    lookFor: 'Blotches under large soft lights, steps along shadows when few',
    cost: 'making them grows in proportion; frames not at all',
  },
  {
    ...common,
    id: 'bounce.voxelBox',
    kind: 'choice',
    label: 'Voxel box',
    choices: [
      { value: 'fit', label: 'the scene' },
      { value: 'follow', label: 'around the camera' },
      { value: 'placed', label: 'placed' },
    ],
    initial: 'fit',
    does: 'What the voxels fill: the whole scene, a cube that goes with the camera, or one that you place where it matters.',
    lookFor: 'What lies outside is lit by the surroundings as if nothing stood in their way',
    cost: 'around the camera they are made anew whenever it has gone an eighth of the cube',
  },
  {
    ...common,
    id: 'bounce.voxelSize',
    kind: 'number',
    label: 'Voxel box size',
    unit: 'm',
    min: 0.1,
    max: FAR,
    step: 0.25,
    initial: 8,
    matters: boxIs('follow', 'placed'),
    does: 'Side of the cube that voxels fill.',
    lookFor: 'The view Voxel size: smaller voxels in a smaller box',
    cost: 'free by itself',
  },
  ...AXES.map((axis): Setting => ({
    ...common,
    id: `bounce.voxel${axis}`,
    kind: 'number',
    label: `Voxel box ${axis.toLowerCase()}`,
    unit: 'm',
    min: -FAR,
    max: FAR,
    step: 0.25,
    initial: 0,
    matters: boxIs('placed'),
    does: `Where the middle of the cube lies along ${axis.toLowerCase()}.`,
    lookFor: 'The view Voxels',
    cost: 'free by itself',
  })),
];
