/**
 * What kind of flicker a region shows, from the statistics of what returns there over the run: how large it is, how
 * lonely its peaks, whether it sits on edges, and whether it comes once or all the time.
 */
import type { RegionSums } from './regions';

export const KINDS = ['pop', 'boil', 'sparkle', 'crawl', 'grain', 'light'] as const;
export type Kind = (typeof KINDS)[number];
/** Share of the visible flicker that is of each kind; all 0 when none is visible. */
export type KindShares = Record<Kind, number>;

/** Frames from which on one event can be told from many, and the share of the answer that three of them hold then. */
const LEAST_FRAMES = 5;
const ONE_EVENT = 0.9;
/** Blurred answer over the answer: a single sparkle is smaller than what pops, and blotches are larger than grain. */
const POPS = 0.25;
const BLOTCHY = 0.45;
/** Share of the answer on the steepest tenth of the picture, above which it runs along edges. */
const ON_EDGES = 0.4;

interface Region {
  count: number;
  /** Sums of the answer's powers, of its square when blurred, and on edges. */
  square: number;
  cube: number;
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
  const { count, square, cube, blurred, onEdges, energies } = region;
  const variance = square / count;
  const scale = Math.sqrt(blurred / square);
  const skew = Math.abs(cube / count / (variance * Math.sqrt(variance)));
  // a single event answers in the five frames whose windows hold it, mostly in three of them
  const sorted = [...energies].sort((a, b) => b - a);
  const frames = sorted.length;
  const share = (of: number): number =>
    sorted.slice(0, of).reduce((a, b) => a + b, 0) / sorted.reduce((a, b) => a + b, 0);
  const once = (frames >= LEAST_FRAMES && share(3) > ONE_EVENT) || (frames > 8 && share(5) > 0.6 + 1.6 / frames);
  if (once && scale > POPS) return 'pop';
  if (scale > BLOTCHY) return 'boil';
  if (skew > 1) return 'sparkle';
  // noise of a path tracer has lonely peaks too, but not on edges
  if (onEdges / square > ON_EDGES) return 'crawl';
  return 'grain';
}
