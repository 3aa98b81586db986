/**
 * Builds the hierarchy that `rays` goes through: binned surface-area heuristic (Wald 2007, On Fast Construction of
 * SAH-based Bounding Volume Hierarchies), the largest child split until a node has four (Wald, Benthin & Boulos 2008,
 * Getting Rid of Packets). The layout of the memory is described in core/trace/bvhLayout.ts.
 */

const BINS: i32 = 16;
/** Triangles of the largest leaf: three packets, which cost less than another node before them. */
const LEAF: i32 = 12;
/** Below so many levels ranges are halved, so that the depth stays within the stack of a ray. */
const DEEP: i32 = 32;
/** Bytes of a triangle at work: its box, with its number in the fourth lane of the lower corner. */
const RECORD: usize = 32;
/** Set in that number, so that it is no denormal: arithmetic on those is slow. */
const NUMBER_BIT: u32 = 0x40000000;
/** Bytes of a bin: box and count. */
const BIN: usize = 48;
/** Bytes of a range of records: box, from, to. */
const RANGE: usize = 48;
/** Bytes of a node to do: node, from, to, depth. */
const TASK: usize = 16;
/** A share of a box's distance from the origin by which it is widened: 32 bits round its planes. */
const WIDEN: f32 = 2.3841858e-7;
export const NODE: usize = 128;
const PACKET: usize = 144;
export const MAX_SIDE: usize = 48;
export const LINKS: usize = 96;
/** A node that has no such child is never entered there. */
export const EMPTY_LOW = f32x4.splat(Infinity);
export const EMPTY_HIGH = f32x4.splat(-Infinity);

/**
 * Ranges longer than this share of all triangles are split by one thread, which is the first; what they are split into
 * is built by several, but ranges so short that they are not worth a thread's coming. The structure is the same
 * whoever builds it.
 */
const PART_MOST: i32 = 3;
const PART_LEAST: i32 = 64;
/** So many triangles are no work for more than one. */
const ALONE: i32 = 4096;

/** The table of parts, 32-bit words: how many, nodes above them, packets there; then the parts, eight words each. */
export const TABLE_NODES: usize = 4;
const TABLE_PACKETS: usize = 8;
const PARTS: usize = 16;
const PART: usize = 32;
const PART_ROOT: usize = 0;
const PART_FROM: usize = 4;
const PART_TO: usize = 8;
const PART_DEPTH: usize = 12;
/** The nodes below its root, and where its packets begin. */
const PART_NODE: usize = 16;
const PART_NODES: usize = 20;
const PART_PACKET: usize = 24;

export let positions: usize = 0;
export let triangles: usize = 0;
let triangleMaterial: usize = 0;
let records: usize = 0;
let bins: usize = 0;
let sweep: usize = 0;
let ranges: usize = 0;
let tasks: usize = 0;
export let nodes: usize = 0;
let packets: usize = 0;
export let order: usize = 0;
let materials: usize = 0;
export let table: usize = 0;

let nodesUsed: i32 = 0;
let packetsUsed: i32 = 0;
/** What the thread that splits leaves to others: ranges within these bounds. */
let partLeast: i32 = 0;
let partMost: i32 = 0;
/** Boxes of the two parts of the last split. */
let leftLow: v128 = f32x4.splat(0);
let leftHigh: v128 = f32x4.splat(0);
let rightLow: v128 = f32x4.splat(0);
let rightHigh: v128 = f32x4.splat(0);

/**
 * @param positions_ xyz per vertex; four bytes behind the last are read
 * @param triangles_ three vertex numbers each
 * @param triangleMaterial_ 16 bits each
 * @param records_ 32 bytes a triangle
 * @param scratch 12 kB of this thread's own
 * @param nodes_, packets_, order_, materials_ the structure: see core/trace/bvhLayout
 * @param table_ PARTS_BYTES: see core/trace/bvhBuilder
 */
