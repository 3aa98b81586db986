/** The planes that bound what a projection sees. */
import type { Rect } from '../measure/rect';
import type { Mat4 } from './mat4';

/** a, b, c, d: a place lies inside where a·x + b·y + c·z + d ≥ 0. */
export type Plane = readonly [number, number, number, number];

/**
 * @param m row-wise, world → (X, Y, Z, W), see `worldToPixels`
 * @param part of the picture, pixels
 * @param beyond pixels beyond its border that count as seen
 * @returns the plane that is near, and those on the left, right, top and bottom
 */
export function viewPlanes(m: Mat4, part: Rect, beyond: number): { near: Plane; sides: Plane[] } {
  const { x, y, width, height } = part;
  const mixed = (row: number, share: number, ofW: number): Plane => {
    const at = (c: number): number => m[row * 4 + c] * share + m[12 + c] * ofW;
    return [at(0), at(1), at(2), at(3)];
  };
  const sides = [
    mixed(0, 1, beyond - x),
    mixed(0, -1, x + width + beyond),
    mixed(1, 1, beyond - y),
    mixed(1, -1, y + height + beyond),
  ];
  return { near: mixed(2, -1, 1), sides };
}
