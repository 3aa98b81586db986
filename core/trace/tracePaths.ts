/**
 * Path tracing of a tile, one sample a pixel at a time, in waves over flat arrays: all rays of a wave are traced, then all
 * hits shaded, then all shadow rays traced, so that each of the three loops runs over one kind of work
 * (Laine et al. 2013, Megakernels Considered Harmful: Wavefront Path Tracing on GPUs).
 */
import { bringHome, writeGeometry } from './paths/bookPaths';
import type { PixelBox } from '../raster/tile';
import { cameraStarts, type PathCamera } from './paths/cameraStarts';
import { intersect } from './paths/intersectPaths';
import { occlude } from './paths/occludePaths';
import { hitTriangle, type PathInput } from './paths/pathState';
import type { PathStarts } from './paths/pathStarts';
import { shade } from './paths/shadePaths';
import { startItems, startTile } from './paths/startPaths';
import { surfaceAtHit } from './paths/surfaceAtHit';
import type { PathKernel } from './pathKernel';

export type { PathInput, PathLimits } from './paths/pathState';

/** What takes paths from where they start: `compiled` loops that know the same input, or null for the plain ones. */
export interface Tracer {
  input: PathInput;
  compiled: PathKernel | null;
}

/** Adds sample number `sample` to every pixel of the tile that still takes samples. @param tile at most PATH_TILE a side */
export function tracePaths({ input, compiled }: Tracer, tile: PixelBox, sample: number): void {
  if (compiled) return compiled.trace(tile, sample);
  const { camera, paths } = input;
  follow(input, startTile(startsOf(input, camera!), camera!.width, tile, sample, paths), sample);
}

/**
 * Adds sample number `sample` to the items from `from` to before `to` that still take samples, wherever they start.
 * @param to at most PATH_TILE² items on
 */
export function traceFrom(
  { input, compiled }: Tracer,
  starts: PathStarts,
  from: number,
  to: number,
  sample: number,
): void {
  if (compiled) return compiled.traceFrom(starts, from, to, sample);
  follow(input, startItems(starts, from, to, sample, input.paths), sample);
}

/** Depth, normals and objects of a tile as seen through the middles of the lens and of the pixels. */
export function lookThroughMiddle({ input, compiled }: Tracer, tile: PixelBox): void {
  if (compiled) return compiled.lookThroughMiddle(tile);
  const middle: PathCamera = { ...input.camera!, aperture: null, samples: 1 };
  const count = startTile(startsOf(input, middle), middle.width, tile, 0, input.paths);
  intersect(input, count);
  for (let i = 0; i < count; i++) {
    if (hitTriangle[i] < 0) continue;
    surfaceAtHit(input, i);
    writeGeometry(middle, input.surface.scene, i);
  }
}

function startsOf({ seed, sampleBase, emitters }: PathInput, camera: PathCamera): PathStarts {
  return cameraStarts(camera, seed, sampleBase, emitters.surroundings?.camera ?? 0);
}

/** Waves until no path goes on. */
function follow(input: PathInput, started: number, sample: number): void {
  const { now, spent } = input;
  for (let [wave, count] = [0, started]; count > 0; wave++) {
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
  for (let i = 0; i < started; i++) bringHome(input.paths, i);
}
