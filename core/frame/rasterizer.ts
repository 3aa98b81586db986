/** What one thread draws triangles with, for the picture and for shadow maps alike. */
import { binChunk, type BinTarget, type FaceRule } from '../raster/binTriangles';
import { CHUNK_VERTICES, chunksSeen, partsOfTiles, type ChunkBounds } from '../raster/chunkBounds';
import { CoverageKernel, coverageScratchBytes, fillBox } from '../raster/coverageKernel';
import type { Rect } from '../measure/rect';
import { bindScene, shadeScratchBytes, tileIn } from '../shading/shadeKernel';
import type { SurfaceInput } from '../raster/surface';
import { createTile, TILE_SHIFT, type Tile } from '../raster/tile';
import { transformVertices } from '../raster/transform';
import { drawTile, type VisibilityInput } from '../raster/visibility';
import type { StageId } from '../recipe/settings';
import { chunkCount, tilesAcross, type FrameViews } from './frameMemory';
import { sampleReach, surfacesOf, wantedTiles, type FrameWork } from './frameWork';
import type { Eye } from './look';
import { castKinds, faceRule, materialKinds } from './materialRules';

/** Where triangles are sorted into. */
export interface Sorting {
  target: BinTarget;
  /** Numbers of the tiles that are wanted. */
  wanted: readonly number[];
  matrix: Float64Array;
  faces: FaceRule;
  /** How far from the middles of pixels samples may lie. */
  reach: number;
  /** Its time is that stage's. */
  stage: StageId;
}

export interface Rasterizer {
  surface: SurfaceInput;
  /** Null where the compiled loops cannot work. */
  coverage: CoverageKernel | null;
  /** This thread's own memory for shading. */
  shadeScratch: Uint8Array;
  chunks: number;
  /** CAST_* per material. */
  casts: Uint8Array;
  /** The tile that was drawn last. */
  tile: Tile;
  /** Numbers of the picture's tiles that are wanted, and what they cover, pixels. */
  tiles: readonly number[];
  parts: readonly Rect[];
  binsFor(width: number, height: number, tileShift: number): BinTarget;
  /** Transforms the corners of what may be seen in some tiles, and sorts that into these, all threads together. @returns false when cancelled */
  sort(into: Sorting): boolean;
  /** Tiles of the whole picture with its margin. */
  wideTiles: number;
  /**
   * Sorts what an eye sees into the tiles that are wanted, or into all of the picture with its margin, where that does not
   * stand: those are drawn then. @returns false when cancelled
   */
  sortPicture(eye: Eye, wide?: boolean): boolean;
  /** Finds what is seen in a tile of the sorted picture, at one place of its pixels: all of it, or what is solid. */
  draw(tile: number, x: number, y: number, solidOnly?: boolean): void;
}

const VERTEX_BLOCK = 8192;

