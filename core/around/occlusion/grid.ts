/**
 * Openness at every second pixel across and down; places between take what the neighbours on their own surface have
 * (joint bilateral upsampling: Kopf et al. 2007).
 */
import * as G from '@daxel/kernel/generated/layouts/gridPoint';
import { TILE_SIDE, type PixelBox } from '../../raster/tile';
import { FOUND_SIZE, PLACE_NORMAL, PLACE_PIXEL, PLACE_POSITION, PLACE_SIZE, type DepthField } from './horizon';
import { LOOKOUT_PLACES, type Lookout } from './lookout';

export interface GridField extends DepthField {
  /** True normal a pixel, on the side that is seen. */
  normals: Float32Array;
}

export interface OcclusionGrid {
  /** Looks around from all points that the places of a tile may ask. */
  begin(tile: PixelBox, number: number): void;
  /** @returns false where too few neighbours are of the place's surface */
  read(place: Float64Array, out: Float64Array): boolean;
  /** Where its first point lies, in steps of two pixels, and how many lie across. */
  corner: { left: number; top: number; side: number };
}

/** Points that a tile may ask for beyond its edge: samples lie up to three pixels outside it. */
const MARGIN = 3;
const GRID_SIDE = TILE_SIDE / 2 + 2 * MARGIN;
/** Bytes of its points. */
export const GRID_BYTES = GRID_SIDE * GRID_SIDE * G.POINT_BYTES;
/** A point and a place are of one surface where one lies no farther off the other's plane than so much of their distance. */
const OFF_PLANE = 0.2;
/** Neighbours that count for less than this together are too little to go by. */
const LEAST = 0.05;

export interface GridInput {
  field: GridField;
  lookout: Lookout;
  /** GRID_BYTES of this thread. */
  room: Uint8Array;
  /** How far from the middles of pixels samples may lie, pixels. */
  reach: number;
  /** Random numbers of a pixel by its number. */
  seed: (pixel: number) => number;
}

export function createGrid({ field, lookout, room, reach, seed }: GridInput): OcclusionGrid {
  const { depth, normals, width, height, rays } = field;
  const { right, down, base, origin, forward, perspective } = rays;
  const margin = Math.ceil((reach + 1) / 2);
  const points = new Float32Array(room.buffer, room.byteOffset, GRID_SIDE * GRID_SIDE * G.POINT_STRIDE);
  const from = new Float64Array(PLACE_SIZE);
  const found = new Float64Array(FOUND_SIZE);
  const waiting = new Int32Array(LOOKOUT_PLACES);
  const corner = { left: 0, top: 0, side: GRID_SIDE };
  const pointAt = (x: number, y: number): number => ((y - corner.top) * GRID_SIDE + x - corner.left) * G.POINT_STRIDE;

  /** @returns whether anything is seen at a point */
  const put = (x: number, y: number, i: number): boolean => {
    const pixel = y * 2 * width + x * 2;
    const d = depth[pixel];
    if (d === 0) return false;
    const at = pointAt(x, y);
    from[PLACE_PIXEL] = x * 2 + 0.5;
    from[PLACE_PIXEL + 1] = y * 2 + 0.5;
    for (let c = 0; c < 3; c++) {
      const ray = base[c] + from[PLACE_PIXEL] * right[c] + from[PLACE_PIXEL + 1] * down[c];
      from[PLACE_POSITION + c] = perspective ? ray * d : ray - origin[c] + forward[c] * d;
      from[PLACE_NORMAL + c] = normals[pixel * 3 + c];
      points[at + G.POINT_POSITION + c] = from[PLACE_POSITION + c];
      points[at + G.POINT_NORMAL + c] = from[PLACE_NORMAL + c];
    }
    lookout.put(i, from, seed(pixel));
    waiting[i] = at;
    return true;
  };
  const look = (count: number, number: number): void => {
    lookout.look(count, number);
    for (let i = 0; i < count; i++) {
      lookout.take(i, found);
      for (let c = 0; c < FOUND_SIZE; c++) points[waiting[i] + G.POINT_OPEN + c] = found[c];
      points[waiting[i] + G.POINT_KNOWN] = 1;
    }
  };

  /** How far a point counts for a place: all on its surface, not at all off it. */
  const kinship = (at: number, place: Float64Array): number => {
    let off = 0;
    let square = 0;
    let facing = 0;
    for (let c = 0; c < 3; c++) {
      const d = points[at + G.POINT_POSITION + c] - place[PLACE_POSITION + c];
      off += d * place[PLACE_NORMAL + c];
      square += d * d;
      facing += points[at + G.POINT_NORMAL + c] * place[PLACE_NORMAL + c];
    }
    return facing <= 0.5 || off * off > OFF_PLANE * OFF_PLANE * square + 1e-12 ? 0 : facing * facing;
  };

  return {
    corner,
    begin({ x0, y0, x1, y1 }, number) {
      corner.left = (x0 >> 1) - MARGIN;
      corner.top = (y0 >> 1) - MARGIN;
      for (let at = G.POINT_KNOWN; at < points.length; at += G.POINT_STRIDE) points[at] = 0;
      let count = 0;
      for (let y = Math.max(0, (y0 >> 1) - margin); y <= Math.min((height - 1) >> 1, (y1 >> 1) + margin); y++)
        for (let x = Math.max(0, (x0 >> 1) - margin); x <= Math.min((width - 1) >> 1, (x1 >> 1) + margin); x++) {
          if (!put(x, y, count)) continue;
          if (++count < LOOKOUT_PLACES) continue;
          look(count, number);
          count = 0;
        }
      if (count > 0) look(count, number);
    },
    read(place, out) {
      const gx = (place[PLACE_PIXEL] - 0.5) / 2;
      const gy = (place[PLACE_PIXEL + 1] - 0.5) / 2;
      const x0 = Math.floor(gx);
      const y0 = Math.floor(gy);
      let sum = 0;
      out.fill(0);
      for (let k = 0; k < 4; k++) {
        const x = x0 + (k & 1);
        const y = y0 + (k >> 1);
        const at = pointAt(x, y);
        if (points[at + G.POINT_KNOWN] === 0) continue;
        const near = (1 - Math.abs(gx - x)) * (1 - Math.abs(gy - y));
        const weight = near * kinship(at, place);
        sum += weight;
        for (let c = 0; c < FOUND_SIZE; c++) out[c] += points[at + G.POINT_OPEN + c] * weight;
      }
      if (sum < LEAST) return false;
      for (let c = 0; c < FOUND_SIZE; c++) out[c] /= sum;
      return true;
    },
  };
}
