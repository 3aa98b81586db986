/**
 * What each pixel of a tile sees: the nearest opaque triangle, and the see-through ones before it.
 *
 * A visibility buffer holds triangle numbers only; attributes are worked out once a visible pixel when it is shaded.
 */
import type { CompiledScene } from '../scene/compiled';
import { CHUNK_ENTRIES, type BinTarget } from './binTriangles';
import { fillBox, type CoverageKernel } from './coverageKernel';
import { cutoutLod, passesCutout } from './cutout';
import { covers, EDGES, ownsEdge, startTriangle } from './edges';
import { NO_TRIANGLE, tileBox, TILE_PIXELS, TILE_SHIFT, type PixelBox, type Tile } from './tile';

export const KIND_OPAQUE = 0;
export const KIND_MASK = 1;
export const KIND_GLASS = 2;

export interface VisibilityInput {
  scene: CompiledScene;
  clip: Float32Array;
  bins: BinTarget;
  chunks: number;
  /** KIND_* per material. */
  kinds: Uint8Array;
  /** The compiled loops, or null for the plain ones. */
  kernel: CoverageKernel | null;
}

const { fround } = Math;
const edges = new Float32Array(EDGES);

/** A tile's arrays from end to end. */
const WHOLE_TILE = { x0: 0, y0: 0, x1: TILE_PIXELS, y1: 1 };

/**
 * Fills a tile's buffers.
 * @param solidOnly see-through surfaces are left out
 * @param offsetX position of the sample inside the pixel, 0.5 is the centre; likewise `offsetY`
 */
export function drawTile(
  input: VisibilityInput,
  tileIndex: number,
  offsetX: number,
  offsetY: number,
  tile: Tile,
  solidOnly = false,
): void {
  const { bins, chunks, scene, kinds, kernel } = input;
  const { tilesX, tilesY, starts, entries } = bins;
  Object.assign(tile, tileBox(tileIndex, tilesX, bins.width, bins.height));
  fillBox(kernel, tile.depth, TILE_PIXELS, WHOLE_TILE, 0);
  fillBox(kernel, tile.triangle, TILE_PIXELS, WHOLE_TILE, NO_TRIANGLE);
  const tiles = tilesX * tilesY;
  kernel?.use(kinds);
  waiting = 0;
  for (let chunk = 0; chunk < chunks; chunk++) {
    const at = chunk * (tiles + 2);
    const base = chunk * CHUNK_ENTRIES;
    for (let part = 0; part < 2; part++) {
      const from = part === 0 ? starts[at + tileIndex] : starts[at + tiles];
      const to = part === 0 ? starts[at + tileIndex + 1] : starts[at + tiles + 1];
      if (to === from) continue;
      const list = entries.subarray(base + from, base + to);
      if (kernel) later(tile, kernel.left, kernel.drawTriangles(list, tile, offsetX, offsetY));
      else for (const t of list) drawOrWait(input, t, offsetX, offsetY, tile);
    }
  }
  // cut-outs come when all solid surfaces stand: much of them is hidden then, and a tie goes to what is solid
  let glass = 0;
  for (let k = 0; k < waiting; k++) {
    const t = tile.glassList[k];
    if (kinds[scene.triangleMaterial[t]] === KIND_GLASS) tile.glassList[glass++] = t;
    else drawOpaque(input, t, true, offsetX, offsetY, tile);
  }
  if (tile.seeThrough > 0) tile.layerCount.fill(0);
  tile.seeThrough = solidOnly ? 0 : glass;
  for (let g = 0; g < tile.seeThrough; g++) {
    if (kernel) kernel.drawLayer(tile.glassList[g], tile, offsetX, offsetY);
    else drawGlass(input, tile.glassList[g], offsetX, offsetY, tile);
  }
}

/** Triangles in `tile.glassList` that are drawn after the solid ones. */
let waiting = 0;

function drawOrWait(input: VisibilityInput, t: number, offsetX: number, offsetY: number, tile: Tile): void {
  if (input.kinds[input.scene.triangleMaterial[t]] === KIND_OPAQUE)
    return drawOpaque(input, t, false, offsetX, offsetY, tile);
  if (waiting === tile.glassList.length) tile.glassList = grow(tile.glassList);
  tile.glassList[waiting++] = t;
}

function later(tile: Tile, list: Int32Array, count: number): void {
  while (waiting + count > tile.glassList.length) tile.glassList = grow(tile.glassList);
  for (let k = 0; k < count; k++) tile.glassList[waiting++] = list[k];
}

