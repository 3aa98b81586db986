/** The stability of a sequence: frames go in one by one, what is kept is five of them and the figures. */
import { BadInputError } from '../../errors';
import type { Rect } from '../rect';
import {
  adaptation,
  displayCandela,
  flickerFilters,
  flickerMap,
  measuredShares,
  percentile,
  type FlickerFilters,
} from './flicker';
import { KindTally, REGION, type KindShares } from './kinds';
import { movingLight, softAnswer, type SoftAnswer } from './movingLight';
import { cubicAt } from './sample';
import { follow, MIDDLE, mixMask, WINDOW, type TrackedFrame } from './track';

/** A frame as it is measured. */
export interface MeterFrame {
  /** Its number, for reports. */
  number: number;
  /** Display-linear luminance, 0 black … 1 white, one a pixel. */
  luminance: Float32Array;
  /** Pixels right and down to the next frame, two a pixel; null when nothing moves or nothing is known. */
  motion: Float32Array | null;
  ids: ArrayLike<number> | null;
}

export interface MeterOptions {
  width: number;
  height: number;
  pixelsPerDegree?: number;
}

/** What was found in one frame. */
export interface FrameStability {
  frame: number;
  /** Visibility that a hundredth of the measured picture exceeds: 1 is just noticed. */
  index: number;
  largest: number;
  /** Share of the measured picture whose flicker is visible; where light moves over it does not count as flicker. */
  visible: number;
  /** Share whose flicker is visible even if every vector is a quarter of a pixel wrong. */
  certain: number;
  /** Share of the picture that was measured. */
  coverage: number;
  /** Share of it over which highlights or shadow edges move: that is in none of the figures before. */
  movingLight: number;
}

export interface WorstPlace extends Rect {
  frame: number;
  index: number;
}

export interface StabilityReport {
  /** Median over the frames: steady flicker. */
  index: number;
  /** Largest over the frames: pops. */
  peak: number;
  visible: number;
  certain: number;
  coverage: number;
  movingLight: number;
  kinds: KindShares;
  frames: FrameStability[];
  worst: WorstPlace[];
}

/** A frame whose next one is still to be compared with it. */
interface Pending {
  number: number;
  map: Float32Array;
  certain: Float32Array;
  valid: Float32Array;
  contrast: Float32Array;
  smooth: Float32Array;
  seen: Float32Array;
  soft: SoftAnswer;
  /** Regions over which light moved from the frame before, if there was one. */
  moving: Uint8Array | null;
}

interface Held extends TrackedFrame {
  number: number;
  /** cd/m² */
  raw: Float32Array;
  /** The same, blurred: for slopes that grain does not drown. */
  seen: Float32Array;
}

/** Uncertainty of a vector, pixels. */
const DOUBT = 0.25;
/** Side of the squares among which the worst places are sought, and how many are given. */
const SQUARE = 64;
const WORST = 8;

/** Pixels of a side of the smallest frames that are measured. */
export const LEAST_SIDE = 32;

export class StabilityMeter {
  private readonly filters: FlickerFilters;
  private readonly window: Held[] = [];
  private readonly found: FrameStability[] = [];
  private readonly places: WorstPlace[] = [];
  private readonly tally: KindTally;
  private readonly width: number;
  private readonly height: number;
  private taken = 0;
  private pending: Pending | null = null;
  /** Called with each frame's map of visibility and what was measured, before they are let go. */
  onMap: ((frame: FrameStability, map: Float32Array, valid: Float32Array) => void) | null = null;

  constructor({ width, height, pixelsPerDegree = 60 }: MeterOptions) {
    if (width < LEAST_SIDE || height < LEAST_SIDE)
      throw new BadInputError(
        `Frames of ${width}×${height} pixels are too small: at least ${LEAST_SIDE} a side are needed.`,
      );
    this.width = width;
    this.height = height;
    this.filters = flickerFilters(width, height, pixelsPerDegree);
    this.tally = new KindTally(width, height);
  }

