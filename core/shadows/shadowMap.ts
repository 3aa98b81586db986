/**
 * Shadow maps: what they hold and how they are drawn.
 * Williams 1978, Casting Curved Shadows on Curved Surfaces.
 */
import type { ShadowView } from '../light/shadowView';
import { DEPTH_SHIFT, DEPTH_SIDE, fillBox, type CoverageKernel } from '../raster/coverageKernel';
import { CHUNK_ENTRIES, type BinTarget } from '../raster/binTriangles';
import { cutoutLod, dimmingOf, evenTint, hasEvenTint, passesCutout, tintAt } from '../raster/cutout';
import { covers, EDGES, startTriangle } from '../raster/edges';
import type { PixelBox } from '../raster/tile';
import type { CompiledScene } from '../scene/compiled';

/** Tiles are as large as the square that a thread draws depths in. */
export const SHADOW_TILE_SHIFT = DEPTH_SHIFT;
/** Blocks of 16 × 16 texels know their nearest and farthest depth: most points lie clear of both. */
export const SHADOW_BLOCK_SHIFT = 4;

/** Tiles across a map: see `SHADOW_TILE_SHIFT`. */
export function mapTilesAcross(resolution: number): number {
  return Math.ceil(resolution / DEPTH_SIDE);
}

export function blocksAcross(resolution: number): number {
  return Math.ceil(resolution / (1 << SHADOW_BLOCK_SHIFT));
}

const { fround } = Math;
const edges = new Float32Array(EDGES);
/** The depths of the tile that plain loops draw. */
const ownDepths = new Float32Array(DEPTH_SIDE * DEPTH_SIDE);
const tint = new Float64Array(3);
const dims = new Int16Array(3);
/** How a triangle casts: not at all, as a solid, by its cut-out, as coloured glass. */
export const CAST_NONE = 0;
export const CAST_SOLID = 1;
export const CAST_CUTOUT = 2;
export const CAST_GLASS = 3;

/** The memory of all maps of a frame. */
export interface ShadowMemory {
  /** Reversed depth per texel. */
  shadowTexels: Float32Array;
  /** See `ShadowView.blockOffset`. */
  shadowBlocks: Float32Array;
  /** Depth of the glass nearest to the light per texel, 0 where there is none; empty when glass casts nothing. */
  glassDepth: Float32Array;
  /** Share of light that all glass before the solid surface lets through: 8 bits each of r, g, b. */
  glassTint: Uint32Array;
  /** Four moments per texel; empty unless a light is filtered by moments. */
  moments: Float32Array;
}

/**
 * Draws the depth of all binned triangles into one tile of a map.
 * @param casts CAST_* per material
 * @param kernel the compiled loops, or null for the plain ones
 */
export function drawShadowTile(
  scene: CompiledScene,
  clip: Float32Array,
  bins: BinTarget,
  chunks: number,
  tileIndex: number,
  view: ShadowView,
  casts: Uint8Array,
  memory: ShadowMemory,
  kernel: CoverageKernel | null,
): void {
  const { tilesX } = bins;
  const tx = tileIndex % tilesX;
  const ty = (tileIndex - tx) / tilesX;
  const n = view.resolution;
  const tile = {
    x0: tx * DEPTH_SIDE,
    y0: ty * DEPTH_SIDE,
    x1: Math.min(n, (tx + 1) * DEPTH_SIDE),
    y1: Math.min(n, (ty + 1) * DEPTH_SIDE),
  };
  const map = memory.shadowTexels.subarray(view.offset, view.offset + n * n);
  // drawn in a square by itself, which stays in the processor's nearest memory, and taken into the map at last
  const depths = kernel ? kernel.depths : ownDepths;
  fillBox(kernel, depths, DEPTH_SIDE, { x0: 0, y0: 0, x1: DEPTH_SIDE, y1: DEPTH_SIDE }, 0);
  if (kernel) {
    kernel.use(casts);
    eachList(bins, chunks, tileIndex, (list) => {
      const left = kernel.drawDepths(list, CAST_SOLID, tile);
      for (let k = 0; k < left; k++) {
        const t = kernel.left[k];
        if (casts[scene.triangleMaterial[t]] === CAST_CUTOUT) drawCutout(scene, clip, bins.boxes, t, tile, depths);
      }
    });
    const blocks = memory.shadowBlocks.subarray(view.blockOffset * 2);
    kernel.finishDepths(map, n, view.depthCodes, blocks, blocksAcross(n), tile);
  } else {
    eachTriangle(bins, chunks, tileIndex, (t) => {
      const cast = casts[scene.triangleMaterial[t]];
      if (cast === CAST_SOLID) drawDepth(scene, clip, bins.boxes, t, tile, depths);
      else if (cast === CAST_CUTOUT) drawCutout(scene, clip, bins.boxes, t, tile, depths);
    });
    takeDepths(depths, map, n, view.depthCodes, tile);
    summariseBlocks(map, view, memory.shadowBlocks, tile.x0, tile.y0, tile.x1, tile.y1);
  }
  if (memory.glassDepth.length > 0) {
    const depth = memory.glassDepth.subarray(view.offset, view.offset + n * n);
    const colour = memory.glassTint.subarray(view.offset, view.offset + n * n);
    fillBox(kernel, depth, n, tile, 0);
    fillBox(kernel, colour, n, tile, 0xffffff);
    // tints are rounded to 8 bits, so the order is fixed: evenly tinted sheets first
    const uneven: number[] = [];
    if (kernel)
      eachList(bins, chunks, tileIndex, (list) => {
        const left = kernel.drawSheets(list, CAST_GLASS, tile, map, depth, colour, n);
        for (let k = 0; k < left; k++) uneven.push(kernel.left[k]);
      });
    else
      eachTriangle(bins, chunks, tileIndex, (t) => {
        if (casts[scene.triangleMaterial[t]] !== CAST_GLASS) return;
        if (hasEvenTint(scene, t)) drawGlass(scene, clip, bins.boxes, t, true, tile, map, depth, colour, n);
        else uneven.push(t);
      });
    for (const t of uneven) drawGlass(scene, clip, bins.boxes, t, false, tile, map, depth, colour, n);
  }
}

