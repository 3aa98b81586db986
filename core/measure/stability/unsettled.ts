/** What changes back and forth at places that could not be followed: nothing may be called calm that is not known. */
import { contrastPerCandela, FAST_SENSITIVITY, fastAnswer } from './flicker';
import { BORDER, WINDOW } from './track';
import { TURNS, waysOf } from './turns';

/** Every so many pixels are looked at. */
const STEP = 3;
/** A change below this share of a place's range is none. */
const SLIGHT = 0.25;

/**
 * Share of the picture that was not followed and changes in place visibly and more than once.
 * @param planes luminance of WINDOW frames, cd/m² @param valid 1 a pixel that was followed
 */
export function unsettledShare(
  planes: readonly Float32Array[],
  valid: Float32Array,
  width: number,
  height: number,
): number {
  let [all, unsettled] = [0, 0];
  const s = new Float64Array(WINDOW);
  for (let y = 1; y < height; y += STEP)
    for (let x = 1; x < width; x += STEP) {
      all++;
      if (x < BORDER || y < BORDER || x > width - 1 - BORDER || y > height - 1 - BORDER) continue;
      const i = y * width + x;
      if (valid[i] === 1) continue;
      for (let k = 0; k < WINDOW; k++) s[k] = planes[k][i];
      if (returns(s) && FAST_SENSITIVITY * Math.abs(fastAnswer(s)) * contrastPerCandela(meanOf(s)) > 1) unsettled++;
    }
  return unsettled / all;
}

function meanOf(s: Float64Array): number {
  return (s[0] + s[1] + s[2] + s[3] + s[4]) / 5;
}

/** Does it turn more than once? */
function returns(s: Float64Array): boolean {
  return TURNS[waysOf(s, SLIGHT * (Math.max(...s) - Math.min(...s)))] > 1;
}
