/**
 * Shadow maps: where they look, how they are drawn, how they are read.
 * Williams 1978, Casting Curved Shadows on Curved Surfaces; Reeves et al. 1987 for percentage-closer filtering.
 */
import { CHUNK_ENTRIES, type BinTarget } from '../raster/binTriangles';
import { EDGES, triangleEdges } from '../raster/edges';
import type { CompiledScene } from '../scene/compiled';

export const SHADOW_TILE_SHIFT = 7;
/** Blocks of 16 × 16 texels know their nearest and farthest depth: most points lie clear of both. */
export const SHADOW_BLOCK_SHIFT = 4;

/** One square depth picture seen from a light. Depth is reversed: 1 nearest to the light, 0 at the far end. */
export interface ShadowView {
  /** Row-wise world → (X, Y, Z, W) in texels. */
  matrix: Float64Array;
  resolution: number;
  /** Metres a texel covers: everywhere (sun), or at one metre from the light (point, spot). */
  texelSize: number;
  perspective: boolean;
  /** Depth units a metre (sun), or the near distance (point, spot). */
  depthScale: number;
  /** Largest depth code of the simulated format, 0 for 32-bit floats. */
  depthCodes: number;
  /** Where this map starts in the array of all shadow texels. */
  offset: number;
  /** Where its blocks start in the array of all blocks, two numbers each: farthest (least) and nearest depth. */
  blockOffset: number;
}

export function blocksAcross(resolution: number): number {
  return Math.ceil(resolution / (1 << SHADOW_BLOCK_SHIFT));
}

const edges = new Float64Array(EDGES);
/** Columns of the texels that one look-up reads. */
const columns = new Int32Array(16);

/** Draws the depth of all binned triangles into one tile of a map. */
export function drawShadowTile(
  scene: CompiledScene,
  clip: Float32Array,
  bins: BinTarget,
  chunks: number,
  tileIndex: number,
  view: ShadowView,
  texels: Float32Array,
  blocks: Float32Array,
): void {
  const { tilesX, tilesY, starts, entries, boxes } = bins;
  const tx = tileIndex % tilesX;
  const ty = (tileIndex - tx) / tilesX;
  const side = 1 << SHADOW_TILE_SHIFT;
  const tileX0 = tx * side;
  const tileY0 = ty * side;
  const tileX1 = Math.min(view.resolution, tileX0 + side);
  const tileY1 = Math.min(view.resolution, tileY0 + side);
  const map = texels.subarray(view.offset, view.offset + view.resolution * view.resolution);
  for (let y = tileY0; y < tileY1; y++) map.fill(0, y * view.resolution + tileX0, y * view.resolution + tileX1);
  const tiles = tilesX * tilesY;
  for (let chunk = 0; chunk < chunks; chunk++) {
    const at = chunk * (tiles + 2);
    const base = chunk * CHUNK_ENTRIES;
    for (let part = 0; part < 2; part++) {
      const from = part === 0 ? starts[at + tileIndex] : starts[at + tiles];
      const to = part === 0 ? starts[at + tileIndex + 1] : starts[at + tiles + 1];
      for (let e = from; e < to; e++) {
        const t = entries[base + e];
        const bx0 = boxes[t * 4];
        const by0 = boxes[t * 4 + 1];
        const bx1 = boxes[t * 4 + 2] + 1;
        const by1 = boxes[t * 4 + 3] + 1;
        drawDepth(
          scene,
          clip,
          t,
          bx0 > tileX0 ? bx0 : tileX0,
          by0 > tileY0 ? by0 : tileY0,
          bx1 < tileX1 ? bx1 : tileX1,
          by1 < tileY1 ? by1 : tileY1,
          map,
          view.resolution,
        );
      }
    }
  }
  if (view.depthCodes > 0) {
    for (let y = tileY0; y < tileY1; y++)
      for (let i = y * view.resolution + tileX0, end = y * view.resolution + tileX1; i < end; i++)
        map[i] = Math.round(map[i] * view.depthCodes) / view.depthCodes;
  }
  summariseBlocks(map, view, blocks, tileX0, tileY0, tileX1, tileY1);
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
  t: number,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  map: Float32Array,
  stride: number,
): void {
  if (x0 >= x1 || y0 >= y1 || triangleEdges(clip, scene.triangles, t, edges) === 0) return;
  const a0 = edges[0];
  const a1 = edges[3];
  const a2 = edges[6];
  const az = edges[9];
  const wide = x1 - x0 > 8;
  for (let y = y0; y < y1; y++) {
    const py = y + 0.5;
    const r0 = edges[1] * py + edges[2];
    const r1 = edges[4] * py + edges[5];
    const r2 = edges[7] * py + edges[8];
    const rz = edges[10] * py + edges[11];
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
    for (let x = xa, i = y * stride + xa; x < xb; x++, i++) {
      const px = x + 0.5;
      // an edge may be drawn by both its triangles: for depth alone that changes nothing
      if (a0 * px + r0 >= 0 && a1 * px + r1 >= 0 && a2 * px + r2 >= 0) {
        const z = az * px + rz;
        if (z > map[i] && z <= 1) map[i] = z;
      }
    }
  }
}

