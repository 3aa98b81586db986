/** Which part of the light flickers at a place: what returns there, divided among the layers that sum to the picture. */
import { LIGHT_COMPONENTS, type LightComponent } from '../../light/components';
import type { Rect } from '../rect';
import { FAST_SENSITIVITY, fastAnswer, SLOW_SENSITIVITY, slowAnswer } from './flicker';
import { cubicAt } from './sample';
import { follow, MIDDLE, onOutline, WINDOW, type TrackedFrame } from './track';

/** Parts of the light. `shadow` is what direct light changes by being let through or not, `direct` the rest of it. */
export type Part = LightComponent | 'shadow';
export const PARTS: readonly Part[] = LIGHT_COMPONENTS.flatMap((c): Part[] => (c === 'direct' ? [c, 'shadow'] : [c]));

/** What a frame's light is made of, a number a pixel. */
export interface LightLayers {
  /** Scene-linear luminance, as exposed. */
  layers: Record<LightComponent, Float32Array>;
  /** Share of direct light that arrives, 0…1. */
  lit: Float32Array;
}

export interface FrameLayers extends LightLayers {
  /** How much the display's luminance changes with the scene's. */
  slope: Float32Array;
}

export interface LayeredFrame extends FrameLayers {
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

/** Sums over points: of each part in the order of PARTS, of all, of what lies on outlines, and how many points. */
const ALL = PARTS.length;
const ON_OUTLINES = ALL + 1;
const POINTS = ALL + 2;
export const BLAME_SUMS = ALL + 3;

const at = new Float64Array(WINDOW * 2);
const values = new Float64Array(WINDOW);
const lit = new Float64Array(WINDOW);
const fast = new Float64Array(PARTS.length);
const slow = new Float64Array(PARTS.length);
const [DIRECT, SHADOW] = [PARTS.indexOf('direct'), PARTS.indexOf('shadow')];
/** Direct light comes last: its values are asked for once more. */
const LAYERS = [...LIGHT_COMPONENTS.filter((c) => c !== 'direct'), 'direct' as const].map((name) => ({
  name,
  p: PARTS.indexOf(name),
}));

/** Where points are looked at. */
export interface BlamedPlace {
  width: number;
  height: number;
  rect: Rect;
  /** Every so many across and down. */
  step: number;
  /** 1 a pixel of the middle frame that counts; null for all. */
  counted: Float32Array | null;
}

/**
 * The flicker is a sum over layers, since the filters are linear: the share of a layer is its covariance with the whole
 * over the variance of the whole, at both temporal frequencies, weighed as the eye does.
 * @param window WINDOW frames in order: what the one in the middle shows is looked at
 * @param sums BLAME_SUMS numbers, to which is added
 */
export function addBlame(
  window: readonly LayeredFrame[],
  { width, height, rect, step, counted }: BlamedPlace,
  sums: Float64Array,
): void {
  const tracked = window.map((f) => f.tracked);
  const middle = window[MIDDLE];
  const read = (of: (f: LayeredFrame) => Float32Array, into: Float64Array): void => {
    for (let k = 0; k < WINDOW; k++) into[k] = cubicAt(of(window[k]), width, at[k * 2], at[k * 2 + 1]);
  };
  const part = (p: number, s: Float64Array): void => {
    fast[p] = fastAnswer(s);
    slow[p] = slowAnswer(s);
  };
  for (let y = Math.max(0, rect.y); y < Math.min(height, rect.y + rect.height); y += step)
    for (let x = Math.max(0, rect.x); x < Math.min(width, rect.x + rect.width); x += step) {
      if (counted && counted[y * width + x] === 0) continue;
      if (!follow(tracked, width, height, x, y, at)) continue;
      sums[POINTS]++;
      for (const { name, p } of LAYERS) {
        read((f) => f.layers[name], values);
        part(p, values);
      }
      // direct light is what would arrive times the share that does: here the share alone changes
      read((f) => f.lit, lit);
      let open = 0;
      for (let k = 0; k < WINDOW; k++) if (lit[k] > 0.02) open = Math.max(open, values[k] / lit[k]);
      part(SHADOW, lit);
      fast[SHADOW] *= open;
      slow[SHADOW] *= open;
      fast[DIRECT] -= fast[SHADOW];
      slow[DIRECT] -= slow[SHADOW];
      const i = y * width + x;
      const weightFast = (FAST_SENSITIVITY * middle.slope[i]) ** 2;
      const weightSlow = (SLOW_SENSITIVITY * middle.slope[i]) ** 2;
      let [wholeFast, wholeSlow] = [0, 0];
      for (let p = 0; p < PARTS.length; p++) {
        wholeFast += fast[p];
        wholeSlow += slow[p];
      }
      for (let p = 0; p < PARTS.length; p++)
        sums[p] += weightFast * fast[p] * wholeFast + weightSlow * slow[p] * wholeSlow;
      const energy = weightFast * wholeFast * wholeFast + weightSlow * wholeSlow * wholeSlow;
      sums[ALL] += energy;
      if (onOutline(middle.ids, width, height, x, y)) sums[ON_OUTLINES] += energy;
    }
}

/** @param sums from `addBlame` */
export function blameOf(sums: Float64Array): Blame {
  const points = sums[POINTS];
  const some = sums[ALL] > points * UNSEEN * UNSEEN;
  const share = (of: number): number => (some ? sums[of] / sums[ALL] : 0);
  const parts = Object.fromEntries(PARTS.map((part, p) => [part, share(p)])) as Record<Part, number>;
  return { parts, outlines: share(ON_OUTLINES), points };
}

/** A part with less of the flicker is not worth a line. */
const LEAST_SHARE = 0.05;

/** The parts that make the flicker, the largest first, as shares of what they make; those that work against it are left out. */
export function mainParts({ parts }: Blame): { part: Part; share: number }[] {
  const made = PARTS.reduce((sum, part) => sum + Math.max(0, parts[part]), 0);
  return PARTS.map((part) => ({ part, share: made > 0 ? parts[part] / made : 0 }))
    .filter(({ share }) => share >= LEAST_SHARE)
    .sort((a, b) => b.share - a.share);
}

/**
 * What flickers in a place, over all frames.
 * @param frames at least WINDOW in order
 * @param rect in which points are looked at
 * @param counted per frame that is in the middle of others, 1 a pixel that counts; missing where all do
 */
export function blameLayers(
  frames: readonly LayeredFrame[],
  width: number,
  height: number,
  rect: Rect,
  counted: readonly Float32Array[] = [],
): Blame {
  const sums = new Float64Array(BLAME_SUMS);
  for (let first = 0; first + WINDOW <= frames.length; first++) {
    const place = { width, height, rect, step: 1, counted: counted[first] ?? null };
    addBlame(frames.slice(first, first + WINDOW), place, sums);
  }
  return blameOf(sums);
}
