/**
 * The one registry of quality settings. Panels, command-line flags, validation and documentation are derived from it:
 * adding a setting is one entry here and its use in the stage that owns it.
 */
import { z } from 'zod';
import { OCCLUSION_SETTINGS } from '../around/occlusion/settings';
import { PROBE_SETTINGS } from '../around/probes/settings';
import { marchesBounce, SCREEN_SETTINGS } from '../around/screen/settings';
import { MIRROR_METHOD_SETTING, MIRROR_SETTINGS } from '../around/mirrors/settings';
import { BOUNCE_METHOD_SETTING, TRACED_SETTINGS } from '../around/traced/settings';
import { VOXEL_SETTINGS } from '../around/voxels/settings';
import { STAGES, type NumberSetting, type Setting, type SettingValue } from './settingTypes';
import {
  HISTORY_SETTINGS,
  isPathTraced,
  METHOD_SETTING,
  PATH_SETTINGS,
  PATTERN_SETTING,
  rasterOnly,
} from './pathSettings';
import { DETAIL_SETTINGS } from './detailSettings';
import { SHADOW_SETTINGS } from './shadowSettings';

export * from './settingTypes';

/** Is anything looked for in what neighbouring pixels see? */
function looksAtNeighbours(recipe: Readonly<Record<string, SettingValue>>): boolean {
  if (isPathTraced(recipe)) return false;
  const contact = (recipe['shadows.contactLength'] as number) > 0;
  return contact || marchesBounce(recipe) || recipe['bounce.occlusion'] === true;
}

const COMMON: readonly Setting[] = [
  METHOD_SETTING,
  ...DETAIL_SETTINGS,
  {
    id: 'geometry.textureBias',
    needs: 'textures',
    stage: 'geometry',
    kind: 'number',
    label: 'Texture sharpness',
    unit: 'levels',
    min: -2,
    max: 2,
    step: 0.25,
    initial: 0,
    does: 'Shifts textures to finer (negative) or coarser (positive) versions of themselves.',
    lookFor: 'Shimmering grain when too fine, mush when too coarse',
    cost: 'nearly free',
  },
  {
    id: 'reflections.steady',
    needs: 'bumps',
    stage: 'reflections',
    kind: 'switch',
    label: 'Steady glints',
    initial: true,
    does: 'Widens highlights where a bumpy surface is too far away to show its bumps.',
    lookFor: 'Sparkling wet or bumpy surfaces in motion when off',
    cost: 'free',
  },
  {
    id: 'samples.pixel',
    stage: 'samples',
    kind: 'integer',
    label: 'Pixel samples',
    unit: 'a pixel',
    min: 1,
    max: 4096,
    step: 1,
    doubling: true,
    initial: 4,
    does: 'Sub-pixel positions that are drawn and averaged.',
    lookFor: 'Stair-stepped edges, broken thin lines, moiré',
    cost: 'grows in proportion',
    grows: 1,
    multiplies: (n) => n,
    coarse: 1,
  },
  {
    id: 'samples.shutter',
    stage: 'samples',
    kind: 'integer',
    label: 'Shutter samples',
    unit: 'instants',
    min: 1,
    max: 256,
    step: 1,
    doubling: true,
    initial: 1,
    does: 'Instants of the open shutter at which the whole scene is drawn, each with all pixel samples; 1 is a still instant without motion blur.',
    lookFor: 'A row of ghosts behind fast things when low',
    cost: 'grows in proportion: pixel samples times shutter samples',
    grows: 1,
    multiplies: (n) => n,
    coarse: 1,
  },
  {
    id: 'samples.scale',
    stage: 'samples',
    kind: 'integer',
    label: 'Render scale',
    unit: '%',
    min: 25,
    max: 400,
    step: 5,
    initial: 100,
    does: 'Size at which the picture is computed; it is then made as large as the output is. Above 100 is supersampling.',
    lookFor: 'Below 100: soft edges and textures. Above: finer textures and thin lines that hold together',
    cost: 'time and memory grow with its square',
    grows: 2,
    multiplies: (percent) => (percent / 100) ** 2,
  },
  {
    id: 'samples.filter',
    stage: 'samples',
    kind: 'choice',
    label: 'Pixel filter',
    choices: [
      { value: 'box', label: 'box' },
      { value: 'tent', label: 'tent' },
      { value: 'gaussian', label: 'Gaussian' },
    ],
    initial: 'gaussian',
    does: 'How samples around a pixel are weighted.',
    lookFor: 'Box: crisp but crawling; Gaussian: calm but softer',
    cost: 'free',
  },
  {
    id: 'samples.radius',
    stage: 'samples',
    kind: 'number',
    label: 'Filter radius',
    unit: 'px',
    min: 0.25,
    max: 3,
    step: 0.05,
    initial: 1,
    does: 'How far from the pixel centre samples may lie.',
    lookFor: 'Soft picture when wide, jagged edges when narrow',
    cost: 'free',
  },
  {
    id: 'lens.exposure',
    stage: 'lens',
    kind: 'number',
    label: 'Exposure',
    unit: 'EV',
    min: -24,
    max: 24,
    step: 0.25,
    initial: 0,
    does: 'Multiplies the light by two to this power.',
    lookFor: 'Clipped lamps, crushed corners',
    cost: 'free',
    develops: true,
  },
  {
    id: 'lens.tone',
    stage: 'lens',
    kind: 'choice',
    label: 'Tone curve',
    choices: [
      { value: 'none', label: 'none' },
      { value: 'neutral', label: 'Khronos Neutral' },
    ],
    initial: 'neutral',
    does: 'How scene light becomes display light.',
    lookFor: 'Hard clipped highlights with none',
    cost: 'free',
    develops: true,
  },
  {
    id: 'lens.bloom',
    stage: 'lens',
    kind: 'number',
    label: 'Bloom',
    unit: '%',
    min: 0,
    max: 30,
    step: 0.5,
    initial: 0,
    does: 'Share of the light that a lens scatters around bright spots.',
    lookFor: 'Haze over the whole picture when high',
    cost: 'a few milliseconds at any strength',
    develops: true,
  },
  {
    id: 'lens.vignette',
    stage: 'lens',
    kind: 'number',
    label: 'Vignette',
    unit: '%',
    min: 0,
    max: 100,
    step: 5,
    initial: 0,
    does: 'Darkens towards the corners by the fourth power of the cosine, in part or in full.',
    lookFor: 'Dark corners',
    cost: 'free',
    develops: true,
  },
  {
    id: 'output.width',
    stage: 'output',
    kind: 'integer',
    label: 'Width',
    unit: 'px',
    min: 16,
    max: 8192,
    step: 16,
    initial: 960,
    does: 'Pixels across.',
    lookFor: 'Soft detail when small',
    cost: 'grows in proportion',
    grows: 1,
  },
  {
    id: 'output.height',
    stage: 'output',
    kind: 'integer',
    label: 'Height',
    unit: 'px',
    min: 16,
    max: 8192,
    step: 16,
    initial: 540,
    does: 'Pixels down.',
    lookFor: 'Soft detail when small',
    cost: 'grows in proportion',
    grows: 1,
  },
  {
    id: 'output.overscan',
    stage: 'output',
    kind: 'integer',
    label: 'Overscan',
    unit: '%',
    min: 0,
    max: 50,
    step: 1,
    initial: 0,
    matters: looksAtNeighbours,
    does: 'Lets what is looked for in the picture be found beyond its border as well: so much of its width on every side. The margin itself is not put out.',
    lookFor: 'Shade and colour that change towards the border, and as things leave the frame',
    cost: 'a part of the shading that looks at neighbours, not of the samples',
  },
  {
    id: 'output.dither',
    stage: 'output',
    kind: 'switch',
    label: 'Dither',
    initial: true,
    does: 'Adds half a code of fixed noise before rounding to 8 or 16 bit.',
    lookFor: 'Bands in skies and soft walls when off',
    cost: 'free',
    develops: true,
  },
];

