/** Sorting the triangles of a chunk into the tiles that they may touch: core/raster/binTriangles, to the bit. */
import { f } from './scenery';

const WIDE_TILES: i32 = 8;
const BOX_LIMIT: i32 = 32000;
/** First number of the box of a triangle that is in no list. */
const NOT_TAKEN: i32 = -1;

/** Where a triangle lies in the picture, pixels: least x and y, greatest x and y. */
let low: v128 = f64x2.splat(0);
let high: v128 = f64x2.splat(0);

/**
 * See `binChunk` there for what is meant.
 * @param first, end numbers of the chunk's triangles
 * @param corners, materials of all triangles @param rules a byte per material
 * @param starts, entries the chunk's own; `tiles` + 2 numbers, and room for its entries
 * @param boxes of all triangles
 */
export function binChunk(
  first: i32,
  end: i32,
  clip: usize,
  corners: usize,
  materials: usize,
  rules: usize,
  reach: f64,
  width: i32,
  height: i32,
  shift: i32,
  tilesX: i32,
  tiles: i32,
  starts: usize,
  entries: usize,
  boxes: usize,
): void {
  memory.fill(starts, 0, (<usize>(tiles + 2)) << 2);
  const last = i32x4.replace_lane(i32x4.splat(min<i32>(width - 1, BOX_LIMIT)), 1, min<i32>(height - 1, BOX_LIMIT));
  const before = f64x2.splat(0.5);
  const around = f64x2.splat(reach);
  let wideCount = 0;
  for (let t = first; t < end; t++) {
    const box = boxes + ((<usize>t) << 3);
    store<i16>(box, <i16>NOT_TAKEN);
    const faces = load<u8>(rules + <usize>load<u16>(materials + ((<usize>t) << 1)));
    if (faces === 0) continue;
    const corner = corners + <usize>t * 12;
    const a = clip + ((<usize>load<u32>(corner)) << 4);
    const b = clip + ((<usize>load<u32>(corner, 4)) << 4);
    const c = clip + ((<usize>load<u32>(corner, 8)) << 4);
    if (!setBox(a, b, c, faces)) continue;
    const from = f64x2.ceil(f64x2.sub(f64x2.sub(low, before), around));
    const to = f64x2.floor(f64x2.add(f64x2.sub(high, before), around));
    const begin = i32x4.max_s(i32x4.trunc_sat_f64x2_s_zero(from), i32x4.splat(0));
    const end = i32x4.min_s(i32x4.trunc_sat_f64x2_s_zero(to), last);
    const px0 = i32x4.extract_lane(begin, 0);
    const py0 = i32x4.extract_lane(begin, 1);
    const px1 = i32x4.extract_lane(end, 0);
    const py1 = i32x4.extract_lane(end, 1);
    if (px0 > px1 || py0 > py1) continue;
    store<i16>(box, <i16>px0);
    store<i16>(box, <i16>py0, 2);
    store<i16>(box, <i16>px1, 4);
    store<i16>(box, <i16>py1, 6);
    const tx0 = px0 >> shift;
    const ty0 = py0 >> shift;
    const tx1 = px1 >> shift;
    const ty1 = py1 >> shift;
    if ((tx1 - tx0 + 1) * (ty1 - ty0 + 1) > WIDE_TILES) {
      wideCount++;
      continue;
    }
    for (let ty = ty0; ty <= ty1; ty++)
      for (let tx = tx0; tx <= tx1; tx++) {
        const at = starts + ((<usize>(ty * tilesX + tx)) << 2);
        store<i32>(at, load<i32>(at) + 1);
      }
  }

  // counts become starts; filling then moves each start to its end, and a last shift brings the starts back
  let sum = 0;
  for (let i = 0; i < tiles; i++) {
    const at = starts + ((<usize>i) << 2);
    const count = load<i32>(at);
    store<i32>(at, sum);
    sum += count;
  }
  let wide = sum;
  for (let t = first; t < end; t++) {
    const box = boxes + ((<usize>t) << 3);
    const px0 = <i32>load<i16>(box);
    if (px0 === NOT_TAKEN) continue;
    const tx0 = px0 >> shift;
    const ty0 = (<i32>load<i16>(box, 2)) >> shift;
    const tx1 = (<i32>load<i16>(box, 4)) >> shift;
    const ty1 = (<i32>load<i16>(box, 6)) >> shift;
    if ((tx1 - tx0 + 1) * (ty1 - ty0 + 1) > WIDE_TILES) {
      store<i32>(entries + ((<usize>wide) << 2), t);
      wide++;
      continue;
    }
    for (let ty = ty0; ty <= ty1; ty++)
      for (let tx = tx0; tx <= tx1; tx++) {
        const at = starts + ((<usize>(ty * tilesX + tx)) << 2);
        const place = load<i32>(at);
        store<i32>(entries + ((<usize>place) << 2), t);
        store<i32>(at, place + 1);
      }
  }
  memory.copy(starts + 4, starts, (<usize>tiles) << 2);
  store<i32>(starts, 0);
  store<i32>(starts + ((<usize>tiles) << 2), sum);
  store<i32>(starts + ((<usize>tiles) << 2), sum + wideCount, 4);
}

