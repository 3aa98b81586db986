/** Places in a light's record, bytes, and in the record of each of its shadow maps: see core/raster/shadeKernel. */

export const KIND: usize = 0;
/** From where the row's places are told. */
export const POINT: usize = 4;
export const SHINES: usize = 16;
export const POWER: usize = 28;
export const RANGE: usize = 40;
export const RADIUS: usize = 44;
export const DISC_TAN: usize = 48;
export const SIDE_U: usize = 52;
export const SIDE_V: usize = 64;
export const AREA: usize = 76;
export const FACING_OF_LIGHT: usize = 80;
export const FACE_OF_LIGHT: usize = 84;
export const SPOT_SCALE: usize = 96;
export const SPOT_OFFSET: usize = 100;
export const SAMPLED: usize = 104;
export const ARRIVES: usize = 108;
export const MAPS: usize = 112;
export const TAPS: usize = 116;
export const HALF_WIDTH: usize = 120;
export const AUTOMATIC: usize = 124;
export const SLOPE_BIAS: usize = 128;
export const NORMAL_OFFSET: usize = 132;
export const BLEND: usize = 136;
export const ROUND: usize = 140;
/** Radius that widens shadows with distance; 0 for maps that are read evenly. */
export const SOFT_SIZE: usize = 144;
export const VIEWS: usize = 160;

/** Places in a map's record behind its matrix. */
export const VIEW_BYTES: usize = 128;
export const RESOLUTION: usize = 64;
export const TEXEL_SIZE: usize = 68;
export const PERSPECTIVE: usize = 72;
export const DEPTH_SCALE: usize = 76;
export const END: usize = 80;
export const DEPTH_CODES: usize = 84;
export const OFFSET: usize = 88;
export const BLOCK_OFFSET: usize = 92;

export const LIGHT_BYTES: usize = VIEWS + 6 * VIEW_BYTES;

export const SUN: i32 = 0;
export const SPOT: i32 = 2;
export const AREA_LIGHT: i32 = 3;