/** Calls with every stretch of the list of triangles that may touch a tile. */
function eachList(bins: BinTarget, chunks: number, tileIndex: number, run: (list: Int32Array) => void): void {
  const { starts, entries } = bins;
  const tiles = bins.tilesX * bins.tilesY;
  for (let chunk = 0; chunk < chunks; chunk++) {
    const at = chunk * (tiles + 2);
    const base = chunk * CHUNK_ENTRIES;
    for (let part = 0; part < 2; part++) {
      const from = part === 0 ? starts[at + tileIndex] : starts[at + tiles];
      const to = part === 0 ? starts[at + tileIndex + 1] : starts[at + tiles + 1];
      if (to > from) run(entries.subarray(base + from, base + to));
    }
  }
}

function eachTriangle(bins: BinTarget, chunks: number, tileIndex: number, run: (t: number) => void): void {
  eachList(bins, chunks, tileIndex, (list) => list.forEach(run));
}

/** Takes a tile's depths into the map, in the depth format that is simulated. @param codes its largest code, 0 for none */
function takeDepths(depths: Float32Array, map: Float32Array, n: number, codes: number, tile: PixelBox): void {
  const step = 1 / codes;
  for (let y = tile.y0; y < tile.y1; y++) {
    const from = (y - tile.y0) * DEPTH_SIDE;
    const to = y * n + tile.x0;
    const count = tile.x1 - tile.x0;
    if (codes === 0) map.set(depths.subarray(from, from + count), to);
    else for (let i = 0; i < count; i++) map[to + i] = Math.round(depths[from + i] * codes) * step;
  }
}

function summariseBlocks(
  map: Float32Array,
  view: ShadowView,
  blocks: Float32Array,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
): void {
  const n = view.resolution;
  const across = blocksAcross(n);
  const side = 1 << SHADOW_BLOCK_SHIFT;
  for (let by = y0; by < y1; by += side) {
    for (let bx = x0; bx < x1; bx += side) {
      let low = Infinity;
      let high = 0;
      const endY = by + side < y1 ? by + side : y1;
      const endX = bx + side < x1 ? bx + side : x1;
      for (let y = by; y < endY; y++) {
        for (let i = y * n + bx, end = y * n + endX; i < end; i++) {
          const z = map[i];
          if (z < low) low = z;
          if (z > high) high = z;
        }
      }
      const at = (view.blockOffset + (by >> SHADOW_BLOCK_SHIFT) * across + (bx >> SHADOW_BLOCK_SHIFT)) * 2;
      blocks[at] = low;
      blocks[at + 1] = high;
    }
  }
}

