/** What can be told of a finished frame without looking at it. */
import { luminance } from '../math/color';
import { log2 } from '../math/exact';

export interface FrameCheck {
  /** Mean luminance of what is a number. */
  mean: number;
  /** What is wrong, a phrase each. */
  faults: string[];
}

/** @param rgb three numbers a pixel, scene-linear */
export function checkFrame(rgb: Float32Array): FrameCheck {
  let sum = 0;
  let wrong = 0;
  let brightest = 0;
  for (let i = 0; i < rgb.length; i += 3) {
    const l = luminance(rgb[i], rgb[i + 1], rgb[i + 2]);
    if (!Number.isFinite(l)) wrong++;
    else {
      sum += l;
      if (l > brightest) brightest = l;
    }
  }
  const right = rgb.length / 3 - wrong;
  const faults: string[] = [];
  if (wrong > 0) faults.push(`${wrong} ${wrong === 1 ? 'pixel is' : 'pixels are'} not a number`);
  if (brightest === 0) faults.push('black all over');
  return { mean: right > 0 ? sum / right : 0, faults };
}

/** Stops by which a frame must leave its neighbours, and within which these must agree. */
const JUMP = 0.25;
const AGREE = 0.1;

/**
 * Frames that stand out of their neighbours in brightness while these agree with each other: a lamp that was missing, a
 * texture that was not there yet.
 * @param means mean luminance of consecutive frames @returns their indices, and by how many stops they are off
 */
export function brightnessJumps(means: readonly number[]): { index: number; stops: number }[] {
  const jumps: { index: number; stops: number }[] = [];
  for (let i = 1; i + 1 < means.length; i++) {
    const [before, own, after] = [means[i - 1], means[i], means[i + 1]];
    if (!(before > 0 && after > 0 && own > 0)) continue;
    if (Math.abs(log2(before / after)) > AGREE) continue;
    const stops = log2(own / Math.sqrt(before * after));
    if (Math.abs(stops) > JUMP) jumps.push({ index: i, stops });
  }
  return jumps;
}
