/**
 * Sorts the triangles of one chunk into the tiles of the picture that they may touch.
 *
 * A chunk is CHUNK_TRIANGLES consecutive triangles and owns one stretch of the bin arrays, so chunks run on any thread
 * and tiles read them in order. Triangles that span many tiles go into the chunk's *wide* list, which every tile reads.
 *
 * starts: per chunk (tiles + 2) numbers: where each tile's entries start, the start of the wide list, its end
 * entries: per chunk CHUNK_ENTRIES triangle numbers
 * boxes: per triangle x0, y0, x1, y1 in pixels, both ends inclusive
 */

export const CHUNK_TRIANGLES = 4096;
const WIDE_TILES = 8;
export const CHUNK_ENTRIES = CHUNK_TRIANGLES * (WIDE_TILES + 1);
/** Pixel boxes are kept as 16-bit numbers. */
const BOX_LIMIT = 32000;

export interface BinTarget {
  width: number;
  height: number;
  tileShift: number;
  tilesX: number;
  tilesY: number;
  starts: Int32Array;
  entries: Int32Array;
  boxes: Int16Array;
}

/** How a triangle takes part: 0 not at all, 1 front face only, 2 both faces. */
export type FaceRule = Uint8Array;

const tileRange = new Uint8Array(CHUNK_TRIANGLES * 4);
const TILE_NONE = 255;

/**
 * The plain twin of the compiled loop.
 * @param clip X Y Z W per vertex
 * @param rule face rule per material
 * @param reach how far sample positions may lie from the pixel centre, pixels
 */
export function binChunk(
  chunk: number,
  clip: Float32Array,
  triangles: Uint32Array,
  triangleMaterial: Uint16Array,
  rule: FaceRule,
  reach: number,
  target: BinTarget,
): void {
  const { width, height, tileShift, tilesX, tilesY, starts, entries, boxes } = target;
  const first = chunk * CHUNK_TRIANGLES;
  const end = Math.min(first + CHUNK_TRIANGLES, triangleMaterial.length);
  const tiles = tilesX * tilesY;
  const startsAt = chunk * (tiles + 2);
  const entriesAt = chunk * CHUNK_ENTRIES;
  starts.fill(0, startsAt, startsAt + tiles + 2);
  let wideCount = 0;

  for (let t = first; t < end; t++) {
    const r = (t - first) * 4;
    tileRange[r] = TILE_NONE;
    const faces = rule[triangleMaterial[t]];
    if (faces === 0) continue;
    const a = triangles[t * 3] * 4;
    const b = triangles[t * 3 + 1] * 4;
    const c = triangles[t * 3 + 2] * 4;
    const aw = clip[a + 3];
    const bw = clip[b + 3];
    const cw = clip[c + 3];
    const aIn = clip[a + 2] <= aw;
    const bIn = clip[b + 2] <= bw;
    const cIn = clip[c + 2] <= cw;
    if (!aIn && !bIn && !cIn) continue;
    const ax = clip[a];
    const ay = clip[a + 1];
    const bx = clip[b];
    const by = clip[b + 1];
    const cx = clip[c];
    const cy = clip[c + 1];
    // pixels run downwards, so a triangle that is counter-clockwise in space has a negative determinant
    const det = ax * (by * cw - bw * cy) + ay * (bw * cx - bx * cw) + aw * (bx * cy - by * cx);
    if (det === 0 || (det > 0 && faces === 1) || det !== det) continue;

    let x0: number;
    let y0: number;
    let x1: number;
    let y1: number;
    if (aIn && bIn && cIn) {
      const pax = ax / aw;
      const pbx = bx / bw;
      const pcx = cx / cw;
      const pay = ay / aw;
      const pby = by / bw;
      const pcy = cy / cw;
      x0 = pax < pbx ? (pax < pcx ? pax : pcx) : pbx < pcx ? pbx : pcx;
      x1 = pax > pbx ? (pax > pcx ? pax : pcx) : pbx > pcx ? pbx : pcx;
      y0 = pay < pby ? (pay < pcy ? pay : pcy) : pby < pcy ? pby : pcy;
      y1 = pay > pby ? (pay > pcy ? pay : pcy) : pby > pcy ? pby : pcy;
    } else {
      clippedBox(clip, a, b, c);
      [x0, y0, x1, y1] = boxOut;
    }
    const px0 = Math.max(0, Math.ceil(x0 - 0.5 - reach));
    const py0 = Math.max(0, Math.ceil(y0 - 0.5 - reach));
    const px1 = Math.min(width - 1, BOX_LIMIT, Math.floor(x1 - 0.5 + reach));
    const py1 = Math.min(height - 1, BOX_LIMIT, Math.floor(y1 - 0.5 + reach));
    if (!(px0 <= px1 && py0 <= py1)) continue;
    boxes[t * 4] = px0;
    boxes[t * 4 + 1] = py0;
    boxes[t * 4 + 2] = px1;
    boxes[t * 4 + 3] = py1;
    const tx0 = px0 >> tileShift;
    const ty0 = py0 >> tileShift;
    const tx1 = px1 >> tileShift;
    const ty1 = py1 >> tileShift;
    tileRange[r] = tx0;
    tileRange[r + 1] = ty0;
    tileRange[r + 2] = tx1;
    tileRange[r + 3] = ty1;
    if ((tx1 - tx0 + 1) * (ty1 - ty0 + 1) > WIDE_TILES) {
      wideCount++;
      continue;
    }
    for (let ty = ty0; ty <= ty1; ty++) for (let tx = tx0; tx <= tx1; tx++) starts[startsAt + ty * tilesX + tx]++;
  }

  // counts become starts; filling then moves each start to its end, and a last shift brings the starts back
  let sum = 0;
  for (let i = 0; i < tiles; i++) {
    const count = starts[startsAt + i];
    starts[startsAt + i] = sum;
    sum += count;
  }
  let wide = sum;
  for (let t = first; t < end; t++) {
    const r = (t - first) * 4;
    const tx0 = tileRange[r];
    if (tx0 === TILE_NONE) continue;
    const ty0 = tileRange[r + 1];
    const tx1 = tileRange[r + 2];
    const ty1 = tileRange[r + 3];
    if ((tx1 - tx0 + 1) * (ty1 - ty0 + 1) > WIDE_TILES) {
      entries[entriesAt + wide++] = t;
      continue;
    }
    for (let ty = ty0; ty <= ty1; ty++)
      for (let tx = tx0; tx <= tx1; tx++) entries[entriesAt + starts[startsAt + ty * tilesX + tx]++] = t;
  }
  for (let i = tiles; i > 0; i--) starts[startsAt + i] = starts[startsAt + i - 1];
  starts[startsAt] = 0;
  starts[startsAt + tiles] = sum;
  starts[startsAt + tiles + 1] = sum + wideCount;
}