export function bindStructure(
  positions_: usize,
  triangles_: usize,
  triangleMaterial_: usize,
  records_: usize,
  scratch: usize,
  nodes_: usize,
  packets_: usize,
  order_: usize,
  materials_: usize,
  table_: usize,
): void {
  positions = positions_;
  triangles = triangles_;
  triangleMaterial = triangleMaterial_;
  records = records_;
  bins = scratch;
  sweep = bins + <usize>(3 * BINS) * BIN;
  ranges = sweep + 256;
  tasks = ranges + 4 * RANGE;
  nodes = nodes_;
  packets = packets_;
  order = order_;
  materials = materials_;
  table = table_;
}

/** Writes the records of triangles. */
export function measureTriangles(from: i32, to: i32): void {
  const third = i32x4(-1, -1, -1, 0);
  for (let i = from; i < to; i++) {
    const t = triangles + <usize>i * 12;
    const a = v128.load(positions + <usize>load<u32>(t) * 12);
    const b = v128.load(positions + <usize>load<u32>(t, 4) * 12);
    const c = v128.load(positions + <usize>load<u32>(t, 8) * 12);
    const low = v128.and(f32x4.pmin(f32x4.pmin(a, b), c), third);
    const high = v128.and(f32x4.pmax(f32x4.pmax(a, b), c), third);
    const at = records + <usize>i * RECORD;
    v128.store(at, low);
    store<u32>(at, (<u32>i) | NUMBER_BIT, 12);
    v128.store(at, high, 16);
  }
}

/** Address of a part in the table. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function partAt(k: i32): usize {
  return table + PARTS + <usize>k * PART;
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function partRoot(part: usize): i32 {
  return load<i32>(part, PART_ROOT);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function partNode(part: usize): i32 {
  return load<i32>(part, PART_NODE);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function partNodes(part: usize): i32 {
  return load<i32>(part, PART_NODES);
}

/** Builds what is above the parts, and lists them. @param count triangles, all of them measured */
export function growTop(count: i32): void {
  store<i32>(table, 0);
  partMost = count > ALONE ? count / PART_MOST : 0;
  partLeast = count / PART_LEAST + 1;
  nodesUsed = 1;
  packetsUsed = 0;
  grow(0, 0, count, 0);
  store<i32>(table, nodesUsed, TABLE_NODES);
  store<i32>(table, packetsUsed, TABLE_PACKETS);
  // leaves have two triangles or more: a part has at most half as many leaves, and a node less below its root
  let node = nodesUsed;
  let packet = packetsUsed;
  for (let k = 0; k < load<i32>(table); k++) {
    const part = partAt(k);
    const half = (load<i32>(part, PART_TO) - load<i32>(part, PART_FROM)) >> 1;
    store<i32>(part, node, PART_NODE);
    store<i32>(part, packet, PART_PACKET);
    node += half - 1;
    packet += half;
  }
}

/** Builds a part. */
export function growPart(k: i32): void {
  const part = partAt(k);
  partMost = 0;
  nodesUsed = partNode(part);
  packetsUsed = load<i32>(part, PART_PACKET);
  grow(partRoot(part), load<i32>(part, PART_FROM), load<i32>(part, PART_TO), load<i32>(part, PART_DEPTH));
  store<i32>(part, nodesUsed - partNode(part), PART_NODES);
}

