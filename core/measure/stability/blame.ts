/** Which part of the light flickers at a place: what returns there, divided among the layers that sum to the picture. */
import type { Rect } from '../rect';
import { FAST_SENSITIVITY, SLOW_SENSITIVITY } from './flicker';
import { cubicAt } from './sample';
import { follow, MIDDLE, onOutline, WINDOW, type TrackedFrame } from './track';

/** Parts of the light. `shadow` is what direct light changes by being let through or not, `direct` the rest of it. */
export const PARTS = ['direct', 'shadow', 'bounce', 'reflection', 'emission'] as const;
export type Part = (typeof PARTS)[number];

export interface LayeredFrame {
  /** Scene-linear luminance of each layer, one a pixel. */
  layers: Record<Exclude<Part, 'shadow'>, Float32Array>;
  /** Share of direct light that arrives, 0…1. */
  lit: Float32Array;
  /** How much the display's luminance changes with the scene's, one a pixel. */
  slope: Float32Array;
  tracked: TrackedFrame;
  ids: ArrayLike<number>;
}

export interface Blame {
  /** Shares of the flicker, which sum to 1; one below 0 works against the others. */
  parts: Record<Part, number>;
  /** Share of the flicker that lies on outlines of objects. */
  outlines: number;
  /** Points that were followed. */
  points: number;
}

/** Visibility below which there is nothing to be divided but rounding. */
const UNSEEN = 1e-3;

/**
 * The flicker is a sum over layers, since the filters are linear: the share of a layer is its covariance with the whole
 * over the variance of the whole, at both temporal frequencies, weighed as the eye does.
 * @param frames at least WINDOW in order
 * @param rect in which points are looked at
 */
export function blameLayers(frames: readonly LayeredFrame[], width: number, height: number, rect: Rect): Blame {
  const parts: Record<Part, number> = { direct: 0, shadow: 0, bounce: 0, reflection: 0, emission: 0 };
  const at = new Float64Array(WINDOW * 2);
  const values = new Float64Array(WINDOW);
  const lit = new Float64Array(WINDOW);
  const fast: Record<Part, number> = { ...parts };
  const slow: Record<Part, number> = { ...parts };
  let [all, onOutlines, points] = [0, 0, 0];
  for (let first = 0; first + WINDOW <= frames.length; first++) {
    const window = frames.slice(first, first + WINDOW);
    const tracked = window.map((f) => f.tracked);
    const middle = window[MIDDLE];
    const read = (of: (f: LayeredFrame) => Float32Array, into: Float64Array): void => {
      for (let k = 0; k < WINDOW; k++) into[k] = cubicAt(of(window[k]), width, at[k * 2], at[k * 2 + 1]);
    };
    const part = (name: Part, s: Float64Array): void => {
      fast[name] = (s[0] - 4 * s[1] + 6 * s[2] - 4 * s[3] + s[4]) / 16;
      slow[name] = (-s[0] + 2 * s[2] - s[4]) / 4;
    };
    for (let y = Math.max(0, rect.y); y < Math.min(height, rect.y + rect.height); y++)
      for (let x = Math.max(0, rect.x); x < Math.min(width, rect.x + rect.width); x++) {
        if (!follow(tracked, width, height, x, y, at)) continue;
        points++;
        for (const name of ['bounce', 'reflection', 'emission', 'direct'] as const) {
          read((f) => f.layers[name], values);
          part(name, values);
        }
        // direct light is what would arrive times the share that does: here the share alone changes
        read((f) => f.lit, lit);
        let open = 0;
        for (let k = 0; k < WINDOW; k++) if (lit[k] > 0.02) open = Math.max(open, values[k] / lit[k]);
        part('shadow', lit);
        fast.shadow *= open;
        slow.shadow *= open;
        fast.direct -= fast.shadow;
        slow.direct -= slow.shadow;
        const i = y * width + x;
        const weightFast = (FAST_SENSITIVITY * middle.slope[i]) ** 2;
        const weightSlow = (SLOW_SENSITIVITY * middle.slope[i]) ** 2;
        let [wholeFast, wholeSlow] = [0, 0];
        for (const name of PARTS) {
          wholeFast += fast[name];
          wholeSlow += slow[name];
        }
        for (const name of PARTS)
          parts[name] += weightFast * fast[name] * wholeFast + weightSlow * slow[name] * wholeSlow;
        const energy = weightFast * wholeFast * wholeFast + weightSlow * wholeSlow * wholeSlow;
        all += energy;
        if (onOutline(middle.ids, width, height, x, y)) onOutlines += energy;
      }
  }
  const some = all > points * UNSEEN * UNSEEN;
  for (const name of PARTS) parts[name] = some ? parts[name] / all : 0;
  return { parts, outlines: some ? onOutlines / all : 0, points };
}