  /** Takes the next frame. @returns what was found in the frame three before it, once there are six */
  add(frame: MeterFrame): FrameStability | null {
    const { width, height } = this;
    const raw = displayCandela(frame.luminance);
    this.window.push({
      number: frame.number,
      raw,
      seen: this.filters.slopes(raw),
      motion: frame.motion,
      ids: frame.ids,
      mixed: mixMask(frame.motion, frame.ids, width, height),
    });
    this.taken++;
    if (this.window.length > WINDOW) this.window.shift();
    if (this.window.length < WINDOW) return null;
    const { pending } = this;
    const next = this.measure();
    const moving = pending && movingLight(pending.soft, next.soft, this.surelyVisible(pending.certain));
    this.pending = { ...next, moving };
    return pending && moving ? this.finish(pending, moving) : null;
  }

  /** 1 a region in which a map exceeds what is noticed. */
  private surelyVisible(map: Float32Array): Uint8Array {
    const across = Math.ceil(this.width / REGION);
    const out = new Uint8Array(across * Math.ceil(this.height / REGION));
    map.forEach((v, i) => {
      const y = Math.floor(i / this.width);
      if (v > 1) out[Math.floor(y / REGION) * across + Math.floor((i - y * this.width) / REGION)] = 1;
    });
    return out;
  }

  /** What was found in the last frame that can be measured; none may be added afterwards. */
  end(): FrameStability | null {
    const { pending } = this;
    this.pending = null;
    return pending && this.finish(pending, pending.moving ?? pending.soft.soft.map(() => 0));
  }

  /** @throws BadInputError when too few frames came */
  report(): StabilityReport {
    this.end();
    if (this.found.length === 0)
      throw new BadInputError(
        `Flicker is sought in five frames that follow one another; there ${this.taken === 1 ? 'is one' : `are ${this.taken}`}.`,
      );
    const { found } = this;
    const mean = (of: (f: FrameStability) => number): number => found.reduce((sum, f) => sum + of(f), 0) / found.length;
    const measured = found.filter((f) => f.coverage > 0);
    const indices = measured.map((f) => f.index).sort((a, b) => a - b);
    return {
      index: indices[indices.length >> 1] ?? 0,
      peak: indices.at(-1) ?? 0,
      visible: mean((f) => f.visible),
      certain: mean((f) => f.certain),
      coverage: mean((f) => f.coverage),
      movingLight: mean((f) => f.movingLight),
      kinds: this.tally.shares(),
      frames: found,
      worst: worstOf(this.places),
    };
  }