/** Builds a node and what is below it, but for parts. @param from, to its records */
function grow(root: i32, from: i32, to: i32, rootDepth: i32): void {
  let top = tasks;
  task(top, root, from, to, rootDepth);
  top += TASK;
  while (top > tasks) {
    top -= TASK;
    const depth = load<i32>(top, 12);
    const parts = divide(load<i32>(top, 4), load<i32>(top, 8), depth > DEEP);
    const p = nodes + <usize>load<i32>(top) * NODE;
    for (let k = 0; k < 4; k++) {
      const at = p + ((<usize>k) << 2);
      const r = ranges + <usize>k * RANGE;
      if (k >= parts) {
        storeBox(at, EMPTY_LOW, EMPTY_HIGH);
        store<i32>(at, 0, LINKS);
        continue;
      }
      storePadded(at, v128.load(r), v128.load(r, 16));
      const a = load<i32>(r, 32);
      const b = load<i32>(r, 36);
      if (b - a <= LEAF) {
        store<i32>(at, leaf(a, b), LINKS);
        continue;
      }
      store<i32>(at, nodesUsed, LINKS);
      if (b - a <= partMost && b - a >= partLeast) {
        const listed = load<i32>(table);
        task(partAt(listed), nodesUsed, a, b, depth + 1);
        store<i32>(table, listed + 1);
      } else {
        task(top, nodesUsed, a, b, depth + 1);
        top += TASK;
      }
      nodesUsed++;
    }
  }
}

/** Divides a range into up to four, the largest in turn, and leaves them in `ranges`. @returns how many */
function divide(from: i32, to: i32, halve: bool): i32 {
  store<i32>(ranges, from, 32);
  store<i32>(ranges, to, 36);
  if (from == to) return 0;
  // one part alone has no box yet
  if (to - from <= LEAF) {
    boxOf(from, to);
    v128.store(ranges, leftLow);
    v128.store(ranges, leftHigh, 16);
    return 1;
  }
  let parts = 1;
  while (parts < 4) {
    let chosen: usize = 0;
    let largest: f32 = -1;
    for (let k = 0; k < parts; k++) {
      const r = ranges + <usize>k * RANGE;
      if (sizeOf(r) <= LEAF) continue;
      const area = parts == 1 ? <f32>1 : halfArea(v128.load(r), v128.load(r, 16));
      if (area > largest || chosen == 0) {
        largest = area;
        chosen = r;
      }
    }
    if (chosen == 0) break;
    const end = load<i32>(chosen, 36);
    const middle = split(load<i32>(chosen, 32), end, halve);
    const other = ranges + <usize>parts * RANGE;
    v128.store(chosen, leftLow);
    v128.store(chosen, leftHigh, 16);
    store<i32>(chosen, middle, 36);
    v128.store(other, rightLow);
    v128.store(other, rightHigh, 16);
    store<i32>(other, middle, 32);
    store<i32>(other, end, 36);
    parts++;
  }
  return parts;
}

