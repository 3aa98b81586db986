/** Which part of the light flickers in a run: frames come one by one, and each region of each is divided by itself. */
import { addBlame, BLAME_SUMS, type FrameLayers, type LayeredFrame } from './blame';
import { regionRect, type RegionSums } from './regions';
import { mixMask, WINDOW } from './track';
import type { MeterFrame } from './window';

/** Every so many pixels across and down are looked at: a region holds 144 of them. */
export const BLAME_STEP = 4;

/** What is held of a frame; where motions are mixed is only worked out when something flickers. */
interface Held extends FrameLayers {
  motion: Float32Array | null;
  ids: ArrayLike<number>;
  mixed?: Uint8Array | null;
}

export class RunBlame {
  private readonly held: Held[] = [];

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {}

  add({ motion, ids }: MeterFrame, layers: FrameLayers): void {
    if (!ids) return;
    this.held.push({ ...layers, motion, ids });
    if (this.held.length > WINDOW) this.held.shift();
  }

  /**
   * Divides what flickers in the frame in the middle.
   * @param counted 1 a pixel that was measured; what passes was not
   * @returns BLAME_SUMS numbers a region, 0 where nothing is visible; null when there are not yet WINDOW frames
   */
  divide({ regions, largest }: RegionSums, counted: Float32Array): Float64Array | null {
    const { width, height, held } = this;
    if (held.length < WINDOW) return null;
    const out = new Float64Array(regions * BLAME_SUMS);
    let window: LayeredFrame[] | null = null;
    for (let n = 0; n < regions; n++) {
      if (!(largest[n] > 1)) continue;
      window ??= held.map((frame) => this.tracked(frame));
      const rect = regionRect(n, width, height);
      const sums = out.subarray(n * BLAME_SUMS, (n + 1) * BLAME_SUMS);
      addBlame(window, { width, height, rect, step: BLAME_STEP, counted }, sums);
    }
    return out;
  }

  private tracked(frame: Held): LayeredFrame {
    const { motion, ids } = frame;
    if (frame.mixed === undefined) frame.mixed = mixMask(motion, ids, this.width, this.height);
    return { ...frame, tracked: { motion, ids, mixed: frame.mixed } };
  }
}
