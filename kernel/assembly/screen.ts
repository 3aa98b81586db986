/** Bounced light by rays through the picture, for rows of surfaces and for single places: see core/around/screen. */
import { add, all, allAt, greater, lesser, mul, over, pick, sub } from './four';
import * as F from './layouts/screenFour';
import * as O from './layouts/screenOrder';
import {
  asking,
  bendFour,
  BOUNCE_SURE,
  col,
  COLUMN,
  FACE,
  FAR,
  FOUND_BOUNCE,
  fourOf,
  fours,
  NORMAL,
  POSITION,
  put,
  row,
} from './row';
import { readGrid } from './screenGrid';
import { C, marchFour } from './screenMarch';

/** Bytes of what is found of four. */
const FOUND_BYTES: usize = F.FOUR_KEPT - F.FOUR_FOUND;

/**
 * What reaches four places by their own rays, or by those of points around them. Places for which that is too little march
 * for themselves: what the others were told by the points is kept meanwhile.
 */
export function marchFrom(a: usize, order: usize): void {
  const grid = <usize>load<u32>(order, O.SCREEN_GRID);
  const draws = <usize>load<u32>(order, O.SCREEN_DRAWS);
  if (grid == 0) return marchFour(a, order, draws);
  const live = v128.load(a, F.FOUR_LIVE);
  const unknown = readGrid(a, order, grid);
  if (unknown == 0) return;
  const mask = i32x4.ne(v128.and(i32x4.splat(unknown), i32x4(1, 2, 4, 8)), i32x4.splat(0));
  memory.copy(a + F.FOUR_KEPT, a + F.FOUR_FOUND, FOUND_BYTES);
  v128.store(a, v128.and(live, mask), F.FOUR_LIVE);
  marchFour(a, order, draws);
  for (let o: usize = 0; o < FOUND_BYTES; o += C) {
    const found = a + F.FOUR_FOUND + o;
    v128.store(found, pick(mask, v128.load(found), v128.load(a + F.FOUR_KEPT + o)));
  }
  v128.store(a, live, F.FOUR_LIVE);
}

/** Writes irradiance, how sure it is and bent normals of the row's fours. @param px, py where the row's first pixel is seen */
export function marchRow(a: usize, order: usize, px: f64, py: f64): void {
  const perPixel = load<f32>(order, O.SCREEN_PER_PIXEL);
  const seed = load<i32>(order, O.SCREEN_SEED) + ((<i32>floor(py)) << 14);
  const y = all((<f32>py - 0.5) * perPixel + 0.5);
  for (let k = 0; k < fours; k++) {
    const f = fourOf(k);
    const live = asking(f);
    if (!v128.any_true(live)) continue;
    const x = <f64>((f - row) >> 2) + px;
    const xs = add(all(<f32>x), f32x4(0, 1, 2, 3));
    v128.store(a, live, F.FOUR_LIVE);
    v128.store(a, add(mul(sub(xs, all(0.5)), all(perPixel)), all(0.5)), F.FOUR_X);
    v128.store(a, y, F.FOUR_Y);
    for (let c: usize = 0; c < 3; c++) {
      const from = allAt(order + O.SCREEN_OFFSET + (c << 2));
      v128.store(a + c * C, add(col(f, POSITION + c * COLUMN), from), F.FOUR_POSITION);
      v128.store(a + c * C, col(f, NORMAL + c * COLUMN), F.FOUR_NORMAL);
      v128.store(a + c * C, col(f, FACE + c * COLUMN), F.FOUR_FACE);
    }
    v128.store(a, i32x4.add(i32x4.trunc_sat_f32x4_s(f32x4.floor(xs)), i32x4.splat(seed)), F.FOUR_SEED);
    marchFrom(a, order);
    finishFour(f, a, live);
  }
}

/** What is found of four places becomes columns of the row: mean irradiance of the rays that found any, bent normals of the others. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function finishFour(f: usize, a: usize, live: v128): void {
  const one = all(1);
  const sure = v128.and(lesser(v128.load(a, F.FOUR_SURE), one), live);
  const scale = over(one, pick(f32x4.gt(sure, all(0)), sure, one));
  put(f, BOUNCE_SURE, sure);
  // what nothing stands before, and what is lost to the border or behind something
  const known = add(sure, add(v128.load(a, F.FOUR_LEFT), v128.load(a, F.FOUR_HIDDEN)));
  put(f, FAR, v128.and(live, greater(sub(one, known), all(0))));
  for (let c: usize = 0; c < 3; c++) put(f, FOUND_BOUNCE + c * COLUMN, mul(v128.load(a + c * C, F.FOUR_FOUND), scale));
  bendFour(
    f,
    live,
    f32x4.neg(v128.load(a, F.FOUR_LEAN)),
    f32x4.neg(v128.load(a + C, F.FOUR_LEAN)),
    f32x4.neg(v128.load(a + 2 * C, F.FOUR_LEAN)),
  );
}
