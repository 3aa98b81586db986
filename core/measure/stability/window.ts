/** The frames around the one that is measured, and what they show of its flicker. */
import { kernelsInUse } from '@daxel/kernel/load';
import type { FrameLayers } from './blame';
import {
  adaptation,
  blockMeans,
  blocksOf,
  displayCandela,
  fastAnswer,
  flickerFilters,
  flickerMap,
  measuredShares,
  slowAnswer,
  weighAnswers,
  type FlickerFilters,
} from './flicker';
import { takeOutFronts, type Fronts } from './fronts';
import type { SoftAnswer } from './movingLight';
import { regionSums } from './regions';
import type { SpawnHelper } from './rowHelper';
import { cubicAt } from './sample';
import { follow, MIDDLE, mixMask, WINDOW, withUnsure, type TrackedFrame } from './track';
import { unsettledShare } from './unsettled';
import { compiledWindow } from './windowKernel';

/** A frame as it is measured. */
export interface MeterFrame {
  /** Its number, for reports. */
  number: number;
  /** Display-linear luminance, 0 black … 1 white, one a pixel. */
  luminance: Float32Array;
  /** Pixels right and down to the next frame, two a pixel; null when nothing moves or nothing is known. */
  motion: Float32Array | null;
  ids: ArrayLike<number> | null;
  /** 1 a pixel whose vector is not to be relied on; null or missing for none. */
  unsure?: Uint8Array | null;
  /** What its light is made of, where that is known. */
  layers?: FrameLayers;
}

/** What the frames around it show of one frame. */
export interface WindowFlicker {
  number: number;
  /** Visibility per pixel: 1 is just noticed, 0 where nothing was measured. */
  map: Float32Array;
  /** 1 where the point was followed through all frames, else 0. */
  valid: Float32Array;
  /** The answer of the fast filter, from afar. */
  soft: SoftAnswer;
  /** Edges that pass, which were left out; null where none do. */
  fronts: Fronts | null;
  /** Share of the picture that was not followed and changes back and forth. */
  unsettled: number;
}

/** Takes frames in order and holds WINDOW of them. */
export interface FlickerWindow {
  /** @returns what they show of the middle one, once there are enough */
  add(frame: MeterFrame): WindowFlicker | null;
  /** Gives its memory back; no frames may come afterwards. */
  close(): void;
}

/**
 * By the compiled loops where they can be had.
 * @param pixelsPerDegree of the viewer @param spawn starts a thread that helps, if there may be one
 */
export function flickerWindow(
  width: number,
  height: number,
  pixelsPerDegree: number,
  spawn?: SpawnHelper,
): FlickerWindow {
  const compiled = kernelsInUse() ? compiledWindow(width, height, pixelsPerDegree, spawn) : null;
  return compiled ?? plainWindow(width, height, pixelsPerDegree);
}

interface Held extends TrackedFrame {
  number: number;
  /** Vectors are our own guess, good or bad. */
  guessed: boolean;
  /** cd/m² */
  raw: Float32Array;
  seen: Float32Array;
}

/** Uncertainty of a vector, pixels. */
const DOUBT = 0.25;

/** The plain twin: places and sums in doubles. */
export function plainWindow(width: number, height: number, pixelsPerDegree: number): FlickerWindow {
  const filters = flickerFilters(width, height, pixelsPerDegree);
  const held: Held[] = [];
  return {
    add({ number, luminance, motion, ids, unsure }) {
      const raw = displayCandela(luminance);
      const mixed = withUnsure(mixMask(motion, ids, width, height), unsure);
      held.push({ number, raw, seen: filters.slopes(raw), motion, ids, mixed, guessed: unsure !== undefined });
      if (held.length > WINDOW) held.shift();
      return held.length < WINDOW ? null : measure(held, width, height, filters);
    },
    close: () => void (held.length = 0),
  };
}

function measure(window: readonly Held[], width: number, height: number, filters: FlickerFilters): WindowFlicker {
  const pixels = width * height;
  const plane = (): Float32Array => new Float32Array(pixels);
  const answers = { fast: plane(), slow: plane(), mean: window[MIDDLE].seen.slice(), valid: plane() };
  const sure = { fast: plane(), slow: plane() };
  const at = new Float64Array(WINDOW * 2);
  const s = new Float64Array(WINDOW);
  const still = window.every((f) => !f.motion && !f.mixed);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      if (!follow(window, width, height, x, y, at)) continue;
      const i = y * width + x;
      answers.valid[i] = 1;
      for (let k = 0; k < WINDOW; k++) s[k] = cubicAt(window[k].raw, width, at[k * 2], at[k * 2 + 1]);
      answers.fast[i] = fastAnswer(s);
      answers.slow[i] = slowAnswer(s);
      answers.mean[i] = (s[0] + s[1] + s[2] + s[3] + s[4]) / 5;
      if (still) continue;
      // each sample is brought as near to the middle one as an error of its vector could
      const here = s[MIDDLE];
      for (let k = 0; k < WINDOW; k++) {
        const reach = k === MIDDLE ? 0 : DOUBT * steepness(window[k].seen, width, at[k * 2], at[k * 2 + 1]);
        s[k] = here < s[k] - reach ? s[k] - reach : here > s[k] + reach ? s[k] + reach : here;
      }
      sure.fast[i] = fastAnswer(s);
      sure.slow[i] = slowAnswer(s);
    }
  }
  const raws = window.map((f) => f.raw);
  const unsettled = unsettledShare(raws, answers.valid, width, height);
  // an edge that passes is seen as a whole only where all of it is looked at
  const fronting = window.map((f) => (f.guessed ? { ...f, mixed: null } : f));
  const fronts = takeOutFronts(fronting, { ...answers, sure: still ? null : sure }, width, height);
  const adapted = adaptation(answers.mean, filters);
  const shares = measuredShares(answers.valid, filters);
  const map = flickerMap(answers, adapted, filters, shares);
  // what nobody notices need not be doubted
  const doubtful = !still && map.some((v) => v > 1);
  const certain = !doubtful ? map : flickerMap({ ...sure, valid: answers.valid }, adapted, filters, shares);
  const contrast = weighAnswers(answers, adapted).fast;
  const smooth = filters.fast(contrast);
  const { number, seen, ids } = window[MIDDLE];
  const { valid } = answers;
  const sums = regionSums({ contrast, smooth, valid, seen, map, certain, ids }, width, height);
  const soft = { ...blocksOf(width, height), blocks: blockMeans(smooth, width, height), sums };
  return { number, map, valid, soft, fronts, unsettled };
}

/** Change of a plane over a pixel to each side of a place. */
function steepness(plane: Float32Array, width: number, x: number, y: number): number {
  const i = Math.round(y) * width + Math.round(x);
  return (Math.abs(plane[i + 1] - plane[i - 1]) + Math.abs(plane[i + width] - plane[i - width])) / 2;
}
