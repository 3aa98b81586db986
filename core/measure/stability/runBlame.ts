/** Which part of the light flickers in a run: frames come one by one, and each region of each is divided by itself. */
import { addBlame, BLAME_SUMS, type FrameLayers, type LayeredFrame } from './blame';
import { REGION, regionsOf } from './regions';
import { mixMask, WINDOW } from './track';
import type { MeterFrame } from './window';

/** Every so many pixels across and down are looked at: a region holds 144 of them. */
const STEP = 4;

export class RunBlame {
  private readonly held: LayeredFrame[] = [];

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {}

  /** @returns BLAME_SUMS numbers a region for the frame in the middle, once there are WINDOW */
  add({ motion, ids }: MeterFrame, layers: FrameLayers): Float64Array | null {
    const { width, height, held } = this;
    if (!ids) return null;
    held.push({ ...layers, ids, tracked: { motion, ids, mixed: mixMask(motion, ids, width, height) } });
    if (held.length > WINDOW) held.shift();
    if (held.length < WINDOW) return null;
    const { across, regions } = regionsOf(width, height);
    const out = new Float64Array(regions * BLAME_SUMS);
    for (let n = 0; n < regions; n++) {
      const rect = { x: (n % across) * REGION, y: Math.floor(n / across) * REGION, width: REGION, height: REGION };
      addBlame(held, width, height, rect, STEP, out.subarray(n * BLAME_SUMS, (n + 1) * BLAME_SUMS));
    }
    return out;
  }
}
