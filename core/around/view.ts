/** What instruments show of a method of light from around. */
import type { ShadowRays } from '../trace/traceShadow';
import type { PixelBox } from '../raster/tile';
import type { RayFrame } from '../scene/camera';

/** Of `measureAt`, where light is asked for behind walls: the wall is thick enough. From 1 on: so much brighter it is there. */
export const LEAK_NONE = 0;

/** A place of a surface. */
export interface Asked {
  /** World space, metres. */
  x: number;
  y: number;
  z: number;
  /** Unit normal, and that of the true face. */
  normal: ArrayLike<number>;
  face: ArrayLike<number>;
}

export interface AroundView {
  /** What is asked for from now on lies in a tile. */
  begin(tile: PixelBox): void;
  /**
   * What of the method's own is seen before a surface.
   * @param depth of the surface along the view axis, metres; Infinity where there is none @param out rgb, display-linear
   */
  coverAt(px: number, py: number, depth: number, out: Float64Array): boolean;
  /** What the instrument tells of a place, in its own unit; below 0 where the method says nothing of it. */
  measureAt(at: Asked): number;
}

/** What it is shown through and in. */
export interface ShownAround {
  rays: RayFrame;
  /** Factor from light to what is displayed. */
  exposure: number;
  /** Null where nothing of the frame is traced. */
  traced: ShadowRays | null;
}

/**
 * The way through a pixel, which grows by a metre along the view axis.
 * @param from where it begins, metres in the world @param along what it goes for such a metre
 */
export function wayThrough(
  { origin, forward, base, right, down, perspective }: RayFrame,
  px: number,
  py: number,
  from: Float64Array,
  along: Float64Array,
): void {
  for (let c = 0; c < 3; c++) {
    const at = base[c] + px * right[c] + py * down[c];
    along[c] = perspective ? at : forward[c];
    from[c] = perspective ? origin[c] : at;
  }
}

/** Light as it is displayed by instruments: nothing is burnt out. */
export function shown(light: number, exposure: number): number {
  const value = light * exposure;
  return value / (1 + value);
}
