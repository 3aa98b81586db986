/**
 * Where the chunks of triangles lie (see binTriangles): what is wholly out of sight need not be looked at one by one.
 *
 * chunkBoxes: per chunk min xyz, max xyz, world space
 * chunkVertices: per chunk the numbers of its first vertex and of the one behind its last
 */
import { bindKernel } from '@daxel/kernel/load';
import type { Bounds } from '../math/bounds';
import type { Mat4 } from '../math/mat4';
import { viewPlanes } from '../math/viewPlanes';
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
 * Which of so many chunks may be seen? One is not only where nothing of it is: its box lies outside of one of five planes.
 * @param matrix row-wise, world → (X, Y, Z, W) in pixels, see `worldToPixels`
 * @param reach how far from the middles of pixels samples may lie, pixels
 */
export function chunksSeen(
  matrix: Mat4,
  width: number,
  height: number,
  reach: number,
  { chunkBoxes }: ChunkBounds,
  chunks: number,
): boolean[] {
  const { near, sides } = viewPlanes(matrix, { x: 0, y: 0, width, height }, 1 + reach);
  const planes = [near, ...sides];
  return Array.from({ length: chunks }, (_, chunk) => {
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
  });
}
