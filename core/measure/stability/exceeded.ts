/** What a share of a frame's flicker exceeds, looked for only where the picture flickers so much. */
import { placeOf } from './flicker';
import { regionRect, type RegionSums } from './regions';
import { nthSmallest } from './select';

/** Of what the last frame came to, the next is mostly above. */
const LIKELY = 0.9;

/** The same for frame after frame: what one came to says where to look in the next, and changes nothing but the time. */
export class Exceeded {
  private guess = 0;
  private readonly values: Float32Array;

  constructor(
    private readonly width: number,
    private readonly height: number,
    /** 0…1, of the measured pixels, that lies below */
    private readonly share: number,
  ) {
    this.values = new Float32Array(width * height);
  }

  /**
   * @param map flicker per pixel, 0 where nothing was measured @param sums of its regions
   * @param left 1 a region that is left out
   * @returns 0 where nothing was measured
   */
  of(map: Float32Array, sums: RegionSums, left: Uint8Array): number {
    let count = 0;
    for (let n = 0; n < sums.regions; n++) if (left[n] === 0) count += sums.count[n];
    if (count === 0) return 0;
    const from = count - placeOf(this.share, count);
    let values = this.above(map, sums, left, this.guess);
    if (values.length < from) values = this.above(map, sums, left, 0);
    // what is not there lies at 0
    const value = values.length < from ? 0 : nthSmallest(values, values.length, values.length - from);
    this.guess = value * LIKELY;
    return value;
  }

  /** Values above a limit, in regions that are not left out, in the memory of the last ones. */
  private above(map: Float32Array, sums: RegionSums, left: Uint8Array, limit: number): Float32Array {
    const { width, values } = this;
    let count = 0;
    for (let n = 0; n < sums.regions; n++) {
      if (left[n] !== 0 || !(sums.largest[n] > limit)) continue;
      const rect = regionRect(n, width, this.height);
      for (let y = rect.y; y < rect.y + rect.height; y++) {
        const end = y * width + rect.x + rect.width;
        for (let i = end - rect.width; i < end; i++) if (map[i] > limit) values[count++] = map[i];
      }
    }
    return values.subarray(0, count);
  }
}
