/** What renders a recipe with changes and measures what comes of it: threads of a page, a server's process, a test's table. */
import type { TierValues } from '../recipe/recipe';

/** Settings that differ from the recipe as it is. */
export type Changes = TierValues;

export interface Bench<Asked, Trial> {
  /** @throws what the signal was aborted with, or what a render failed with */
  try(changes: Changes, asked: Asked, signal: AbortSignal): Promise<Trial>;
}
