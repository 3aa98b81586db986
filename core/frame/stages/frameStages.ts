/** The stages of a frame, in the order in which they are prepared: each may read what those before it made. */
import { environmentStage } from '../../around/environment/stage';
import { AROUND_METHODS } from '../../around/methods';
import type { StageViews } from '../frameWork';
import { geometryStage } from './geometry';
import { prepassStage } from './prepass';
import { rayStage } from './rays';
import { shadowStage } from './shadowMaps';
import type { AnyStage } from './stage';

export const FRAME_STAGES = {
  geometry: geometryStage,
  rays: rayStage,
  environment: environmentStage,
  shadows: shadowStage,
  prepass: prepassStage,
  ...AROUND_METHODS,
} satisfies Record<keyof StageViews, unknown>;

export type StageName = keyof typeof FRAME_STAGES;
export const STAGE_NAMES = Object.keys(FRAME_STAGES) as StageName[];

export function stageOf(name: StageName): AnyStage {
  return FRAME_STAGES[name] as AnyStage;
}
