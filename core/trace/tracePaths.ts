/**
 * Path tracing of a tile, one sample a pixel at a time, in waves over flat arrays: all rays of a wave are traced, then all
 * hits shaded, then all shadow rays traced, so that each of the three loops runs over one kind of work
 * (Laine et al. 2013, Megakernels Considered Harmful: Wavefront Path Tracing on GPUs).
 */
import { bringHome, writeGeometry } from './paths/bookPaths';
import { intersect } from './paths/intersectPaths';
import { occlude } from './paths/occludePaths';
import type { PathKernel } from './pathKernel';
import { hitTriangle, type PathInput } from './paths/pathState';
import { shade } from './paths/shadePaths';
import { start } from './paths/startPaths';
import { surfaceAtHit } from './paths/surfaceAtHit';

export type { PathInput, PathLimits } from './paths/pathState';

/**
 * Adds sample number `sample` to every pixel of the tile that still takes samples.
 * @param compiled loops that know the same input, or null for the plain ones
 * @param x0, y0, x1, y1 pixels of the tile, at most PATH_TILE a side
 */
export function tracePaths(
  input: PathInput,
  compiled: PathKernel | null,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  sample: number,
): void {
  if (compiled) return compiled.trace(x0, y0, x1, y1, sample);
  const { now, spent } = input;
  let count = start(input, x0, y0, x1, y1, sample);
  const paths = count;
  for (let wave = 0; count > 0; wave++) {
    const t0 = now();
    intersect(input, count);
    const t1 = now();
    spent[wave === 0 ? 0 : 2] += t1 - t0;
    const [shadows, next] = shade(input, count, sample);
    const t2 = now();
    spent[1] += t2 - t1;
    occlude(input, shadows);
    spent[3] += now() - t2;
    count = next;
  }
  for (let i = 0; i < paths; i++) bringHome(input.paths, i);
}

/** Depth, normals and objects of a tile as seen through the middles of the lens and of the pixels. */
export function lookThroughMiddle(
  input: PathInput,
  compiled: PathKernel | null,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
): void {
  if (compiled) return compiled.lookThroughMiddle(x0, y0, x1, y1);
  const count = start({ ...input, aperture: null, samples: 1 }, x0, y0, x1, y1, 0);
  intersect(input, count);
  for (let i = 0; i < count; i++) {
    if (hitTriangle[i] < 0) continue;
    surfaceAtHit(input, i);
    writeGeometry(input, i);
  }
}
