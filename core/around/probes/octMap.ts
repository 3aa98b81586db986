/**
 * What a probe knows by direction: octahedral maps of eight by eight texels with a border of one, so that reading between
 * texels needs no special case (Cigolle et al. 2014, Survey of Efficient Representations for Independent Unit Vectors).
 */
import { octahedralDecode } from '../../math/octahedron';

/** Texels along a side without and with the border. */
export const MAP_SIDE = 8;
export const MAP_STRIDE = MAP_SIDE + 2;

const last = MAP_SIDE + 1;

/** Number of a texel of the map in its array. */
export function texelAt(u: number, v: number): number {
  return (v + 1) * MAP_STRIDE + u + 1;
}

/** Unit directions of the middles of all texels, xyz each, row by row. */
export const TEXEL_DIRECTIONS: Float64Array = (() => {
  const all = new Float64Array(MAP_SIDE * MAP_SIDE * 3);
  const one = new Float64Array(3);
  for (let i = 0; i < MAP_SIDE * MAP_SIDE; i++) {
    octahedralDecode(((i % MAP_SIDE) + 0.5) / MAP_SIDE, (Math.floor(i / MAP_SIDE) + 0.5) / MAP_SIDE, one);
    all.set(one, i * 3);
  }
  return all;
})();

/** Repeats in the border what lies across the map's seams. @param numbers a texel */
export function fillBorder(map: Float32Array, numbers: number): void {
  const copy = (toU: number, toV: number, fromU: number, fromV: number): void => {
    const to = (toV * MAP_STRIDE + toU) * numbers;
    const from = (fromV * MAP_STRIDE + fromU) * numbers;
    map.copyWithin(to, from, from + numbers);
  };
  // each edge of the square meets itself, turned about its middle
  for (let k = 1; k <= MAP_SIDE; k++) {
    copy(k, 0, last - k, 1);
    copy(k, last, last - k, MAP_SIDE);
    copy(0, k, 1, last - k);
    copy(last, k, MAP_SIDE, last - k);
  }
  copy(0, 0, MAP_SIDE, MAP_SIDE);
  copy(last, 0, 1, MAP_SIDE);
  copy(0, last, MAP_SIDE, 1);
  copy(last, last, 1, 1);
}

/** Where to read: the first of four texels, and the weights of all four, in rows. */
export interface Reading {
  texel: number;
  weights: Float64Array;
}

/** @param x, y, z a direction of any length but none */
export function readingOf(x: number, y: number, z: number, out: Reading): void {
  const s = 1 / (Math.abs(x) + Math.abs(y) + Math.abs(z));
  let a = x * s;
  let b = z * s;
  if (y < 0) {
    const t = a;
    a = (1 - Math.abs(b)) * (a >= 0 ? 1 : -1);
    b = (1 - Math.abs(t)) * (b >= 0 ? 1 : -1);
  }
  const u = (0.5 * a + 0.5) * MAP_SIDE + 0.5;
  const v = (0.5 * b + 0.5) * MAP_SIDE + 0.5;
  const u0 = u | 0;
  const v0 = v | 0;
  const fu = u - u0;
  const fv = v - v0;
  out.texel = v0 * MAP_STRIDE + u0;
  out.weights[0] = (1 - fu) * (1 - fv);
  out.weights[1] = fu * (1 - fv);
  out.weights[2] = (1 - fu) * fv;
  out.weights[3] = fu * fv;
}