const RASTER: readonly Setting[] = [
  {
    id: 'geometry.glassLayers',
    needs: 'glass',
    stage: 'geometry',
    kind: 'integer',
    label: 'Glass layers',
    unit: 'surfaces',
    min: 1,
    max: 16,
    step: 1,
    initial: 8,
    does: 'How many see-through surfaces are kept, one behind the other, at a pixel.',
    lookFor: 'Far sides of bottles and lenses that vanish or pop',
    cost: 'grows with the glass in view',
    coarse: 4,
  },
  ...SHADOW_SETTINGS,
  BOUNCE_METHOD_SETTING,
  {
    id: 'bounce.environment',
    needs: 'surroundings that light',
    stage: 'bounce',
    kind: 'number',
    label: 'Light from around',
    unit: '×',
    min: 0,
    max: 4,
    step: 0.05,
    initial: 1,
    does: 'Scales the light that matte surfaces receive from the environment.',
    lookFor: 'Washed-out interiors when high, black hollows when low',
    cost: 'the same for all values but 0, which saves it',
  },
  ...SCREEN_SETTINGS,
  ...TRACED_SETTINGS,
  ...VOXEL_SETTINGS,
  ...PROBE_SETTINGS,
  ...OCCLUSION_SETTINGS,
  MIRROR_METHOD_SETTING,
  {
    id: 'reflections.environment',
    needs: 'mirrored surroundings',
    stage: 'reflections',
    kind: 'number',
    label: 'Mirrored surroundings',
    unit: '×',
    min: 0,
    max: 4,
    step: 0.05,
    initial: 1,
    does: 'Scales what shiny surfaces mirror of the environment.',
    lookFor: 'Glowing edges indoors when high, dead metal when low',
    cost: 'the same for all values but 0, which saves it',
  },
  ...MIRROR_SETTINGS,
];

/** All of them, stage by stage. */
export const SETTINGS: readonly Setting[] = byStage([
  ...rasterOnly(RASTER),
  ...COMMON,
  PATTERN_SETTING,
  ...HISTORY_SETTINGS,
  ...PATH_SETTINGS,
]);

function byStage(settings: readonly Setting[]): Setting[] {
  return STAGES.flatMap((stage) => settings.filter((s) => s.stage === stage.id));
}

const byId = new Map(SETTINGS.map((s) => [s.id, s]));

export function findSetting(id: string): Setting | undefined {
  return byId.get(id);
}

/** Least and greatest value, in words. */
export function rangeLabel({ min, max, least }: NumberSetting): string {
  return `${min}${least ? ` (${least})` : ''} to ${max}`;
}

/** The Zod schema of one setting's value, with a message that says the range. */
export function settingSchema(setting: Setting): z.ZodType<SettingValue> {
  if (setting.kind === 'switch') return z.boolean({ error: `${setting.id} takes true or false` });
  if (setting.kind === 'choice') {
    const values = setting.choices.map((c) => c.value);
    return z.enum(values, { error: `${setting.id} takes one of ${values.join(', ')}` });
  }
  const range = `${setting.id} takes ${setting.kind === 'integer' ? 'a whole number' : 'a number'} from ${rangeLabel(setting)}`;
  const base = z.number({ error: range }).min(setting.min, range).max(setting.max, range);
  return setting.kind === 'integer' ? base.int(range) : base;
}
