/** What a frame needs in memory, planned before it starts: the sums are exact, so that they can be shown and budgeted. */
import { glowNumbers } from '../film/bloom';
import { CODE_CURVE } from '../film/tone';
import { pathScratchBytes } from '../trace/pathKernel';
import { CHUNK_ENTRIES, CHUNK_TRIANGLES } from '../raster/binTriangles';
import { coverageScratchBytes } from '../raster/coverageKernel';
import { shadeScratchBytes } from '../shading/shadeKernel';
import { SUMS } from '../light/components';
import { TILE_SHIFT } from '../raster/tile';
import type { CompiledScene } from '../scene/compiled';
import { FEATURES, FILTERED, planeStride } from '../trace/denoise';
import { blockCount, PATH_SUMS } from '../trace/pathSums';
import { CLOCK_NUMBERS } from './clock';
import type { FrameSettings } from './frameSettings';
import type { ArenaPlan, ArenaViews } from './memory';

export const MAX_THREADS = 32;
/** Rows of a picture that a thread takes at a time. */
export const ROW_BLOCK = 16;

/** What decides the size of the arrays of a frame beside its settings. */
export interface FrameNeeds {
  threads: number;
  /** Tiles of the largest shadow map that may be drawn. */
  mapTiles: number;
  /** The frame is one of a run that accumulates. */
  accumulates: boolean;
}

/** Arrays of one frame size. */
export function framePlan(
  scene: CompiledScene,
  settings: FrameSettings,
  { threads, mapTiles, accumulates }: FrameNeeds,
) {
  const { width, height, path, render, wide } = settings;
  const vertices = scene.positions.length / 3;
  const triangles = scene.triangleMaterial.length;
  const materials = scene.meta.materials.length;
  const chunks = chunkCount(scene);
  const pictureTiles = tilesAcross(wide.width, TILE_SHIFT) * tilesAcross(wide.height, TILE_SHIFT);
  const pixels = width * height;
  const computed = render.width * render.height;
  const filtered = path?.denoise ? planeStride(computed) : 0;
  const kept = accumulates ? computed : 0;
  // arrays of their own only where the picture is computed at another size than it comes out
  const scaled = isScaled(settings) ? computed : 0;
  return {
    clip: { type: 'f32', length: vertices * 4, stage: 'geometry' },
    shadeScratch: {
      type: 'u8',
      length: path ? 0 : threads * shadeScratchBytes(settings.glassLayers),
      stage: 'samples',
    },
    pathScratch: { type: 'u8', length: path ? threads * pathScratchBytes(materials) : 0, stage: 'samples' },
    coverageScratch: { type: 'u8', length: threads * coverageScratchBytes(materials), stage: 'geometry' },
    boxes: { type: 'i16', length: triangles * 4, stage: 'geometry' },
    starts: { type: 'i32', length: chunks * (Math.max(pictureTiles, mapTiles) + 2), stage: 'geometry' },
    entries: { type: 'i32', length: chunks * CHUNK_ENTRIES, stage: 'geometry' },
    sums: { type: 'f32', length: pixels * SUMS, stage: 'samples' },
    depth: { type: 'f32', length: pixels, stage: 'samples' },
    normal: { type: 'f32', length: pixels * 3, stage: 'samples' },
    objectId: { type: 'u32', length: pixels, stage: 'samples' },
    overlaid: { type: 'u32', length: path ? 0 : computed, stage: 'samples' },
    computedSums: { type: 'f32', length: scaled * SUMS, stage: 'samples' },
    computedDepth: { type: 'f32', length: scaled, stage: 'samples' },
    computedNormal: { type: 'f32', length: scaled * 3, stage: 'samples' },
    computedId: { type: 'u32', length: scaled, stage: 'samples' },
    history: { type: 'f32', length: kept * SUMS, stage: 'samples' },
    historyNext: { type: 'f32', length: kept * SUMS, stage: 'samples' },
    historyDepth: { type: 'f32', length: kept, stage: 'samples' },
    historyId: { type: 'u32', length: kept, stage: 'samples' },
    paths: { type: 'f32', length: path ? computed * PATH_SUMS : 0, stage: 'samples' },
    settled: { type: 'u8', length: path ? blockCount(render.width, render.height) : 0, stage: 'samples' },
    filterA: { type: 'f32', length: filtered * FILTERED, stage: 'samples' },
    filterB: { type: 'f32', length: filtered * FILTERED, stage: 'samples' },
    filterFeatures: { type: 'f32', length: filtered * FEATURES, stage: 'samples' },
    beauty: { type: 'f32', length: pixels * 3, stage: 'lens' },
    glow: { type: 'f32', length: glowNumbers(width, height), stage: 'lens' },
    codes: { type: 'f32', length: CODE_CURVE.length, stage: 'lens' },
    display: { type: 'u8', length: pixels * 4, stage: 'output' },
    timers: { type: 'f64', length: MAX_THREADS * CLOCK_NUMBERS, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}

export type FrameViews = ArenaViews<ReturnType<typeof framePlan>>;

export function isScaled({ width, height, render }: FrameSettings): boolean {
  return render.width !== width || render.height !== height;
}

/** The same memory with the arrays that samples are added to, at the size at which the picture is computed. */
export function computedViews(frame: FrameViews, settings: FrameSettings): FrameViews {
  if (!isScaled(settings)) return frame;
  const { computedSums, computedDepth, computedNormal, computedId } = frame;
  return { ...frame, sums: computedSums, depth: computedDepth, normal: computedNormal, objectId: computedId };
}

export function chunkCount(scene: CompiledScene): number {
  return Math.ceil(scene.triangleMaterial.length / CHUNK_TRIANGLES);
}

export function tilesAcross(pixels: number, shift: number): number {
  return Math.ceil(pixels / (1 << shift));
}
