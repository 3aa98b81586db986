/** One thread's scratch memory for a tile of the picture. */

export const TILE_SHIFT = 6;
export const TILE_SIDE = 1 << TILE_SHIFT;
export const TILE_PIXELS = TILE_SIDE * TILE_SIDE;
export const NO_TRIANGLE = -1;

export interface Tile {
  /** Pixels covered: x0 … x1 − 1, y0 … y1 − 1. */
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  /** Reversed depth of the nearest opaque surface, 0 where there is none. */
  depth: Float32Array;
  /** Its triangle, or NO_TRIANGLE. */
  triangle: Int32Array;
  /** See-through surfaces in front of it: how many are kept. */
  layerCount: Uint8Array;
  /** Their depths and triangles, nearest first; `layerLimit` places a pixel. */
  layerDepth: Float32Array;
  layerTriangle: Int32Array;
  layerLimit: number;
  /** See-through triangles that touch the tile. */
  glassList: Int32Array;
}

export function createTile(layerLimit: number): Tile {
  return {
    x0: 0,
    y0: 0,
    x1: 0,
    y1: 0,
    depth: new Float32Array(TILE_PIXELS),
    triangle: new Int32Array(TILE_PIXELS),
    layerCount: new Uint8Array(TILE_PIXELS),
    layerDepth: new Float32Array(TILE_PIXELS * layerLimit),
    layerTriangle: new Int32Array(TILE_PIXELS * layerLimit),
    layerLimit,
    glassList: new Int32Array(1024),
  };
}