export function createRasterizer(work: FrameWork): Rasterizer {
  const { scene, settings, geometry, frame, memory, team, clock } = work;
  const { width, height } = settings.render;
  const { wide } = settings;
  const chunks = chunkCount(scene);
  const surface = surfacesOf(work);
  const shadeScratch = team.part(frame.shadeScratch, shadeScratchBytes(settings.glassLayers));
  if (memory) bindScene(memory, shadeScratch, surface);
  const coverageScratch = team.part(frame.coverageScratch, coverageScratchBytes(scene.meta.materials.length));
  const coverage = memory ? new CoverageKernel(memory, scene, coverageScratch, frame.clip, frame.boxes) : null;
  const tile = memory ? tileIn(shadeScratch, settings.glassLayers) : createTile(settings.glassLayers);
  const target = binTarget(frame, width, height, TILE_SHIFT);
  const wideTarget = wide.margin === 0 ? target : binTarget(frame, wide.width, wide.height, TILE_SHIFT);
  const visibility: VisibilityInput = {
    ...{ scene, clip: frame.clip, bins: target, chunks },
    kinds: materialKinds(scene),
    kernel: coverage,
  };
  const wideVisibility: VisibilityInput = { ...visibility, bins: wideTarget };
  const everywhere = wantedTiles(null, target.tilesX, target.tilesY, 1 << TILE_SHIFT);
  const wanted = work.parts ? wantedTiles(work.parts, target.tilesX, target.tilesY, 1 << TILE_SHIFT) : everywhere;
  const inWide = wantedTiles(null, wideTarget.tilesX, wideTarget.tilesY, 1 << TILE_SHIFT);
  const faces = faceRule(scene);

  /** The picture that was sorted last, while nothing else has been. */
  let standing: { eye: Eye; wide: boolean; all: boolean } | null = null;
  const sort = ({ target, wanted, matrix, faces, reach, stage }: Sorting): boolean => {
    standing = null;
    const parts = partsOfTiles(wanted, target.tilesX, target.tileShift);
    const seen = chunksSeen(matrix, parts, reach, geometry, chunks);
    const blocks = vertexBlocks(geometry, seen);
    const project = clock.timed(stage, (k) => {
      const from = blocks[k] * VERTEX_BLOCK;
      const end = Math.min(geometry.positions.length / 3, from + VERTEX_BLOCK);
      if (coverage) coverage.transform(matrix, geometry.positions, from, end);
      else transformVertices(matrix, geometry.positions, frame.clip, from, end);
    });
    const bin = clock.timed(stage, (c) => {
      if (!seen[c]) leaveOut(coverage, c, target);
      else if (coverage) coverage.binChunk(c, faces, reach, target);
      else binChunk(c, frame.clip, scene.triangles, scene.triangleMaterial, faces, reach, target);
    });
    return team.share(blocks.length, project) && team.share(chunks, bin);
  };

  return {
    ...{ surface, coverage, shadeScratch, chunks, tile, sort },
    casts: castKinds(scene, settings.glassShadows),
    tiles: wanted,
    parts: work.parts?.map(inWholeTiles) ?? [{ x: 0, y: 0, width, height }],
    binsFor: (across, down, tileShift) => binTarget(frame, across, down, tileShift),
    wideTiles: inWide.length,
    sortPicture(eye, asksWide = false) {
      // without a margin the one is the other
      const margin = asksWide && wide.margin > 0;
      // all threads have sorted the same: they come to the same end here
      if (standing?.eye === eye && standing.wide === margin && (standing.all || !asksWide)) return true;
      const into = margin
        ? { target: wideTarget, wanted: inWide, matrix: eye.wide.toPixels, faces }
        : { target, wanted: asksWide ? everywhere : wanted, matrix: eye.toPixels, faces };
      if (!sort({ ...into, reach: sampleReach(work), stage: 'geometry' })) return false;
      standing = { eye, wide: margin, all: asksWide || wanted === everywhere };
      return true;
    },
    draw: (t, x, y, solidOnly) => drawTile(standing?.wide ? wideVisibility : visibility, t, x, y, tile, solidOnly),
  };
}

function binTarget(frame: FrameViews, width: number, height: number, tileShift: number): BinTarget {
  return {
    width,
    height,
    tileShift,
    tilesX: tilesAcross(width, tileShift),
    tilesY: tilesAcross(height, tileShift),
    starts: frame.starts,
    entries: frame.entries,
    boxes: frame.boxes,
  };
}

/** A part of the picture with all of the tiles that it touches. */
function inWholeTiles({ x, y, width, height }: Rect): Rect {
  const down = (v: number): number => (v >> TILE_SHIFT) << TILE_SHIFT;
  const side = 1 << TILE_SHIFT;
  const [left, top] = [down(x), down(y)];
  return { x: left, y: top, width: down(x + width - 1) + side - left, height: down(y + height - 1) + side - top };
}

/** Numbers of the blocks of vertices that the chunks which are seen may need. */
function vertexBlocks({ chunkVertices }: ChunkBounds, seen: readonly boolean[]): number[] {
  const needed = new Set<number>();
  seen.forEach((needs, c) => {
    if (!needs) return;
    const last = Math.ceil(chunkVertices[c * CHUNK_VERTICES + 1] / VERTEX_BLOCK);
    for (let b = Math.floor(chunkVertices[c * CHUNK_VERTICES] / VERTEX_BLOCK); b < last; b++) needed.add(b);
  });
  return [...needed];
}

/** Empties the lists of a chunk of which nothing is seen. */
function leaveOut(coverage: CoverageKernel | null, chunk: number, { starts, tilesX, tilesY }: BinTarget): void {
  const each = tilesX * tilesY + 2;
  fillBox(coverage, starts, each, { x0: 0, y0: chunk, x1: each, y1: chunk + 1 }, 0);
}
