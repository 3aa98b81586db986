/** Sorting the triangles of a chunk into the tiles that they may touch: core/raster/binTriangles, to the bit. */
import { f } from './scenery';

const WIDE_TILES: i32 = 8;
const BOX_LIMIT: f64 = 32000;
/** First number of the box of a triangle that is in no list. */
const NOT_TAKEN: i32 = -1;

let boxX0: f64 = 0;
let boxY0: f64 = 0;
let boxX1: f64 = 0;
let boxY1: f64 = 0;

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
  memory.fill(starts, 0, <usize>(tiles + 2) << 2);
  const right = min<f64>(<f64>(width - 1), BOX_LIMIT);
  const bottom = min<f64>(<f64>(height - 1), BOX_LIMIT);
  let wideCount = 0;
  for (let t = first; t < end; t++) {
    const box = boxes + (<usize>t << 3);
    store<i16>(box, <i16>NOT_TAKEN);
    const faces = load<u8>(rules + <usize>load<u16>(materials + (<usize>t << 1)));
    if (faces === 0) continue;
    const corner = corners + <usize>t * 12;
    const a = clip + (<usize>load<u32>(corner) << 4);
    const b = clip + (<usize>load<u32>(corner, 4) << 4);
    const c = clip + (<usize>load<u32>(corner, 8) << 4);
    if (!setBox(a, b, c, faces)) continue;
    const x0 = max<f64>(0, ceil<f64>(boxX0 - 0.5 - reach));
    const y0 = max<f64>(0, ceil<f64>(boxY0 - 0.5 - reach));
    const x1 = min<f64>(right, floor<f64>(boxX1 - 0.5 + reach));
    const y1 = min<f64>(bottom, floor<f64>(boxY1 - 0.5 + reach));
    if (!(x0 <= x1 && y0 <= y1)) continue;
    const px0 = <i32>x0;
    const py0 = <i32>y0;
    const px1 = <i32>x1;
    const py1 = <i32>y1;
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
        const at = starts + (<usize>(ty * tilesX + tx) << 2);
        store<i32>(at, load<i32>(at) + 1);
      }
  }

  // counts become starts; filling then moves each start to its end, and a last shift brings the starts back
  let sum = 0;
  for (let i = 0; i < tiles; i++) {
    const at = starts + (<usize>i << 2);
    const count = load<i32>(at);
    store<i32>(at, sum);
    sum += count;
  }
  let wide = sum;
  for (let t = first; t < end; t++) {
    const box = boxes + (<usize>t << 3);
    const px0 = <i32>load<i16>(box);
    if (px0 === NOT_TAKEN) continue;
    const tx0 = px0 >> shift;
    const ty0 = <i32>load<i16>(box, 2) >> shift;
    const tx1 = <i32>load<i16>(box, 4) >> shift;
    const ty1 = <i32>load<i16>(box, 6) >> shift;
    if ((tx1 - tx0 + 1) * (ty1 - ty0 + 1) > WIDE_TILES) {
      store<i32>(entries + (<usize>wide << 2), t);
      wide++;
      continue;
    }
    for (let ty = ty0; ty <= ty1; ty++)
      for (let tx = tx0; tx <= tx1; tx++) {
        const at = starts + (<usize>(ty * tilesX + tx) << 2);
        const place = load<i32>(at);
        store<i32>(entries + (<usize>place << 2), t);
        store<i32>(at, place + 1);
      }
  }
  memory.copy(starts + 4, starts, <usize>tiles << 2);
  store<i32>(starts, 0);
  store<i32>(starts + (<usize>tiles << 2), sum);
  store<i32>(starts + (<usize>tiles << 2), sum + wideCount, 4);
}

/** Where a triangle lies in the picture, pixels; false when it is not drawn at all. @param faces 1 front faces only */
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
  const pax = ax / aw;
  const pbx = bx / bw;
  const pcx = cx / cw;
  const pay = ay / aw;
  const pby = by / bw;
  const pcy = cy / cw;
  boxX0 = min(min(pax, pbx), pcx);
  boxX1 = max(max(pax, pbx), pcx);
  boxY0 = min(min(pay, pby), pcy);
  boxY1 = max(max(pay, pby), pcy);
  return true;
}

/** The box of the part of a triangle that lies beyond the near plane (Z ≤ W). */
function clipBox(a: usize, b: usize, c: usize): void {
  boxX0 = Infinity;
  boxY0 = Infinity;
  boxX1 = -Infinity;
  boxY1 = -Infinity;
  clipEdge(a, b);
  clipEdge(b, c);
  clipEdge(c, a);
}

/** Takes in where an edge starts, if that is beyond the plane, and where it crosses it. */
function clipEdge(p: usize, q: usize): void {
  const px = f(p);
  const py = f(p + 4);
  const pw = f(p + 12);
  const dp = pw - f(p + 8);
  const dq = f(q + 12) - f(q + 8);
  if (dp >= 0) takeIn(px / pw, py / pw);
  if (dp >= 0 === dq >= 0) return;
  const t = dp / (dp - dq);
  const w = pw + (f(q + 12) - pw) * t;
  takeIn((px + (f(q) - px) * t) / w, (py + (f(q + 4) - py) * t) / w);
}

function takeIn(x: f64, y: f64): void {
  if (x < boxX0) boxX0 = x;
  if (x > boxX1) boxX1 = x;
  if (y < boxY0) boxY0 = y;
  if (y > boxY1) boxY1 = y;
}