  private measure(): Omit<Pending, 'moving'> {
    const { width, height, window, filters } = this;
    const pixels = width * height;
    const plane = (): Float32Array => new Float32Array(pixels);
    const answers = { fast: plane(), slow: plane(), mean: window[MIDDLE].seen.slice(), valid: plane() };
    const sure = { fast: plane(), slow: plane() };
    const at = new Float64Array(WINDOW * 2);
    const s = new Float64Array(WINDOW);
    const still = window.every((f) => !f.motion);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        if (!follow(window, width, height, x, y, at)) continue;
        const i = y * width + x;
        answers.valid[i] = 1;
        for (let k = 0; k < WINDOW; k++) s[k] = cubicAt(window[k].raw, width, at[k * 2], at[k * 2 + 1]);
        answers.fast[i] = (s[0] - 4 * s[1] + 6 * s[2] - 4 * s[3] + s[4]) / 16;
        answers.slow[i] = (-s[0] + 2 * s[2] - s[4]) / 4;
        const mean = (s[0] + s[1] + s[2] + s[3] + s[4]) / 5;
        answers.mean[i] = mean;
        if (still) continue;
        // each sample is brought as near to the middle one as an error of its vector could
        const here = s[MIDDLE];
        for (let k = 0; k < WINDOW; k++) {
          const reach = k === MIDDLE ? 0 : DOUBT * steepness(window[k].seen, width, at[k * 2], at[k * 2 + 1]);
          s[k] = here < s[k] - reach ? s[k] - reach : here > s[k] + reach ? s[k] + reach : here;
        }
        sure.fast[i] = (s[0] - 4 * s[1] + 6 * s[2] - 4 * s[3] + s[4]) / 16;
        sure.slow[i] = (-s[0] + 2 * s[2] - s[4]) / 4;
      }
    }
    const adapted = adaptation(answers.mean, filters);
    const shares = measuredShares(answers.valid, filters);
    const map = flickerMap(answers, adapted, filters, shares);
    const certain = still ? map : flickerMap({ ...sure, valid: answers.valid }, adapted, filters, shares);
    const contrast = answers.fast.map((v, i) => v / adapted[i]);
    const smooth = filters.fast(contrast);
    const { number, seen, ids } = window[MIDDLE];
    const { valid } = answers;
    const soft = softAnswer(contrast, smooth, ids, width, height);
    return { number, map, certain, valid, contrast, smooth, seen, soft };
  }

  /** @param moving 1 a region over which light moves */
  private finish(p: Pending, moving: Uint8Array): FrameStability {
    const { width, height } = this;
    const { map, certain, valid, number } = p;
    const across = Math.ceil(width / REGION);
    // what moves as light keeps its map, but is not among what flickers
    const counted = new Float32Array(map.length);
    let [count, light, visible, both, largest] = [0, 0, 0, 0, 0];
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const i = y * width + x;
        if (valid[i] === 0) continue;
        count++;
        if (moving[Math.floor(y / REGION) * across + Math.floor(x / REGION)] === 1) {
          if (map[i] > 1) light++;
          continue;
        }
        counted[i] = 1;
        if (map[i] > largest) largest = map[i];
        if (map[i] <= 1) continue;
        visible++;
        if (certain[i] > 1) both++;
      }
    const result: FrameStability = {
      frame: number,
      index: percentile(map, counted, 0.99),
      largest,
      visible: count > 0 ? visible / count : 0,
      certain: count > 0 ? both / count : 0,
      coverage: count / map.length,
      movingLight: count > 0 ? light / count : 0,
    };
    this.found.push(result);
    this.tally.add(p.contrast, p.smooth, valid, p.seen, map, moving);
    this.notePlaces(
      number,
      map.map((v, i) => v * counted[i]),
    );
    this.onMap?.(result, map, valid);
    return result;
  }

  private notePlaces(frame: number, map: Float32Array): void {
    const { width, height } = this;
    for (let y = 0; y < height; y += SQUARE) {
      for (let x = 0; x < width; x += SQUARE) {
        const w = Math.min(SQUARE, width - x);
        const h = Math.min(SQUARE, height - y);
        let index = 0;
        for (let j = y; j < y + h; j++)
          for (let i = j * width + x; i < j * width + x + w; i++) if (map[i] > index) index = map[i];
        if (index > 1) this.places.push({ frame, x, y, width: w, height: h, index });
      }
    }
    // what will not be among the worst need not be remembered
    if (this.places.length > 4096) this.places.sort((a, b) => b.index - a.index).length = 1024;
  }
}

/** Change of a plane over a pixel to each side of a place. */
function steepness(plane: Float32Array, width: number, x: number, y: number): number {
  const i = Math.round(y) * width + Math.round(x);
  return (Math.abs(plane[i + 1] - plane[i - 1]) + Math.abs(plane[i + width] - plane[i - width])) / 2;
}

/** The strongest places, each square of the picture once. */
function worstOf(places: readonly WorstPlace[]): WorstPlace[] {
  const seen = new Set<string>();
  const out: WorstPlace[] = [];
  for (const place of [...places].sort((a, b) => b.index - a.index || a.frame - b.frame)) {
    const key = `${place.x} ${place.y}`;
    if (seen.has(key)) continue;
    seen.add(key);
    out.push(place);
    if (out.length === WORST) break;
  }
  return out;
}