function grow(list: Int32Array): Int32Array {
  const larger = new Int32Array(list.length * 2);
  larger.set(list);
  return larger;
}

/** First and last column of a row that an edge function r + a·(x + ox) ≥ 0 leaves, one pixel too wide for safety. */
function rowStart(r: number, a: number, ox: number, from: number): number {
  const x = Math.floor(-r / a - ox) - 1;
  return x > from ? x : from;
}
function rowEnd(r: number, a: number, ox: number, to: number): number {
  const x = Math.ceil(-r / a - ox) + 1;
  return x < to ? x : to;
}

/** What of a triangle's box lies in the tile. */
const span: PixelBox = { x0: 0, y0: 0, x1: 0, y1: 0 };
const at = { z: 0, e0: 0, e1: 0, e2: 0 };

function drawOpaque(input: VisibilityInput, t: number, mask: boolean, ox: number, oy: number, tile: Tile): void {
  if (!startTriangle(input.clip, input.scene.triangles, input.bins.boxes, t, tile, edges, span)) return;
  const { depth, triangle } = tile;
  const { x0, y0, x1, y1 } = span;
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
  const wide = x1 - x0 > 8;
  const lod = mask ? cutoutLod(input.scene, edges, t, (x0 + x1) / 2, (y0 + y1) / 2) : 0;
  const right = fround(ox);
  const down = fround(oy);
  for (let y = y0; y < y1; y++) {
    const py = fround(y + down);
    const r0 = fround(fround(b0 * py) + c0);
    const r1 = fround(fround(b1 * py) + c1);
    const r2 = fround(fround(b2 * py) + c2);
    const rz = fround(fround(bz * py) + cz);
    let xa = x0;
    let xb = x1;
    if (wide) {
      if (a0 > 0) xa = rowStart(r0, a0, ox, xa);
      else if (a0 < 0) xb = rowEnd(r0, a0, ox, xb);
      if (a1 > 0) xa = rowStart(r1, a1, ox, xa);
      else if (a1 < 0) xb = rowEnd(r1, a1, ox, xb);
      if (a2 > 0) xa = rowStart(r2, a2, ox, xa);
      else if (a2 < 0) xb = rowEnd(r2, a2, ox, xb);
    }
    let i = (y << TILE_SHIFT) + xa;
    for (let x = xa; x < xb; x++, i++) {
      const px = fround(x + right);
      const e0 = fround(fround(a0 * px) + r0);
      const e1 = fround(fround(a1 * px) + r1);
      const e2 = fround(fround(a2 * px) + r2);
      if (e0 >= 0 && e1 >= 0 && e2 >= 0) {
        const z = fround(fround(az * px) + rz);
        if (z > depth[i] && z <= 1) {
          if (e0 === 0 && !ownsEdge(a0, b0)) continue;
          if (e1 === 0 && !ownsEdge(a1, b1)) continue;
          if (e2 === 0 && !ownsEdge(a2, b2)) continue;
          if (mask && !passesCutout(input.scene, t, e0, e1, e2, lod)) continue;
          depth[i] = z;
          triangle[i] = t;
        }
      }
    }
  }
}

/** Keeps the nearest `layerLimit` see-through surfaces of a pixel, sorted by depth. */
function drawGlass(input: VisibilityInput, t: number, ox: number, oy: number, tile: Tile): void {
  if (!startTriangle(input.clip, input.scene.triangles, input.bins.boxes, t, tile, edges, span)) return;
  const { depth, layerCount, layerDepth, layerTriangle, layerLimit } = tile;
  const { x0, y0, x1, y1 } = span;
  const right = fround(ox);
  const down = fround(oy);
  for (let y = y0; y < y1; y++) {
    const py = fround(y + down);
    for (let x = x0; x < x1; x++) {
      if (!covers(edges, fround(x + right), py, at)) continue;
      const { z } = at;
      const i = (y << TILE_SHIFT) + x;
      if (z <= depth[i]) continue;
      let n = layerCount[i];
      const first = i * layerLimit;
      if (n === layerLimit) {
        if (z <= layerDepth[first + n - 1]) continue;
        n--;
      }
      let k = n;
      while (k > 0 && layerDepth[first + k - 1] < z) {
        layerDepth[first + k] = layerDepth[first + k - 1];
        layerTriangle[first + k] = layerTriangle[first + k - 1];
        k--;
      }
      layerDepth[first + k] = z;
      layerTriangle[first + k] = t;
      layerCount[i] = n + 1;
    }
  }
}
