/**
 * Where the chunks of triangles lie (see binTriangles): what is wholly out of sight need not be looked at one by one.
 *
 * boxes: per chunk min xyz, max xyz, world space
 * vertices: per chunk the numbers of its first vertex and of the one behind its last
 */
import { bindKernel } from '@daxel/kernel/load';
import type { Bounds } from '../math/bounds';
import type { Mat4 } from '../math/mat4';
import { CHUNK_TRIANGLES } from './binTriangles';

export const CHUNK_BOX = 6;
export const CHUNK_VERTICES = 2;

export interface ChunkBounds {
  boxes: Float32Array;
  vertices: Uint32Array;
}

/** Writes where a chunk's triangles lie. @param positions xyz per vertex */
export function measureChunk(
  chunk: number,
  positions: Float32Array,
  triangles: Uint32Array,
  { boxes, vertices }: ChunkBounds,
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
  boxes.set([x0, y0, z0, x1, y1, z1], chunk * CHUNK_BOX);
  vertices.set([first, last + 1], chunk * CHUNK_VERTICES);
}

/** The same by the compiled loop. @param memory holds all arrays */
export function measureQuickly(
  memory: WebAssembly.Memory,
  chunk: number,
  positions: Float32Array,
  triangles: Uint32Array,
  { boxes, vertices }: ChunkBounds,
): void {
  const first = chunk * CHUNK_TRIANGLES;
  bindKernel(memory).measureChunk(
    positions.byteOffset,
    triangles.byteOffset,
    first,
    Math.min(triangles.length / 3, first + CHUNK_TRIANGLES),
    boxes.byteOffset + chunk * CHUNK_BOX * 4,
    vertices.byteOffset + chunk * CHUNK_VERTICES * 4,
  );
}

/** The box around all chunks. */
export function allChunks({ boxes }: ChunkBounds): Bounds {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let at = 0; at < boxes.length; at += CHUNK_BOX)
    for (let c = 0; c < 3; c++) {
      min[c] = Math.min(min[c], boxes[at + c]);
      max[c] = Math.max(max[c], boxes[at + 3 + c]);
    }
  return { min, max };
}

/** Rounding of corners that are transformed as 32-bit floats, as a share of the terms they are sums of. */
const ROUNDING = 1e-6;

/**
 * May anything of a chunk be seen? False only where nothing is: its box lies outside of one of the five planes.
 * @param matrix row-wise, world → (X, Y, Z, W) in pixels, see `worldToPixels`
 * @param reach how far from the middles of pixels samples may lie, pixels
 */
export function seesChunk(
  matrix: Mat4,
  width: number,
  height: number,
  reach: number,
  { boxes }: ChunkBounds,
  chunk: number,
): boolean {
  const at = chunk * CHUNK_BOX;
  const beyond = 1 + reach;
  /** Is some of the box where a row's number times a share and W times another are at least 0 together? */
  const inside = (row: number, share: number, ofW: number): boolean => {
    let sum = matrix[row * 4 + 3] * share + matrix[15] * ofW;
    let terms = Math.abs(matrix[row * 4 + 3] * share) + Math.abs(matrix[15] * ofW);
    for (let c = 0; c < 3; c++) {
      const slope = matrix[row * 4 + c] * share + matrix[12 + c] * ofW;
      const low = boxes[at + c];
      const high = boxes[at + 3 + c];
      sum += slope * (slope > 0 ? high : low);
      const part = Math.abs(matrix[row * 4 + c] * share) + Math.abs(matrix[12 + c] * ofW);
      terms += part * Math.max(Math.abs(low), Math.abs(high));
    }
    return sum >= -ROUNDING * terms;
  };
  return (
    inside(2, -1, 1) &&
    inside(0, 1, beyond) &&
    inside(0, -1, width + beyond) &&
    inside(1, 1, beyond) &&
    inside(1, -1, height + beyond)
  );
}
