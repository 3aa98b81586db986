/** One thread's scratch memory for a tile of the picture. */

export const TILE_SHIFT = 6;
export const TILE_SIDE = 1 << TILE_SHIFT;
export const TILE_PIXELS = TILE_SIDE * TILE_SIDE;
export const NO_TRIANGLE = -1;

/** Pixels x0 … x1 − 1, y0 … y1 − 1. */
export interface PixelBox {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

export interface Tile extends PixelBox {
  /** Reversed depth of the nearest opaque surface, 0 where there is none. */
  depth: Float32Array;
  /** Its triangle, or NO_TRIANGLE. */
  triangle: Int32Array;
  /** How many see-through triangles were drawn: without any, no pixel has layers. */
  seeThrough: number;
  /** See-through surfaces in front of it: how many are kept. */
  layerCount: Uint8Array;
  /** Their depths and triangles, nearest first; `layerLimit` places a pixel. */
  layerDepth: Float32Array;
  layerTriangle: Int32Array;
  layerLimit: number;
  /** See-through and cut-out triangles that touch the tile: they are drawn after the solid ones. */
  glassList: Int32Array;
}

/** Bytes of the arrays that have a fixed size. */
export function tileBytes(layerLimit: number): number {
  return TILE_PIXELS * (4 + 4 + 8 * layerLimit + 1);
}

/** A tile on `tileBytes` of a buffer, from a multiple of 4 on. */
export function tileAt(buffer: ArrayBufferLike, base: number, layerLimit: number): Tile {
  let at = base;
  const next = (bytes: number): number => (at += bytes) - bytes;
  const tile = {
    x0: 0,
    y0: 0,
    x1: 0,
    y1: 0,
    seeThrough: 0,
    depth: new Float32Array(buffer, next(TILE_PIXELS * 4), TILE_PIXELS),
    triangle: new Int32Array(buffer, next(TILE_PIXELS * 4), TILE_PIXELS),
    layerDepth: new Float32Array(buffer, next(TILE_PIXELS * layerLimit * 4), TILE_PIXELS * layerLimit),
    layerTriangle: new Int32Array(buffer, next(TILE_PIXELS * layerLimit * 4), TILE_PIXELS * layerLimit),
    layerCount: new Uint8Array(buffer, next(TILE_PIXELS), TILE_PIXELS),
    layerLimit,
    glassList: new Int32Array(1024),
  };
  tile.layerCount.fill(0);
  return tile;
}

export function createTile(layerLimit: number): Tile {
  return tileAt(new ArrayBuffer(tileBytes(layerLimit)), 0, layerLimit);
}

/** What a tile covers of a picture of so many tiles and pixels across and pixels down. */
export function tileBox(tile: number, tilesX: number, width: number, height: number): PixelBox {
  const tx = tile % tilesX;
  const ty = (tile - tx) / tilesX;
  return {
    x0: tx << TILE_SHIFT,
    y0: ty << TILE_SHIFT,
    x1: Math.min(width, (tx + 1) << TILE_SHIFT),
    y1: Math.min(height, (ty + 1) << TILE_SHIFT),
  };
}

/** The same pixels where the picture lies that far, across and down, within a larger one. */
export function boxWithin({ x0, y0, x1, y1 }: PixelBox, margin: number): PixelBox {
  return { x0: x0 + margin, y0: y0 + margin, x1: x1 + margin, y1: y1 + margin };
}

/** Pixels of a side of which one of so many is taken. */
export function takenOf(pixels: number, step: number): number {
  return Math.ceil(pixels / step);
}
