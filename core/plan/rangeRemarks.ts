/** What should be known of a range of frames before it is rendered out. */
import { historyOptions } from '../frame/frameSettings';
import type { ResolvedRecipe } from '../recipe/recipe';

/** Frames beyond the shot, as a share of it, from which on they are hardly meant. */
const FAR_BEYOND = 0.5;

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
  return remarks;
}
