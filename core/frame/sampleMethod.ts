/** How the samples of a frame are drawn: rasterised or path traced. */
import type { Look } from './look';

export interface SampleMethod {
  /** Draws those of an instant, for which all stages are ready, and shows them. @returns false when cancelled */
  draw(look: Look): boolean;
  /** How many there are by now. */
  done(): number;
}

/** After so many samples a picture is shown each time; up to there the sizes of groups double. */
const LARGEST_GROUP = 16;

/** With how many samples a picture is shown after one with so many. */
export function samplesDue(shown: number): number {
  return shown + Math.min(LARGEST_GROUP, Math.max(1, shown));
}