/** Sets `low` and `high`; false when the triangle is not drawn at all. @param faces 1 front faces only */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function setBox(a: usize, b: usize, c: usize, faces: u8): bool {
  const aw = f(a + 12);
  const bw = f(b + 12);
  const cw = f(c + 12);
  const aIn = f(a + 8) <= aw;
  const bIn = f(b + 8) <= bw;
  const cIn = f(c + 8) <= cw;
  if (!aIn && !bIn && !cIn) return false;
  const ax = f(a);
  const ay = f(a + 4);
  const bx = f(b);
  const by = f(b + 4);
  const cx = f(c);
  const cy = f(c + 4);
  // pixels run downwards, so a triangle that is counter-clockwise in space has a negative determinant
  const det = ax * (by * cw - bw * cy) + ay * (bw * cx - bx * cw) + aw * (bx * cy - by * cx);
  if (!(det < 0) && (!(det > 0) || faces === 1)) return false;
  if (!(aIn && bIn && cIn)) {
    clipBox(a, b, c);
    return true;
  }
  const pa = f64x2.div(f64x2.promote_low_f32x4(v128.load64_zero(a)), f64x2.splat(aw));
  const pb = f64x2.div(f64x2.promote_low_f32x4(v128.load64_zero(b)), f64x2.splat(bw));
  const pc = f64x2.div(f64x2.promote_low_f32x4(v128.load64_zero(c)), f64x2.splat(cw));
  low = f64x2.pmin(f64x2.pmin(pa, pb), pc);
  high = f64x2.pmax(f64x2.pmax(pa, pb), pc);
  return true;
}

/** The box of the part of a triangle that lies beyond the near plane (Z ≤ W). */
function clipBox(a: usize, b: usize, c: usize): void {
  low = f64x2.splat(Infinity);
  high = f64x2.splat(-Infinity);
  clipEdge(a, b);
  clipEdge(b, c);
  clipEdge(c, a);
}

/** Takes in where an edge starts, if that is beyond the plane, and where it crosses it. */
function clipEdge(p: usize, q: usize): void {
  const pxy = f64x2.promote_low_f32x4(v128.load64_zero(p));
  const pw = f(p + 12);
  const dp = pw - f(p + 8);
  const dq = f(q + 12) - f(q + 8);
  if (dp >= 0) takeIn(f64x2.div(pxy, f64x2.splat(pw)));
  if (dp >= 0 === dq >= 0) return;
  const t = dp / (dp - dq);
  const w = pw + (f(q + 12) - pw) * t;
  const qxy = f64x2.promote_low_f32x4(v128.load64_zero(q));
  const between = f64x2.add(pxy, f64x2.mul(f64x2.sub(qxy, pxy), f64x2.splat(t)));
  takeIn(f64x2.div(between, f64x2.splat(w)));
}

function takeIn(place: v128): void {
  low = f64x2.pmin(low, place);
  high = f64x2.pmax(high, place);
}