function drawDepth(
  scene: CompiledScene,
  clip: Float32Array,
  boxes: Int16Array,
  t: number,
  tile: PixelBox,
  depths: Float32Array,
): void {
  if (!startTriangle(clip, scene.triangles, boxes, t, tile, edges, span)) return;
  const a0 = edges[0];
  const b0 = edges[1];
  const c0 = edges[2];
  const a1 = edges[3];
  const b1 = edges[4];
  const c1 = edges[5];
  const a2 = edges[6];
  const b2 = edges[7];
  const c2 = edges[8];
  const az = edges[9];
  const bz = edges[10];
  const cz = edges[11];
  const { x0, y0, x1, y1 } = span;
  const wide = x1 - x0 > 8;
  for (let y = y0; y < y1; y++) {
    const py = y + 0.5;
    const r0 = fround(fround(b0 * py) + c0);
    const r1 = fround(fround(b1 * py) + c1);
    const r2 = fround(fround(b2 * py) + c2);
    const rz = fround(fround(bz * py) + cz);
    let xa = x0;
    let xb = x1;
    if (wide) {
      if (a0 > 0) xa = Math.max(xa, Math.floor(-r0 / a0 - 0.5) - 1);
      else if (a0 < 0) xb = Math.min(xb, Math.ceil(-r0 / a0 - 0.5) + 1);
      if (a1 > 0) xa = Math.max(xa, Math.floor(-r1 / a1 - 0.5) - 1);
      else if (a1 < 0) xb = Math.min(xb, Math.ceil(-r1 / a1 - 0.5) + 1);
      if (a2 > 0) xa = Math.max(xa, Math.floor(-r2 / a2 - 0.5) - 1);
      else if (a2 < 0) xb = Math.min(xb, Math.ceil(-r2 / a2 - 0.5) + 1);
    }
    for (let x = xa, i = y * DEPTH_SIDE + xa; x < xb; x++, i++) {
      const px = x + 0.5;
      // an edge may be drawn by both its triangles: for depth alone that changes nothing
      if (fround(fround(a0 * px) + r0) >= 0 && fround(fround(a1 * px) + r1) >= 0 && fround(fround(a2 * px) + r2) >= 0) {
        const z = fround(fround(az * px) + rz);
        if (z > depths[i] && z <= 1) depths[i] = z;
      }
    }
  }
}

/** Masked leaves and meshes: only what their picture leaves stands in the way. */
function drawCutout(
  scene: CompiledScene,
  clip: Float32Array,
  boxes: Int16Array,
  t: number,
  tile: PixelBox,
  depths: Float32Array,
): void {
  if (!startTriangle(clip, scene.triangles, boxes, t, tile, edges, span)) return;
  const lod = cutoutLod(scene, edges, t, (span.x0 + span.x1) / 2, (span.y0 + span.y1) / 2);
  for (let y = span.y0; y < span.y1; y++) {
    for (let x = span.x0, i = y * DEPTH_SIDE + span.x0; x < span.x1; x++, i++) {
      if (!covers(edges, x + 0.5, y + 0.5, at) || at.z <= depths[i]) continue;
      if (passesCutout(scene, t, at.e0, at.e1, at.e2, lod)) depths[i] = at.z;
    }
  }
}

/** A sheet of glass before the nearest solid surface colours the light. @param even it has one tint all over */
function drawGlass(
  scene: CompiledScene,
  clip: Float32Array,
  boxes: Int16Array,
  t: number,
  even: boolean,
  tile: PixelBox,
  map: Float32Array,
  depth: Float32Array,
  colour: Uint32Array,
  stride: number,
): void {
  if (!startTriangle(clip, scene.triangles, boxes, t, tile, edges, span)) return;
  if (even) {
    evenTint(scene, scene.triangleMaterial[t], tint);
    dims.set(tint.map(dimmingOf));
  }
  const lod = even ? 0 : cutoutLod(scene, edges, t, (span.x0 + span.x1) / 2, (span.y0 + span.y1) / 2);
  for (let y = span.y0; y < span.y1; y++) {
    for (let x = span.x0, i = (tile.y0 + y) * stride + tile.x0 + span.x0; x < span.x1; x++, i++) {
      if (!covers(edges, x + 0.5, y + 0.5, at) || at.z <= map[i]) continue;
      if (at.z > depth[i]) depth[i] = at.z;
      if (!even) {
        tintAt(scene, t, at.e0, at.e1, at.e2, lod, tint);
        for (let c = 0; c < 3; c++) dims[c] = dimmingOf(tint[c]);
      }
      const was = colour[i];
      const r = dimmed(was & 255, dims[0]);
      const g = dimmed((was >> 8) & 255, dims[1]);
      const b = dimmed((was >> 16) & 255, dims[2]);
      colour[i] = r | (g << 8) | (b << 16);
    }
  }
}

/** A code of eight bits dimmed, rounded. @param share see `dimmingOf` */
function dimmed(code: number, share: number): number {
  return (code * share + 16384) >> 15;
}

/** What of a triangle's box lies in the tile. */
const span: PixelBox = { x0: 0, y0: 0, x1: 0, y1: 0 };
const at = { z: 0, e0: 0, e1: 0, e2: 0 };
