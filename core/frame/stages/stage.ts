/**
 * What is made ready before samples are drawn: the pose, rays, surroundings, maps, what looks at neighbours. A frame is a
 * row of such stages; its plan, its memory, its threads and what is kept from frame to frame go by that row alone.
 */
import type { ResolvedRecipe } from '../../recipe/recipe';
import type { CompiledScene } from '../../scene/compiled';
import type { PlannedFrame } from '../frameJob';
import type { FrameWork } from '../frameWork';
import type { Look } from '../look';
import type { ArenaPlan, ArenaViews } from '../memory';

/** What a stage is planned by. */
export interface PlanContext extends PlannedFrame {
  scene: CompiledScene;
  recipe: ResolvedRecipe;
  /** The frame is looked at from here first. */
  first: Look;
}

/** @template Options plain data: threads are handed it */
export interface FrameStage<Options, Arena extends ArenaPlan> {
  /** What it has to do in a frame; null where that is nothing. */
  options(context: PlanContext): Options | null;
  /** Its arrays, of which nothing else decides how long they live. */
  memory(context: PlanContext, options: Options | null): Arena;
  /** What it made stays right as long as this is the same; null where nothing stays. */
  key(frame: PlannedFrame, options: Options, look: Look): string | null;
  /** `instant`: prepared whenever the shutter's instant is another; `eye`: for each place on the lens as well. */
  each: 'instant' | 'eye';
  /** Takes its part of a frame up on one thread. */
  open(work: FrameWork, options: Options, views: ArenaViews<Arena>): OpenStage;
}

export interface OpenStage {
  /**
   * All threads together; nothing of it is read before the last of them is done.
   * @param stands whether its memory holds what the key says already
   * @returns false when cancelled
   */
  prepare(look: Look, stands: boolean): boolean;
  /** Whether what it made is what another frame would make; absent for always. */
  lasts?(): boolean;
}

export type AnyStage = FrameStage<unknown, ArenaPlan>;
