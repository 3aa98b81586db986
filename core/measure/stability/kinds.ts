/**
 * What kind of flicker a region shows, from the statistics of what returns there over the run: how large it is, how
 * lonely its peaks, whether it sits on edges, and whether it comes once or all the time.
 */
import type { RegionSums } from './regions';

export const KINDS = ['pop', 'boil', 'sparkle', 'crawl', 'grain', 'light'] as const;
export type Kind = (typeof KINDS)[number];
/** Share of the visible flicker that is of each kind; all 0 when none is visible. */
export type KindShares = Record<Kind, number>;

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

  /** @param regions how many there are */
  constructor(regions: number) {
    this.regions = Array.from({ length: regions }, () => ({
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
   * @param moving 1 a region over which light moves: what it answers says nothing of other kinds
   * @param passing how visible edges that pass a region would be, which are not among its sums; null where none do
   */
  add(sums: RegionSums, moving: Uint8Array, passing: Float64Array | null = null): void {
    this.regions.forEach((region, n) => {
      if (passing && passing[n] > 1) region.light += passing[n] * passing[n];
      const count = sums.count[n];
      const largest = sums.largest[n];
      const visible = largest > 1 ? largest * largest : 0;
      if (moving[n] === 1) {
        region.light += visible;
        return;
      }
      region.count += count;
      region.square += sums.square[n];
      region.cube += sums.cube[n];
      region.fourth += sums.fourth[n];
      region.blurred += sums.blurred[n];
      region.onEdges += sums.onEdges[n];
      if (count > 0) region.energies.push(sums.square[n] / count);
      region.visible += visible;
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
