/** Which points of the picture a tile's places go by. */
import { TILE_SIDE, type PixelBox } from '../../raster/tile';

/** Points beyond a tile's edge that its samples may ask for: they lie up to three pixels outside, and go by two on each side. */
const MARGIN = 4;
/** Points along a side of the room for them. */
export const GRID_SIDE = TILE_SIDE / 2 + 2 * MARGIN;

/** Points of a tile, corners included, and where the room for them begins. */
export interface TilePoints {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  left: number;
  top: number;
}

export interface PointsWish {
  /** Pixels from point to point, 2 or more. */
  step: number;
  /** How far from the middles of pixels samples may lie, pixels: at most 3. */
  reach: number;
  /** Points that a place goes by on either side of it: 1, or 2. */
  beyond: number;
  /** Of the picture, pixels. */
  width: number;
  height: number;
}

export function tilePoints(tile: PixelBox, { step, reach, beyond, width, height }: PointsWish): TilePoints {
  const first = (at: number): number => Math.max(0, Math.floor((at - reach) / step) - beyond + 1);
  const last = (at: number, size: number): number =>
    Math.min(Math.ceil(size / step) - 1, Math.floor((at - 1 + reach) / step) + beyond);
  return {
    ...{ x0: first(tile.x0), y0: first(tile.y0), x1: last(tile.x1, width), y1: last(tile.y1, height) },
    ...{ left: tile.x0 / step - MARGIN, top: tile.y0 / step - MARGIN },
  };
}
