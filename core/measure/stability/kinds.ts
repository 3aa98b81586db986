/**
 * What kind of flicker a region shows, from the statistics of what returns there over the run: how large it is, how
 * lonely its peaks, whether it sits on edges, and whether it comes once or all the time.
 */

import { nthSmallest } from './select';

export const KINDS = ['pop', 'boil', 'sparkle', 'crawl', 'grain', 'light'] as const;
export type Kind = (typeof KINDS)[number];
/** Share of the visible flicker that is of each kind; all 0 when none is visible. */
export type KindShares = Record<Kind, number>;

/** Side of a region, pixels. */
export const REGION = 48;
/** Of the steepness of a region's pixels: those above its ninth tenth are its edges. */
const EDGE_SHARE = 0.1;
/** Kurtosis of what sits on few pixels. */
const LONELY = 6;

interface Region {
  count: number;
  /** Sums of the answer's powers, of its square when blurred, and on edges. */
  square: number;
  cube: number;
  fourth: number;
  blurred: number;
  onEdges: number;
  /** Mean square a frame, and how visible it was. */
  energies: number[];
  visible: number;
  /** Of that, while light moved over it. */
  light: number;
}

/** Collects regions over the frames of a run. */
export class KindTally {
  private readonly regions: Region[];
  private readonly across: number;

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {
    this.across = Math.ceil(width / REGION);
    this.regions = Array.from({ length: this.across * Math.ceil(height / REGION) }, () => ({
      count: 0,
      square: 0,
      cube: 0,
      fourth: 0,
      blurred: 0,
      onEdges: 0,
      energies: [],
      visible: 0,
      light: 0,
    }));
  }

  /**
   * @param answer of the fast filter to the picture that was not blurred, over the local mean; 0 where not valid
   * @param seen luminance, for its edges
   * @param map visibility
   * @param smooth the answer, blurred
   * @param moving 1 a region over which light moves: what it answers says nothing of other kinds
   */
  add(
    answer: Float32Array,
    smooth: Float32Array,
    valid: Float32Array,
    seen: Float32Array,
    map: Float32Array,
    moving: Uint8Array,
  ): void {
    const { width, height, across } = this;
    const steep = new Float32Array(REGION * REGION);
    this.regions.forEach((region, n) => {
      const x0 = (n % across) * REGION;
      const y0 = Math.floor(n / across) * REGION;
      const x1 = Math.min(width - 1, x0 + REGION);
      const y1 = Math.min(height - 1, y0 + REGION);
      if (moving[n] === 1) {
        let most = 0;
        for (let y = Math.max(1, y0); y < y1; y++)
          for (let i = y * width + Math.max(1, x0); i < y * width + x1; i++) if (map[i] > most) most = map[i];
        region.light += most > 1 ? most * most : 0;
        return;
      }
      let pixels = 0;
      for (let y = Math.max(1, y0); y < y1; y++)
        for (let x = Math.max(1, x0); x < x1; x++) steep[pixels++] = slope(seen, y * width + x, width);
      if (pixels === 0) return;
      const limit = nthSmallest(steep, pixels, Math.floor(pixels * (1 - EDGE_SHARE)));
      let energy = 0;
      let most = 0;
      let count = 0;
      for (let y = Math.max(1, y0); y < y1; y++) {
        for (let x = Math.max(1, x0); x < x1; x++) {
          const i = y * width + x;
          if (valid[i] === 0) continue;
          const d = answer[i];
          const d2 = d * d;
          count++;
          energy += d2;
          region.cube += d2 * d;
          region.fourth += d2 * d2;
          region.blurred += smooth[i] * smooth[i];
          if (limit > 0 && slope(seen, i, width) > limit) region.onEdges += d2;
          if (map[i] > most) most = map[i];
        }
      }
      region.count += count;
      region.square += energy;
      if (count > 0) region.energies.push(energy / count);
      region.visible += most > 1 ? most * most : 0;
    });
  }

  shares(): KindShares {
    const out = Object.fromEntries(KINDS.map((kind) => [kind, 0])) as KindShares;
    let total = 0;
    for (const region of this.regions) {
      out.light += region.light;
      total += region.light;
      // what spills over from next door says nothing of this region
      if (region.visible === 0 || !(region.square > 0)) continue;
      out[kindOf(region)] += region.visible;
      total += region.visible;
    }
    if (total > 0) for (const kind of KINDS) out[kind] /= total;
    return out;
  }
}

function slope(plane: Float32Array, i: number, width: number): number {
  return Math.abs(plane[i + 1] - plane[i - 1]) + Math.abs(plane[i + width] - plane[i - width]);
}

function kindOf(region: Region): Kind {
  const { count, square, cube, fourth, blurred, onEdges, energies } = region;
  const variance = square / count;
  const scale = Math.sqrt(blurred / square);
  const skew = Math.abs(cube / count / (variance * Math.sqrt(variance)));
  const kurtosis = fourth / count / (variance * variance) - 3;
  // a single event answers in the five frames whose windows hold it
  const sorted = [...energies].sort((a, b) => b - a);
  const all = sorted.reduce((a, b) => a + b, 0);
  const bestFive = sorted.slice(0, 5).reduce((a, b) => a + b, 0) / all;
  if (sorted.length > 8 && bestFive > 0.6 + 1.6 / sorted.length) return 'pop';
  if (scale > 0.45) return 'boil';
  if (skew > 1) return 'sparkle';
  if (onEdges / square > 0.4 || kurtosis > LONELY) return 'crawl';
  return 'grain';
}
