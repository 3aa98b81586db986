/**
 * Triangles before they are drawn into a tile: which of a list are drawn at all, and their edge functions there. Twin:
 * core/raster/edges.
 */
import { floats } from './four';
import { f, triangleMaterial, triangles } from './scenery';

let clip: usize = 0;
/** Four 16-bit numbers a triangle: the pixels that it may touch, both ends inclusive. */
let boxes: usize = 0;
/** What to do with the triangles of each material, a byte. */
export let kinds: usize = 0;

export const OPAQUE: u8 = 0;

/**
 * Triangles that are drawn next, of which is known where they lie: 64 bytes each. Edge functions and depth, a vector for each
 * of a, b and c (see core/raster/edges); then what of the box lies in the tile, four 16-bit numbers from the tile's corner
 * on, and the triangle's number.
 */
export let ready: usize = 0;
export const READY: i32 = 256;
export const READY_BYTES: usize = 64;
export const DOWN: usize = 16;
export const OFFSET: usize = 32;
export const BOX: usize = 48;
export const NUMBER: usize = 56;

/** @param ready_ room for READY triangles */
export function bindCoverage(clip_: usize, boxes_: usize, kinds_: usize, ready_: usize): void {
  ready = ready_;
  clip = clip_;
  boxes = boxes_;
  kinds = kinds_;
}

/** Two doubles side by side. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function both(a: f64, b: f64): v128 {
  return f64x2.replace_lane(f64x2.splat(a), 1, b);
}

/**
 * Writes where a triangle lies in the tile x0 … y1 − 1: as `startTriangle` of the twins.
 * @returns whether it leaves anything there; no branch is taken until then, so that many wait for their corners at once
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function makeReady(t: i32, x0: i32, y0: i32, x1: i32, y1: i32, to: usize): bool {
  const box = boxes + ((<usize>t) << 3);
  const fromX = max<i32>(<i32>load<i16>(box) - x0, 0);
  const fromY = max<i32>(<i32>load<i16>(box, 2) - y0, 0);
  const toX = min<i32>(<i32>load<i16>(box, 4) + 1, x1) - x0;
  const toY = min<i32>(<i32>load<i16>(box, 6) + 1, y1) - y0;
  store<i16>(to, <i16>fromX, BOX);
  store<i16>(to, <i16>fromY, BOX + 2);
  store<i16>(to, <i16>toX, BOX + 4);
  store<i16>(to, <i16>toY, BOX + 6);
  store<i32>(to, t, NUMBER);
  const seen = setEdges(t, <f64>x0, <f64>y0, to);
  return (i32(fromX < toX) & i32(fromY < toY) & i32(seen)) != 0;
}

/** @param cornerX, cornerY where the edge functions begin @returns whether the triangle can be seen at all */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function setEdges(t: i32, cornerX: f64, cornerY: f64, to: usize): bool {
  const corners = triangles + <usize>t * 12;
  const v0 = clip + ((<usize>load<u32>(corners)) << 4);
  const v1 = clip + ((<usize>load<u32>(corners, 4)) << 4);
  const v2 = clip + ((<usize>load<u32>(corners, 8)) << 4);
  const x0 = f(v0);
  const y0 = f(v0 + 4);
  const w0 = f(v0 + 12);
  const x1 = f(v1);
  const y1 = f(v1 + 4);
  const w1 = f(v1 + 12);
  const x2 = f(v2);
  const y2 = f(v2 + 4);
  const w2 = f(v2 + 12);
  const a0 = y1 * w2 - w1 * y2;
  const b0 = w1 * x2 - x1 * w2;
  const c0 = x1 * y2 - y1 * x2;
  const det = x0 * a0 + y0 * b0 + w0 * c0;
  const a1 = y2 * w0 - w2 * y0;
  const b1 = w2 * x0 - x2 * w0;
  const c1 = x2 * y0 - y2 * x0;
  const a2 = y0 * w1 - w0 * y1;
  const b2 = w0 * x1 - x0 * w1;
  const c2 = x0 * y1 - y0 * x1;
  const z0 = f(v0 + 8) / det;
  const z1 = f(v1 + 8) / det;
  const z2 = f(v2 + 8) / det;
  const side: f64 = det < 0 ? -1 : 1;
  const sides = f64x2.splat(side);
  const lastSide = both(side, 1);
  const a = f64x2.mul(both(a0, a1), sides);
  const b = f64x2.mul(both(b0, b1), sides);
  const c = f64x2.mul(both(c0, c1), sides);
  const az = f64x2.mul(both(a2, a0 * z0 + a1 * z1 + a2 * z2), lastSide);
  const bz = f64x2.mul(both(b2, b0 * z0 + b1 * z1 + b2 * z2), lastSide);
  const cz = f64x2.mul(both(c2, c0 * z0 + c1 * z1 + c2 * z2), lastSide);
  const x = f64x2.splat(cornerX);
  const y = f64x2.splat(cornerY);
  v128.store(to, floats(a, az));
  v128.store(to, floats(b, bz), DOWN);
  const offset = floats(
    f64x2.add(f64x2.add(f64x2.mul(a, x), f64x2.mul(b, y)), c),
    f64x2.add(f64x2.add(f64x2.mul(az, x), f64x2.mul(bz, y)), cz),
  );
  v128.store(to, offset, OFFSET);
  return det != 0;
}

export let readyEnd: usize = 0;

/**
 * Makes the triangles of one kind ready.
 * @param count READY at most @param left gets the others @returns the end of those
 */
export function sortOut(list: usize, count: i32, left: usize, kind: u8, x0: i32, y0: i32, x1: i32, y1: i32): usize {
  let to = ready;
  for (const end = list + ((<usize>count) << 2); list < end; list += 4) {
    const t = load<i32>(list);
    if (load<u8>(kinds + <usize>load<u16>(triangleMaterial + ((<usize>t) << 1))) != kind) {
      store<i32>(left, t);
      left += 4;
    } else to += makeReady(t, x0, y0, x1, y1, to) ? READY_BYTES : 0;
  }
  readyEnd = to;
  return left;
}
