/** What a frame needs in memory, planned before it starts: the sums are exact, so that they can be shown and budgeted. */
import { CHUNK_ENTRIES, CHUNK_TRIANGLES } from '../raster/binTriangles';
import { SUMS } from '../raster/shadeTile';
import { TILE_SHIFT } from '../raster/tile';
import { SHADOW_TILE_SHIFT } from '../shadows/shadowMap';
import type { CompiledScene } from '../scene/compiled';
import type { ArenaPlan, ArenaViews } from './memory';

export const MAX_THREADS = 32;
/** Seconds of busy time are booked per thread to these stages. */
export const TIMED_STAGES = ['geometry', 'shadows', 'samples', 'lens'] as const;

/** Arrays that stay valid while neither the pose nor the shadows change. */
export function posePlan(scene: CompiledScene, shadowTexels: number, shadowBlocks: number) {
  const vertices = scene.positions.length / 3;
  return {
    positions: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    normals: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    tangents: { type: 'f32', length: vertices * 4, stage: 'geometry' },
    shadowTexels: { type: 'f32', length: shadowTexels, stage: 'shadows' },
    shadowBlocks: { type: 'f32', length: shadowBlocks * 2, stage: 'shadows' },
  } as const satisfies ArenaPlan;
}

/** Arrays of one frame size. */
export function framePlan(scene: CompiledScene, width: number, height: number, largestShadowMap: number) {
  const vertices = scene.positions.length / 3;
  const triangles = scene.triangleMaterial.length;
  const chunks = chunkCount(scene);
  const pictureTiles = tilesAcross(width, TILE_SHIFT) * tilesAcross(height, TILE_SHIFT);
  const shadowTiles = tilesAcross(largestShadowMap, SHADOW_TILE_SHIFT) ** 2;
  const pixels = width * height;
  return {
    clip: { type: 'f32', length: vertices * 4, stage: 'geometry' },
    boxes: { type: 'i16', length: triangles * 4, stage: 'geometry' },
    starts: { type: 'i32', length: chunks * (Math.max(pictureTiles, shadowTiles) + 2), stage: 'geometry' },
    entries: { type: 'i32', length: chunks * CHUNK_ENTRIES, stage: 'geometry' },
    sums: { type: 'f32', length: pixels * SUMS, stage: 'samples' },
    depth: { type: 'f32', length: pixels, stage: 'samples' },
    normal: { type: 'f32', length: pixels * 3, stage: 'samples' },
    objectId: { type: 'u32', length: pixels, stage: 'samples' },
    beauty: { type: 'f32', length: pixels * 3, stage: 'lens' },
    glow: { type: 'f32', length: Math.max(1, width >> 1) * Math.max(1, height >> 1) * 3, stage: 'lens' },
    display: { type: 'u8', length: pixels * 4, stage: 'output' },
    timers: { type: 'f64', length: MAX_THREADS * TIMED_STAGES.length, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}

export type PoseViews = ArenaViews<ReturnType<typeof posePlan>>;
export type FrameViews = ArenaViews<ReturnType<typeof framePlan>>;

export function chunkCount(scene: CompiledScene): number {
  return Math.ceil(scene.triangleMaterial.length / CHUNK_TRIANGLES);
}

export function tilesAcross(pixels: number, shift: number): number {
  return Math.ceil(pixels / (1 << shift));
}
