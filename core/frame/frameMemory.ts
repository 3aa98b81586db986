/** What a frame needs in memory, planned before it starts: the sums are exact, so that they can be shown and budgeted. */
import { glowNumbers } from '../film/bloom';
import { CODE_CURVE } from '../film/tone';
import { ENVIRONMENT_MAP, ENVIRONMENT_SH } from '../light/environmentTables';
import { NODE_WORDS, nodeLimit, PACKET_WORDS, packetLimit } from '../trace/bvhLayout';
import { pathScratchBytes } from '../trace/pathKernel';
import { BVH_STATE, PARTS_WORDS, RECORD_WORDS } from '../trace/bvhBuilder';
import { scratchBytes } from '../trace/rayKernel';
import { CHUNK_ENTRIES, CHUNK_TRIANGLES } from '../raster/binTriangles';
import { CHUNK_BOX, CHUNK_VERTICES } from '../raster/chunkBounds';
import { coverageScratchBytes } from '../raster/coverageKernel';
import { shadeScratchBytes } from '../raster/shadeKernel';
import { SUMS } from '../light/components';
import { TILE_SHIFT } from '../raster/tile';
import type { MapSizes } from '../shadows/planShadows';
import { mapTilesAcross } from '../shadows/shadowMap';
import type { CompiledScene } from '../scene/compiled';
import { FEATURES, FILTERED, planeStride } from '../trace/denoise';
import { blockCount, PATH_SUMS } from '../trace/pathSums';
import type { FrameSettings } from './frameSettings';
import type { ArenaPlan, ArenaViews } from './memory';

export const MAX_THREADS = 32;
/** Seconds of busy time are booked per thread to these stages. */
export const TIMED_STAGES = ['geometry', 'shadows', 'bounce', 'samples', 'lens'] as const;

/**
 * Arrays that stay valid while neither the pose nor the environment changes.
 * @param rays rays will be traced @param detail the frame draws other triangles than all of the scene
 */
export function posePlan(scene: CompiledScene, rays: boolean, detail: boolean) {
  const vertices = scene.positions.length / 3;
  const triangles = rays ? scene.triangleMaterial.length : 0;
  const drawn = detail ? scene.triangleMaterial.length : 0;
  const packets = rays ? packetLimit(triangles) : 0;
  const scratch = rays ? MAX_THREADS * scratchBytes(scene.meta.materials.length) : 0;
  return {
    positions: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    normals: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    tangents: { type: 'f32', length: vertices * 4, stage: 'geometry' },
    chunkBoxes: { type: 'f32', length: chunkCount(scene) * CHUNK_BOX, stage: 'geometry' },
    chunkVertices: { type: 'u32', length: chunkCount(scene) * CHUNK_VERTICES, stage: 'geometry' },
    environmentSh: { type: 'f32', length: ENVIRONMENT_SH, stage: 'bounce' },
    environmentMap: { type: 'f32', length: ENVIRONMENT_MAP, stage: 'reflections' },
    bvhNodes: { type: 'f32', length: rays ? nodeLimit(triangles) * NODE_WORDS : 0, stage: 'shadows' },
    bvhPackets: { type: 'f32', length: packets * PACKET_WORDS, stage: 'shadows' },
    bvhOrder: { type: 'u32', length: packets * 4, stage: 'shadows' },
    bvhMaterials: { type: 'u32', length: packets * 4, stage: 'shadows' },
    bvhWork: { type: 'u32', length: triangles * RECORD_WORDS, stage: 'shadows' },
    bvhParts: { type: 'u32', length: rays ? PARTS_WORDS : 0, stage: 'shadows' },
    bvhState: { type: 'f64', length: rays ? BVH_STATE : 0, stage: 'shadows' },
    bvhScratch: { type: 'u8', length: scratch, stage: 'shadows' },
    drawnTriangles: { type: 'u32', length: drawn * 3, stage: 'geometry' },
    drawnMaterial: { type: 'u16', length: drawn, stage: 'geometry' },
    drawnInstance: { type: 'u32', length: drawn, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}

/** What decides the size of the memory of all shadow maps. */
export interface ShadowNeeds {
  sizes: MapSizes;
  /** Glass casts coloured shadows. */
  glass: boolean;
  /** A light is filtered by moments. */
  moments: boolean;
  /** Texels along one side of the largest map. */
  largest: number;
}

/** The shadow maps: see `ShadowMemory`. */
export function shadowPlan(needs: ShadowNeeds) {
  return {
    shadowTexels: { type: 'f32', length: needs.sizes.texels, stage: 'shadows' },
    shadowBlocks: { type: 'f32', length: needs.sizes.blocks * 2, stage: 'shadows' },
    // 1 for each tile that is drawn: the others hold anything
    shadowTiles: { type: 'u8', length: needs.sizes.tiles, stage: 'shadows' },
    glassDepth: { type: 'f32', length: needs.glass ? needs.sizes.texels : 0, stage: 'shadows' },
    glassTint: { type: 'u32', length: needs.glass ? needs.sizes.texels : 0, stage: 'shadows' },
    moments: { type: 'f32', length: needs.moments ? needs.sizes.texels * 4 : 0, stage: 'shadows' },
  } as const satisfies ArenaPlan;
}

/** Arrays of one frame size. */
export function framePlan(
  scene: CompiledScene,
  settings: FrameSettings,
  largestShadowMap: number,
  threads: number,
  /** The frame is one of a run that accumulates. */
  accumulates = false,
) {
  const { width, height, path, render } = settings;
  const vertices = scene.positions.length / 3;
  const triangles = scene.triangleMaterial.length;
  const materials = scene.meta.materials.length;
  const chunks = chunkCount(scene);
  const pictureTiles = tilesAcross(render.width, TILE_SHIFT) * tilesAcross(render.height, TILE_SHIFT);
  const shadowTiles = mapTilesAcross(largestShadowMap) ** 2;
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
    starts: { type: 'i32', length: chunks * (Math.max(pictureTiles, shadowTiles) + 2), stage: 'geometry' },
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
    contactDepth: { type: 'f32', length: settings.contact.length > 0 ? computed : 0, stage: 'shadows' },
    paths: { type: 'f32', length: path ? computed * PATH_SUMS : 0, stage: 'samples' },
    settled: { type: 'u8', length: path ? blockCount(render.width, render.height) : 0, stage: 'samples' },
    filterA: { type: 'f32', length: filtered * FILTERED, stage: 'samples' },
    filterB: { type: 'f32', length: filtered * FILTERED, stage: 'samples' },
    filterFeatures: { type: 'f32', length: filtered * FEATURES, stage: 'samples' },
    beauty: { type: 'f32', length: pixels * 3, stage: 'lens' },
    glow: { type: 'f32', length: glowNumbers(width, height), stage: 'lens' },
    codes: { type: 'f32', length: CODE_CURVE.length, stage: 'lens' },
    display: { type: 'u8', length: pixels * 4, stage: 'output' },
    timers: { type: 'f64', length: MAX_THREADS * TIMED_STAGES.length, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}

export type PoseViews = ArenaViews<ReturnType<typeof posePlan>>;
export type ShadowViews = ArenaViews<ReturnType<typeof shadowPlan>>;
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
