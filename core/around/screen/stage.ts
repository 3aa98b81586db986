/** Bounced light by rays through the picture. */
import { FOUR_BYTES } from '@daxel/kernel/generated/layouts/screenFour';
import { SCREEN_ORDER_BYTES } from '@daxel/kernel/generated/layouts/screenOrder';
import { POINT_BYTES } from '@daxel/kernel/generated/layouts/screenPoint';
import { pathOptions, type PathOptions } from '../../frame/frameSettings';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import type { PlanContext } from '../../frame/stages/stage';
import type { AroundStage } from '../method';
import { openScreen } from './openScreen';
import { marchesBounce, MOST_RAYS } from './settings';
import { GRID_SIDE } from './tilePoints';

export interface ScreenOptions extends PathOptions {
  /** Of each place. */
  rays: number;
  /** Of each ray, and how often one is halved. */
  steps: number;
  refines: number;
  /** Metres. */
  thickness: number;
  range: number;
  /** Pixels from place to place that looks around. */
  step: number;
  /** Places between take what sixteen of these have, not four. */
  blends: boolean;
}

/** Random numbers of the rays of a block of sixteen points, four a ray. */
const MOST_DRAWS = 16 * MOST_RAYS;
const DRAW_BYTES = 16;
/** Bytes of each thread: what loops are told, four places, random numbers of sixteen points; and the points of a tile. */
export const MARCH_BYTES = SCREEN_ORDER_BYTES + FOUR_BYTES + MOST_DRAWS * DRAW_BYTES;
export const POINTS_BYTES = GRID_SIDE * GRID_SIDE * POINT_BYTES + 16;

/** @param marches, grids how many of each */
function arenaOf(marches: number, grids: number) {
  return {
    marches: { type: 'u8', length: marches * MARCH_BYTES, stage: 'bounce' },
    screenPoints: { type: 'u8', length: grids * POINTS_BYTES, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type ScreenArena = ReturnType<typeof arenaOf>;
export type ScreenViews = ArenaViews<ScreenArena>;

const STEPS: Readonly<Record<string, number>> = { full: 1, half: 2, quarter: 4 };

export const screenStage: AroundStage<ScreenOptions, ScreenArena> = {
  each: 'eye',
  options({ recipe, settings }: PlanContext) {
    if (settings.path || !marchesBounce(recipe)) return null;
    const number = (id: string): number => recipe[`bounce.${id}`] as number;
    return {
      ...pathOptions(recipe),
      rays: number('screenRays'),
      steps: number('screenSteps'),
      refines: number('screenRefine'),
      thickness: number('screenThickness'),
      range: number('screenRange'),
      step: STEPS[recipe['bounce.screenScale'] as string],
      blends: recipe['bounce.screenScale'] !== 'full' && recipe['bounce.screenBlend'] === true,
    };
  },
  needs: ({ step }) => ({ depth: false, normals: false, senders: step }),
  memory: ({ threads }, options) => arenaOf(options ? threads : 0, options && options.step > 1 ? threads : 0),
  key: () => null,
  open: openScreen,
};