/**
 * Share of light that reaches a point, 0…1, by a box filter of `taps` × `taps` comparisons that slides smoothly.
 * @param u position in the map, texels; likewise `v`
 * @param depth reversed depth of the point, already biased
 * @param taps comparisons a side; 1 is a single hard comparison
 * @param spacing texels between comparisons
 * @param clamp read the border beyond the edges (cube faces) instead of taking it as lit
 */
export function filterShadow(
  texels: Float32Array,
  blocks: Float32Array,
  view: ShadowView,
  u: number,
  v: number,
  depth: number,
  taps: number,
  spacing: number,
  clamp: boolean,
): number {
  const n = view.resolution;
  const base = view.offset;
  if (taps === 1) {
    let x = Math.floor(u);
    let y = Math.floor(v);
    if (x < 0 || y < 0 || x >= n || y >= n) {
      if (!clamp) return 1;
      x = x < 0 ? 0 : x >= n ? n - 1 : x;
      y = y < 0 ? 0 : y >= n ? n - 1 : y;
    }
    return depth >= texels[base + y * n + x] ? 1 : 0;
  }
  const startX = u / spacing - taps / 2;
  const startY = v / spacing - taps / 2;
  const kx = Math.floor(startX);
  const ky = Math.floor(startY);
  const x0 = Math.floor((kx + 0.5) * spacing);
  const y0 = Math.floor((ky + 0.5) * spacing);
  const x1 = Math.floor((kx + taps + 0.5) * spacing);
  const y1 = Math.floor((ky + taps + 0.5) * spacing);
  const fx = startX - kx;
  const fy = startY - ky;
  let sum = 0;
  if (x0 >= 0 && y0 >= 0 && x1 < n && y1 < n) {
    const clear = clearOfBlocks(blocks, view, x0, y0, x1, y1, depth);
    if (clear >= 0) return clear;
    for (let i = 0; i <= taps; i++) columns[i] = Math.floor((kx + i + 0.5) * spacing);
    for (let j = 0; j <= taps; j++) {
      const row = base + Math.floor((ky + j + 0.5) * spacing) * n;
      let rowSum = depth >= texels[row + columns[0]] ? 1 - fx : 0;
      for (let i = 1; i < taps; i++) if (depth >= texels[row + columns[i]]) rowSum += 1;
      if (depth >= texels[row + columns[taps]]) rowSum += fx;
      sum += rowSum * (j === 0 ? 1 - fy : j === taps ? fy : 1);
    }
    return sum / (taps * taps);
  }
  for (let j = 0; j <= taps; j++) {
    let y = Math.floor((ky + j + 0.5) * spacing);
    let outside = y < 0 || y >= n;
    if (outside && clamp) {
      y = y < 0 ? 0 : n - 1;
      outside = false;
    }
    const wy = j === 0 ? 1 - fy : j === taps ? fy : 1;
    const row = base + y * n;
    let rowSum = 0;
    for (let i = 0; i <= taps; i++) {
      let x = Math.floor((kx + i + 0.5) * spacing);
      const w = i === 0 ? 1 - fx : i === taps ? fx : 1;
      if (outside || x < 0 || x >= n) {
        if (outside || !clamp) {
          rowSum += w;
          continue;
        }
        x = x < 0 ? 0 : n - 1;
      }
      if (depth >= texels[row + x]) rowSum += w;
    }
    sum += rowSum * wy;
  }
  return sum / (taps * taps);
}

/** 1 or 0 when a depth lies before or behind everything in a rectangle of texels, −1 when it must be looked at closely. */
function clearOfBlocks(
  blocks: Float32Array,
  view: ShadowView,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  depth: number,
): number {
  const across = blocksAcross(view.resolution);
  let low = Infinity;
  let high = 0;
  for (let by = y0 >> SHADOW_BLOCK_SHIFT; by <= y1 >> SHADOW_BLOCK_SHIFT; by++) {
    for (let bx = x0 >> SHADOW_BLOCK_SHIFT; bx <= x1 >> SHADOW_BLOCK_SHIFT; bx++) {
      const at = (view.blockOffset + by * across + bx) * 2;
      if (blocks[at] < low) low = blocks[at];
      if (blocks[at + 1] > high) high = blocks[at + 1];
    }
  }
  return depth >= high ? 1 : depth < low ? 0 : -1;
}