/** Writes a node to do, or what of a part is known at first. */
function task(at: usize, node: i32, from: i32, to: i32, depth: i32): void {
  store<i32>(at, node);
  store<i32>(at, from, 4);
  store<i32>(at, to, 8);
  store<i32>(at, depth, 12);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function sizeOf(range: usize): i32 {
  return load<i32>(range, 36) - load<i32>(range, 32);
}

export function halfArea(low: v128, high: v128): f32 {
  const d = f32x4.sub(high, low);
  const x = f32x4.extract_lane(d, 0);
  const y = f32x4.extract_lane(d, 1);
  const z = f32x4.extract_lane(d, 2);
  return x >= 0 ? x * y + y * z + z * x : 0;
}

/** Writes a box, widened by what rounding may take from it. */
export function storePadded(at: usize, low: v128, high: v128): void {
  const pad = f32x4.mul(f32x4.pmax(f32x4.abs(low), f32x4.abs(high)), f32x4.splat(WIDEN));
  storeBox(at, f32x4.sub(low, pad), f32x4.add(high, pad));
}

/** Writes the corners of a triangle to its place. */
export function pack(place: i32, number: u32): void {
  const at = packets + <usize>(place >> 2) * PACKET + ((<usize>(place & 3)) << 2);
  const t = triangles + <usize>number * 12;
  for (let corner = 0; corner < 3; corner++) {
    const v = positions + <usize>load<u32>(t + ((<usize>corner) << 2)) * 12;
    for (let k = 0; k < 3; k++) store<f32>(at + ((<usize>(corner * 3 + k)) << 4), load<f32>(v + ((<usize>k) << 2)));
  }
}

/** Writes a box into one lane of a node's planes. */
export function storeBox(at: usize, a: v128, b: v128): void {
  store<f32>(at, f32x4.extract_lane(a, 0));
  store<f32>(at, f32x4.extract_lane(a, 1), 16);
  store<f32>(at, f32x4.extract_lane(a, 2), 32);
  store<f32>(at, f32x4.extract_lane(b, 0), MAX_SIDE);
  store<f32>(at, f32x4.extract_lane(b, 1), MAX_SIDE + 16);
  store<f32>(at, f32x4.extract_lane(b, 2), MAX_SIDE + 32);
}

/** Packs the triangles of a leaf. @returns the link to it */
function leaf(from: i32, to: i32): i32 {
  const first = packetsUsed;
  const count = (to - from + 3) >> 2;
  packetsUsed += count;
  for (let i = 0; i < count << 2; i++) {
    const place = (first << 2) + i;
    if (from + i >= to) {
      const at = packets + <usize>(place >> 2) * PACKET + ((<usize>(place & 3)) << 2);
      // no comparison with such a corner holds
      for (let k = 0; k < 9; k++) store<f32>(at + ((<usize>k) << 4), NaN);
      store<u32>(order + ((<usize>place) << 2), 0xffffffff);
      store<u32>(materials + ((<usize>place) << 2), 0);
      continue;
    }
    const number = load<u32>(records + <usize>(from + i) * RECORD, 12) & ~NUMBER_BIT;
    store<u32>(order + ((<usize>place) << 2), number);
    pack(place, number);
    store<u32>(materials + ((<usize>place) << 2), load<u16>(triangleMaterial + ((<usize>number) << 1)));
  }
  return ~((first << 3) | (count - 1));
}

/** Box of a range of records into `leftLow`, `leftHigh`. */
function boxOf(from: i32, to: i32): void {
  let low = EMPTY_LOW;
  let high = EMPTY_HIGH;
  for (let i = from; i < to; i++) {
    const at = records + <usize>i * RECORD;
    low = f32x4.pmin(low, v128.load(at));
    high = f32x4.pmax(high, v128.load(at, 16));
  }
  leftLow = low;
  leftHigh = high;
}

/** Puts the left part of a range first and leaves the boxes of both parts. @returns where the right part begins */
function split(from: i32, to: i32, halve: bool): i32 {
  if (halve) return halves(from, to);
  let low = EMPTY_LOW;
  let high = EMPTY_HIGH;
  for (let i = from; i < to; i++) {
    const at = records + <usize>i * RECORD;
    const c = f32x4.add(v128.load(at), v128.load(at, 16));
    low = f32x4.pmin(low, c);
    high = f32x4.pmax(high, c);
  }
  const extent = f32x4.sub(high, low);
  const scale = v128.and(f32x4.div(f32x4.splat(<f32>BINS), extent), f32x4.gt(extent, f32x4.splat(0)));
  for (let b = 0; b < 3 * BINS; b++) {
    const at = bins + <usize>b * BIN;
    v128.store(at, EMPTY_LOW);
    v128.store(at, EMPTY_HIGH, 16);
    store<i32>(at, 0, 32);
  }
  const last = i32x4.splat(BINS - 1);
  for (let i = from; i < to; i++) {
    const at = records + <usize>i * RECORD;
    const a = v128.load(at);
    const b = v128.load(at, 16);
    const bin = i32x4.min_s(i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.sub(f32x4.add(a, b), low), scale)), last);
    take(bins + <usize>i32x4.extract_lane(bin, 0) * BIN, a, b);
    take(bins + <usize>(BINS + i32x4.extract_lane(bin, 1)) * BIN, a, b);
    take(bins + <usize>(2 * BINS + i32x4.extract_lane(bin, 2)) * BIN, a, b);
  }
  let best: f32 = Infinity;
  let bestAxis = -1;
  let bestBin = 0;
  for (let axis = 0; axis < 3; axis++) {
    const base = bins + <usize>(axis * BINS) * BIN;
    let boxLow = EMPTY_LOW;
    let boxHigh = EMPTY_HIGH;
    let n = 0;
    for (let b = BINS - 1; b > 0; b--) {
      const at = base + <usize>b * BIN;
      n += load<i32>(at, 32);
      boxLow = f32x4.pmin(boxLow, v128.load(at));
      boxHigh = f32x4.pmax(boxHigh, v128.load(at, 16));
      store<f32>(sweep + ((<usize>b) << 3), halfArea(boxLow, boxHigh));
      store<i32>(sweep + ((<usize>b) << 3), n, 4);
    }
    boxLow = EMPTY_LOW;
    boxHigh = EMPTY_HIGH;
    n = 0;
    for (let b = 0; b < BINS - 1; b++) {
      const at = base + <usize>b * BIN;
      n += load<i32>(at, 32);
      boxLow = f32x4.pmin(boxLow, v128.load(at));
      boxHigh = f32x4.pmax(boxHigh, v128.load(at, 16));
      const right = sweep + ((<usize>(b + 1)) << 3);
      const others = load<i32>(right, 4);
      // a part of one would make packets that the memory does not hold
      if (n < 2 || others < 2) continue;
      const cost = halfArea(boxLow, boxHigh) * <f32>((n + 3) >> 2) + load<f32>(right) * <f32>((others + 3) >> 2);
      if (cost < best) {
        best = cost;
        bestAxis = axis;
        bestBin = b;
      }
    }
  }
  if (bestAxis < 0) return halves(from, to);
  const base = bins + <usize>(bestAxis * BINS) * BIN;
  leftLow = rightLow = EMPTY_LOW;
  leftHigh = rightHigh = EMPTY_HIGH;
  for (let b = 0; b < BINS; b++) {
    const at = base + <usize>b * BIN;
    if (b <= bestBin) {
      leftLow = f32x4.pmin(leftLow, v128.load(at));
      leftHigh = f32x4.pmax(leftHigh, v128.load(at, 16));
    } else {
      rightLow = f32x4.pmin(rightLow, v128.load(at));
      rightHigh = f32x4.pmax(rightHigh, v128.load(at, 16));
    }
  }
  const axis = (<usize>bestAxis) << 2;
  const lowest = laneOf(low, bestAxis);
  const perBin = laneOf(scale, bestAxis);
  let a = from;
  let b = to - 1;
  while (a <= b) {
    const at = records + <usize>a * RECORD;
    const bin = <i32>((load<f32>(at + axis) + load<f32>(at + axis, 16) - lowest) * perBin);
    if (min(bin, BINS - 1) <= bestBin) {
      a++;
      continue;
    }
    const other = records + <usize>b * RECORD;
    const p = v128.load(at);
    const q = v128.load(at, 16);
    v128.store(at, v128.load(other));
    v128.store(at, v128.load(other, 16), 16);
    v128.store(other, p);
    v128.store(other, q, 16);
    b--;
  }
  return a;
}

function halves(from: i32, to: i32): i32 {
  const middle = (from + to) >> 1;
  boxOf(middle, to);
  rightLow = leftLow;
  rightHigh = leftHigh;
  boxOf(from, middle);
  return middle;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function take(bin: usize, low: v128, high: v128): void {
  v128.store(bin, f32x4.pmin(v128.load(bin), low));
  v128.store(bin, f32x4.pmax(v128.load(bin, 16), high), 16);
  store<i32>(bin, load<i32>(bin, 32) + 1, 32);
}

function laneOf(v: v128, lane: i32): f32 {
  if (lane == 0) return f32x4.extract_lane(v, 0);
  if (lane == 1) return f32x4.extract_lane(v, 1);
  return f32x4.extract_lane(v, 2);
}
