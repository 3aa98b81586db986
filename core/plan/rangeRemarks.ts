/** What should be known of a range of frames before it is rendered out. */
import { historyOptions } from '../frame/frameSettings';
import { findSetting, type NumberSetting } from '../recipe/settings';
import type { ResolvedRecipe } from '../recipe/recipe';

/** Frames beyond the shot, as a share of it, from which on they are hardly meant. */
const FAR_BEYOND = 0.5;
/** Share of other light from which on parts are told apart. */
const UNLIKE = 0.01;

/**
 * @param shot its first and last frame, and frames at each end that may be rendered beside them
 * @returns a sentence each; none when all is well
 */
export function rangeRemarks(
  shot: { firstFrame: number; lastFrame: number; handles: number },
  recipe: ResolvedRecipe,
  first: number,
  last: number,
): string[] {
  const remarks: string[] = [];
  const [from, to] = [shot.firstFrame - shot.handles, shot.lastFrame + shot.handles];
  const beyond = Math.max(0, from - first) + Math.max(0, last - to);
  if (beyond > FAR_BEYOND * (to - from + 1))
    remarks.push(`The shot has frames ${shot.firstFrame} to ${shot.lastFrame}: ${beyond} of these lie beyond it.`);
  const history = historyOptions(recipe);
  if (history && history.leadIn < history.length)
    remarks.push(
      `Accumulation takes over ${history.length} frames, but only ${history.leadIn} are rendered before the first: the first frames are grainier than the rest. Raise Lead-in to ${history.length}.`,
    );
  else if (history && first > shot.firstFrame && partDifference(history.length, history.leadIn) > UNLIKE)
    remarks.push(
      `A part of the shot: its first frames hold up to ${Math.round(100 * partDifference(history.length, history.leadIn))} % of other light than they would if the whole were rendered in one. ${remedyFor(history.length)}`,
    );
  return remarks;
}

/**
 * Most of the accumulated light that a frame can have from other frames when its run began late: each frame is averaged in
 * with 1 / length, so what lies before the run had a share of (1 − 1 / length)^(frames since then).
 * @param length frames that are averaged @param leadIn frames before the first that is kept
 */
export function partDifference(length: number, leadIn: number): number {
  return (1 - 1 / length) ** (leadIn + 1);
}

/** Frames of lead-in from which on that is not seen, if so many can be set. */
function remedyFor(length: number): string {
  let leadIn = length;
  while (partDifference(length, leadIn) > UNLIKE) leadIn++;
  const { max } = findSetting('samples.leadIn') as NumberSetting;
  return leadIn > max ? 'Render it in one.' : `Lead-in ${leadIn} brings that below ${UNLIKE * 100} %.`;
}
