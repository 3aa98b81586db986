/** The stability of a sequence: frames go in one by one, what is kept is five of them and the figures. */
import { BadInputError } from '../../errors';
import type { Rect } from '../rect';
import { BLAME_SUMS, blameOf, type Blame } from './blame';
import { Exceeded } from './exceeded';
import { flickerIn } from './flicker';
import { KindTally, type KindShares } from './kinds';
import { movingLight } from './movingLight';
import { REGION, regionRect, regionsOf } from './regions';
import type { SpawnHelper } from './rowHelper';
import { RunBlame } from './runBlame';
import { flickerWindow, type FlickerWindow, type MeterFrame, type WindowFlicker } from './window';

export interface MeterOptions {
  width: number;
  height: number;
  pixelsPerDegree?: number;
  /** What holds the frames: by the compiled loops where they can be had. */
  window?: typeof flickerWindow;
  /** Starts a thread that takes half of the work, to the same bits; the one that measures must be allowed to wait for it. */
  spawn?: SpawnHelper;
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
  /** Share of the picture that was not measured and changes back and forth. */
  unsettled: number;
  /** Share of what was measured over which highlights, edges of shadows or things move: that is in none of the others. */
  movingLight: number;
}

export interface WorstPlace extends Rect {
  frame: number;
  /** What a hundredth of the place exceeds in this frame, its worst: as `measurePlace` has it. */
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
  /** What was not measured and changes back and forth, see `FrameStability`. */
  unsettled: number;
  movingLight: number;
  kinds: KindShares;
  /** Which part of the light flickers, of what is visible; null where the frames do not say what their light is made of. */
  blame: Blame | null;
  frames: FrameStability[];
  worst: WorstPlace[];
}

/** A frame whose next one is still to be compared with it. */
interface Pending extends WindowFlicker {
  /** BLAME_SUMS numbers a region, see `RunBlame`. */
  blame: Float64Array | null;
  /** Regions over which light moved from the frame before, if there was one. */
  moving: Uint8Array | null;
}

/** How many of the worst places are given. */
const WORST = 8;

/** Pixels of a side of the smallest frames that are measured. */
export const LEAST_SIDE = 32;

export class StabilityMeter {
  private readonly window: FlickerWindow;
  private readonly found: FrameStability[] = [];
  private readonly places: WorstPlace[] = [];
  private readonly tally: KindTally;
  private readonly exceeded: Exceeded;
  private readonly runBlame: RunBlame;
  private readonly blamed = new Float64Array(BLAME_SUMS);
  private layered = false;
  private readonly width: number;
  private readonly height: number;
  private taken = 0;
  private pending: Pending | null = null;
  /**
   * Called with each frame's map of visibility, what was measured, and the regions over which light moves, before they are
   * let go.
   */
  onMap: ((frame: FrameStability, map: Float32Array, valid: Float32Array, moving: Uint8Array) => void) | null = null;

  constructor({ width, height, pixelsPerDegree = 60, window = flickerWindow, spawn }: MeterOptions) {
    if (width < LEAST_SIDE || height < LEAST_SIDE)
      throw new BadInputError(
        `Frames of ${width}×${height} pixels are too small: at least ${LEAST_SIDE} a side are needed.`,
      );
    this.width = width;
    this.height = height;
    this.window = window(width, height, pixelsPerDegree, spawn);
    this.runBlame = new RunBlame(width, height);
    this.exceeded = new Exceeded(width, height, 0.99);
    this.tally = new KindTally(regionsOf(width, height).regions);
  }

  /** Takes the next frame. @returns what was found in the frame three before it, once there are six */
  add(frame: MeterFrame): FrameStability | null {
    this.taken++;
    if (frame.layers) this.runBlame.add(frame, frame.layers);
    const shown = this.window.add(frame);
    if (!shown) return null;
    const blame = this.runBlame.divide(shown.soft.sums, shown.valid);
    const { pending } = this;
    const moving = pending && movingLight(pending.soft, shown.soft);
    this.pending = { ...shown, blame, moving };
    return pending && moving ? this.finish(pending, moving) : null;
  }

  /** What was found in the last frame that can be measured; none may be added afterwards. */
  end(): FrameStability | null {
    const { pending } = this;
    this.pending = null;
    this.window.close();
    return pending && this.finish(pending, pending.moving ?? new Uint8Array(pending.soft.sums.regions));
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
      unsettled: mean((f) => f.unsettled),
      movingLight: mean((f) => f.movingLight),
      kinds: this.tally.shares(),
      blame: this.layered ? blameOf(this.blamed) : null,
      frames: found,
      worst: worstOf(this.places),
    };
  }

  /** @param moving 1 a region over which light moves: it keeps its map, but is not among what flickers */
  private finish({ map, valid, number, soft, fronts, unsettled, blame }: Pending, moving: Uint8Array): FrameStability {
    const { sums } = soft;
    if (blame) this.layered = true;
    let [count, light, visible, certain, largest] = [0, 0, 0, 0, 0];
    for (let n = 0; n < sums.regions; n++) {
      const passing = fronts?.count[n] ?? 0;
      count += sums.count[n] + passing;
      light += passing;
      if (moving[n] === 1) {
        light += sums.visible[n];
        continue;
      }
      visible += sums.visible[n];
      certain += sums.certain[n];
      largest = Math.max(largest, sums.largest[n]);
      if (!(sums.largest[n] > 1)) continue;
      const place = regionRect(n, this.width, this.height);
      const index = flickerIn(map, valid, this.width, place) ?? 0;
      if (index > 1) this.places.push({ frame: number, index, ...place });
      if (blame) for (let k = 0; k < BLAME_SUMS; k++) this.blamed[k] += blame[n * BLAME_SUMS + k];
    }
    // what will not be among the worst need not be remembered
    if (this.places.length > 4096) this.places.sort((a, b) => b.index - a.index).length = 1024;
    const share = (of: number): number => (count > 0 ? of / count : 0);
    const result: FrameStability = {
      frame: number,
      index: this.exceeded.of(map, sums, moving),
      largest,
      visible: share(visible),
      certain: share(certain),
      coverage: count / map.length,
      unsettled,
      movingLight: share(light),
    };
    this.found.push(result);
    this.tally.add(sums, moving, fronts?.strength ?? null);
    this.onMap?.(result, map, valid, moving);
    return result;
  }
}

/** The strongest places; what lies beside one of them is mostly the same trouble, and is left out. */
function worstOf(places: readonly WorstPlace[]): WorstPlace[] {
  const out: WorstPlace[] = [];
  for (const place of [...places].sort((a, b) => b.index - a.index || a.frame - b.frame)) {
    if (out.some((o) => Math.abs(o.x - place.x) <= REGION && Math.abs(o.y - place.y) <= REGION)) continue;
    out.push(place);
    if (out.length === WORST) break;
  }
  return out;
}