/** How many triangles of so many chunks are in the lists of a tile alone. */
export function countBinned({ starts, tilesX, tilesY }: BinTarget, chunks: number, tile: number): number {
  const step = tilesX * tilesY + 2;
  let count = 0;
  for (let at = tile; at < chunks * step; at += step) count += starts[at + 1] - starts[at];
  return count;
}

const boxOut = [0, 0, 0, 0];

/** Pixel box of the part of a triangle that lies beyond the near plane (Z ≤ W). */
function clippedBox(clip: Float32Array, a: number, b: number, c: number): void {
  let x0 = Infinity;
  let y0 = Infinity;
  let x1 = -Infinity;
  let y1 = -Infinity;
  const corners = [a, b, c];
  for (let i = 0; i < 3; i++) {
    const p = corners[i];
    const q = corners[(i + 1) % 3];
    const dp = clip[p + 3] - clip[p + 2];
    const dq = clip[q + 3] - clip[q + 2];
    const points: [number, number, number][] = [];
    if (dp >= 0) points.push([clip[p], clip[p + 1], clip[p + 3]]);
    if (dp >= 0 !== dq >= 0) {
      const t = dp / (dp - dq);
      points.push([
        clip[p] + (clip[q] - clip[p]) * t,
        clip[p + 1] + (clip[q + 1] - clip[p + 1]) * t,
        clip[p + 3] + (clip[q + 3] - clip[p + 3]) * t,
      ]);
    }
    for (const [X, Y, W] of points) {
      const x = X / W;
      const y = Y / W;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
    }
  }
  boxOut[0] = x0;
  boxOut[1] = y0;
  boxOut[2] = x1;
  boxOut[3] = y1;
}
