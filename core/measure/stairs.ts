/** How far shadow edges run from the smooth line they should be: the stairs that coarse shadow texels leave. */
import { touchedPixels, type Rect } from './rect';

/** Pixels along an edge over which it is held against a smooth curve. */
const WINDOW = 17;
/** Edges that jump farther from one row to the next belong to different shadows. */
const LARGEST_JUMP = 6;
/** Shadow share at which an edge is taken to lie. */
const LEVEL = 0.5;

export interface Stairs {
  /** Root mean square distance of edges from a local parabola, pixels; 0 when there is no edge to judge. */
  pixels: number;
  /** Edge pixels that were judged. */
  length: number;
}

/**
 * Follows the half-lit line of a shadow picture row by row where it is steep and column by column where it is flat, and
 * takes from every stretch of 17 pixels what a parabola cannot follow.
 * @param lit share of light per pixel, 0…1
 * @param objects number of the object per pixel: where it changes, the edge is the object's own
 */
export function stairSteps(lit: Float32Array, objects: Uint32Array, width: number, height: number, rect: Rect): Stairs {
  const { x0, y0, x1, y1 } = touchedPixels(rect, width, height);
  const sums = { squares: 0, count: 0 };
  followEdges(lit, objects, width, 1, y0, y1, x0, x1, sums);
  followEdges(lit, objects, 1, width, x0, x1, y0, y1, sums);
  return { pixels: sums.count > 0 ? Math.sqrt(sums.squares / sums.count) : 0, length: sums.count };
}

function followEdges(
  lit: Float32Array,
  objects: Uint32Array,
  lineStride: number,
  stride: number,
  from: number,
  to: number,
  low: number,
  high: number,
  sums: { squares: number; count: number },
): void {
  // chains of crossings, one per edge that continues from line to line: rising and falling edges apart
  let open: { last: number; rising: boolean; places: number[] }[] = [];
  for (let line = from; line < to; line++) {
    const next: typeof open = [];
    for (let i = low + 1; i < high; i++) {
      const p = line * lineStride + i * stride;
      const a = lit[p - stride];
      const b = lit[p];
      if (a < LEVEL === b < LEVEL || objects[p] !== objects[p - stride]) continue;
      const place = i - 1 + (LEVEL - a) / (b - a);
      const rising = b > a;
      const k = open.findIndex((c) => c.rising === rising && Math.abs(c.last - place) <= LARGEST_JUMP);
      const chain = k >= 0 ? open.splice(k, 1)[0] : { last: place, rising, places: [] };
      chain.places.push(place);
      chain.last = place;
      next.push(chain);
    }
    for (const ended of open) judge(ended.places, sums);
    open = next;
  }
  for (const ended of open) judge(ended.places, sums);
}

/** Adds squared distances from parabolas for the stretches that are steeper than a diagonal. */
function judge(places: number[], sums: { squares: number; count: number }): void {
  for (let i = 0; i + WINDOW <= places.length; i += WINDOW >> 1) {
    const part = places.slice(i, i + WINDOW);
    if (Math.abs(part[WINDOW - 1] - part[0]) > WINDOW - 1) continue;
    sums.squares += parabolaResidual(part);
    sums.count += WINDOW;
  }
}

/** Sum of squared distances from the least-squares parabola, through orthogonal polynomials on a symmetric window. */
function parabolaResidual(v: number[]): number {
  const n = v.length;
  const h = (n - 1) / 2;
  let [s0, s1, s2, n1, n2, all] = [0, 0, 0, 0, 0, 0];
  const mean2 = (n * n - 1) / 12;
  for (let i = 0; i < n; i++) {
    const t = i - h;
    const q = t * t - mean2;
    s0 += v[i];
    s1 += v[i] * t;
    s2 += v[i] * q;
    n1 += t * t;
    n2 += q * q;
    all += v[i] * v[i];
  }
  return Math.max(0, all - (s0 * s0) / n - (s1 * s1) / n1 - (s2 * s2) / n2);
}
