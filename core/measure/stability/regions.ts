/** What a frame's flicker comes to in each region of the picture: kinds, light that moves and worst places start from it. */
import type { Rect } from '../rect';
import { nthSmallest } from './select';
import { BORDER, onOutline } from './track';

/** Side of a region, pixels. */
export const REGION = 48;
/** Of the steepness of a region's pixels: those above its ninth tenth are its edges. */
const EDGE_SHARE = 0.1;

/** Figures of a region, of the points in it that were followed. */
export const FIELDS = [
  /** How many there are. */
  'count',
  /** Sums of the powers of the fast filter's answer over the adaptation. */
  'square',
  'cube',
  'fourth',
  /** Sum of its square when blurred, of the square on edges of the picture, and on outlines of objects. */
  'blurred',
  'onEdges',
  'onOutlines',
  /** How many flicker visibly, and of these how many even if their vectors are a little wrong. */
  'visible',
  'certain',
  /** Largest visibility, and the largest that is certain. */
  'largest',
  'surest',
] as const;

/** One number a region, in rows of `across`. */
export type RegionSums = { across: number; regions: number } & Record<(typeof FIELDS)[number], Float64Array>;

/** Regions of a picture, and how many a row has. */
export function regionsOf(width: number, height: number): { across: number; regions: number } {
  const across = Math.ceil(width / REGION);
  return { across, regions: across * Math.ceil(height / REGION) };
}

/** Where a region lies, cut at the picture's border. */
export function regionRect(region: number, width: number, height: number): Rect {
  const { across } = regionsOf(width, height);
  const [x, y] = [(region % across) * REGION, Math.floor(region / across) * REGION];
  return { x, y, width: Math.min(REGION, width - x), height: Math.min(REGION, height - y) };
}

/** Planes of a number a pixel. */
export interface FlickerPlanes {
  /** Answer of the fast filter as `weighAnswers` gives it, and that blurred. */
  contrast: Float32Array;
  smooth: Float32Array;
  /** 1 where the point was followed, else 0: always along the border. */
  valid: Float32Array;
  /** Luminance, blurred: for slopes that grain does not drown. */
  seen: Float32Array;
  /** Visibility, and that if every vector were a little wrong in the better direction. */
  map: Float32Array;
  certain: Float32Array;
  ids: ArrayLike<number> | null;
}

/** The plain twin of the compiled loop. */
export function regionSums(planes: FlickerPlanes, width: number, height: number): RegionSums {
  const { contrast, smooth, valid, seen, map, certain, ids } = planes;
  const { across, regions } = regionsOf(width, height);
  const sums = { across, regions } as RegionSums;
  for (const field of FIELDS) sums[field] = new Float64Array(regions);
  const steep = new Float32Array(REGION * REGION);
  for (let n = 0; n < regions; n++) {
    const rect = regionRect(n, width, height);
    const [x0, y0] = [rect.x, rect.y];
    const x1 = Math.min(width - 1, x0 + rect.width);
    const y1 = Math.min(height - 1, y0 + rect.height);
    let pixels = 0;
    for (let y = Math.max(1, y0); y < y1; y++)
      for (let x = Math.max(1, x0); x < x1; x++) steep[pixels++] = slope(seen, y * width + x, width);
    const limit = pixels > 0 ? nthSmallest(steep, pixels, Math.floor(pixels * (1 - EDGE_SHARE))) : 0;
    for (let y = Math.max(BORDER, y0); y < Math.min(y1, height - BORDER); y++)
      for (let x = Math.max(BORDER, x0); x < Math.min(x1, width - BORDER); x++) {
        const i = y * width + x;
        if (valid[i] === 0) continue;
        const d = contrast[i];
        const d2 = d * d;
        sums.count[n]++;
        sums.square[n] += d2;
        sums.cube[n] += d2 * d;
        sums.fourth[n] += d2 * d2;
        sums.blurred[n] += smooth[i] * smooth[i];
        if (limit > 0 && slope(seen, i, width) > limit) sums.onEdges[n] += d2;
        if (ids && d2 > 0 && onOutline(ids, width, height, x, y)) sums.onOutlines[n] += d2;
        if (map[i] > 1) sums.visible[n]++;
        if (map[i] > 1 && certain[i] > 1) sums.certain[n]++;
        if (map[i] > sums.largest[n]) sums.largest[n] = map[i];
        if (certain[i] > sums.surest[n]) sums.surest[n] = certain[i];
      }
  }
  return sums;
}

/** Change of a plane over two pixels, across and down. */
function slope(plane: Float32Array, i: number, width: number): number {
  return Math.abs(plane[i + 1] - plane[i - 1]) + Math.abs(plane[i + width] - plane[i - width]);
}
