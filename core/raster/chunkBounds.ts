/**
 * Where the chunks of triangles lie (see binTriangles): what is wholly out of sight need not be looked at one by one.
 *
 * chunkBoxes: per chunk min xyz, max xyz, world space
 * chunkVertices: per chunk the numbers of its first vertex and of the one behind its last
 */
import { bindKernel } from '@daxel/kernel/load';
import type { Bounds } from '../math/bounds';
import type { Mat4 } from '../math/mat4';
import { viewPlanes, type Plane } from '../math/viewPlanes';
import type { Rect } from '../measure/rect';
import { CHUNK_TRIANGLES } from './binTriangles';

export const CHUNK_BOX = 6;
export const CHUNK_VERTICES = 2;

export interface ChunkBounds {
  chunkBoxes: Float32Array;
  chunkVertices: Uint32Array;
}

/** Writes where a chunk's triangles lie. @param positions xyz per vertex */
export function measureChunk(
  chunk: number,
  positions: Float32Array,
  triangles: Uint32Array,
  { chunkBoxes, chunkVertices }: ChunkBounds,
): void {
  const end = Math.min(triangles.length, (chunk + 1) * CHUNK_TRIANGLES * 3);
  let [x0, y0, z0, x1, y1, z1] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  let first = Infinity;
  let last = -1;
  for (let i = chunk * CHUNK_TRIANGLES * 3; i < end; i++) {
    const v = triangles[i];
    if (v < first) first = v;
    if (v > last) last = v;
    const x = positions[v * 3];
    const y = positions[v * 3 + 1];
    const z = positions[v * 3 + 2];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  chunkBoxes.set([x0, y0, z0, x1, y1, z1], chunk * CHUNK_BOX);
  chunkVertices.set([first, last + 1], chunk * CHUNK_VERTICES);
}

/** The same by the compiled loop. @param memory holds all arrays */
export function measureQuickly(
  memory: WebAssembly.Memory,
  chunk: number,
  positions: Float32Array,
  triangles: Uint32Array,
  { chunkBoxes, chunkVertices }: ChunkBounds,
): void {
  const first = chunk * CHUNK_TRIANGLES;
  bindKernel(memory).measureChunk(
    positions.byteOffset,
    triangles.byteOffset,
    first,
    Math.min(triangles.length / 3, first + CHUNK_TRIANGLES),
    chunkBoxes.byteOffset + chunk * CHUNK_BOX * 4,
    chunkVertices.byteOffset + chunk * CHUNK_VERTICES * 4,
  );
}

/** The box around so many chunks. */
export function boxOfChunks({ chunkBoxes }: ChunkBounds, chunks: number): Bounds {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let at = 0; at < chunks * CHUNK_BOX; at += CHUNK_BOX)
    for (let c = 0; c < 3; c++) {
      min[c] = Math.min(min[c], chunkBoxes[at + c]);
      max[c] = Math.max(max[c], chunkBoxes[at + 3 + c]);
    }
  return { min, max };
}

/** Rounding of corners that are transformed as 32-bit floats, as a share of the terms they are sums of. */
const ROUNDING = 4e-6;

/**
 * Which of so many chunks may be seen in one of some parts of a picture? One is not only where nothing of it is: its box
 * lies outside of one of each part's five planes.
 * @param matrix row-wise, world → (X, Y, Z, W) in pixels, see `worldToPixels`
 * @param parts pixels
 * @param reach how far from the middles of pixels samples may lie, pixels
 */
export function chunksSeen(
  matrix: Mat4,
  parts: readonly Rect[],
  reach: number,
  bounds: ChunkBounds,
  chunks: number,
): boolean[] {
  const views = parts.map((part) => {
    const { near, sides } = viewPlanes(matrix, part, 1 + reach);
    return [near, ...sides];
  });
  return Array.from({ length: chunks }, (_, chunk) => views.some((planes) => reachesInto(planes, bounds, chunk)));
}

/** May some of a chunk lie on the inner side of all planes? */
function reachesInto(planes: readonly Plane[], { chunkBoxes }: ChunkBounds, chunk: number): boolean {
  const at = chunk * CHUNK_BOX;
  return planes.every((plane) => {
    let farthest = plane[3];
    let terms = Math.abs(plane[3]);
    for (let c = 0; c < 3; c++) {
      const low = plane[c] * chunkBoxes[at + c];
      const high = plane[c] * chunkBoxes[at + 3 + c];
      farthest += Math.max(low, high);
      terms += Math.max(Math.abs(low), Math.abs(high));
    }
    return farthest >= -ROUNDING * terms;
  });
}

/**
 * The least upright rectangles, one or few a row of tiles, that cover some tiles of a picture.
 * @param wanted numbers of the tiles, row by row
 * @returns pixels
 */
export function partsOfTiles(wanted: readonly number[], tilesX: number, tileShift: number): Rect[] {
  const side = 1 << tileShift;
  const spans = new Map<number, [number, number]>();
  for (const t of wanted) {
    const row = Math.floor(t / tilesX);
    const column = t - row * tilesX;
    const [from, to] = spans.get(row) ?? [column, column];
    spans.set(row, [Math.min(from, column), Math.max(to, column)]);
  }
  const parts: Rect[] = [];
  for (const [row, [from, to]] of [...spans].sort((a, b) => a[0] - b[0])) {
    const part = { x: from * side, y: row * side, width: (to + 1 - from) * side, height: side };
    const above = parts[parts.length - 1];
    if (above && above.x === part.x && above.width === part.width && above.y + above.height === part.y)
      above.height += side;
    else parts.push(part);
  }
  return parts;
}
