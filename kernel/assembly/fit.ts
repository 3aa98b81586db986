/**
 * Makes boxes and packets of the hierarchy anew for vertices that moved, from the leaves to the root: every node has a
 * larger number than the one above it. What is close together stays together, so boxes grow as things part: see
 * `structureCost`. `build` knows where everything lies.
 */
import {
  EMPTY_HIGH,
  EMPTY_LOW,
  halfArea,
  LINKS,
  MAX_SIDE,
  NODE,
  nodes,
  order,
  pack,
  partAt,
  partNode,
  partNodes,
  partRoot,
  positions,
  storeBox,
  storePadded,
  table,
  TABLE_NODES,
  triangles,
} from './build';

/** The box that was made last. */
let low: v128 = EMPTY_LOW;
let high: v128 = EMPTY_HIGH;

/** Fits a part. */
export function fitPart(k: i32): void {
  const part = partAt(k);
  const first = partNode(part);
  for (let node = first + partNodes(part) - 1; node >= first; node--) fitNode(node);
  fitNode(partRoot(part));
}

/** Fits what is above the parts, once they are. */
export function fitTop(): void {
  for (let node = load<i32>(table, TABLE_NODES) - 1; node >= 0; node--) fitNode(node);
}

function fitNode(node: i32): void {
  const p = nodes + <usize>node * NODE;
  for (let k: usize = 0; k < 16; k += 4) {
    const link = load<i32>(p + k, LINKS);
    // the root is nobody's child
    if (link == 0) continue;
    if (link < 0) {
      fitLeaf(~link);
      storePadded(p + k, low, high);
    } else {
      unionOf(nodes + <usize>link * NODE);
      storeBox(p + k, low, high);
    }
  }
}

/** Packs the triangles of a leaf anew and makes their box. */
function fitLeaf(code: i32): void {
  const first = (code >> 3) << 2;
  const end = first + (((code & 7) + 1) << 2);
  let least = EMPTY_LOW;
  let most = EMPTY_HIGH;
  for (let place = first; place < end; place++) {
    const number = load<u32>(order + ((<usize>place) << 2));
    if (number == 0xffffffff) continue;
    pack(place, number);
    const t = triangles + <usize>number * 12;
    for (let k: usize = 0; k < 12; k += 4) {
      const corner = v128.load(positions + <usize>load<u32>(t + k) * 12);
      least = f32x4.pmin(least, corner);
      most = f32x4.pmax(most, corner);
    }
  }
  low = least;
  high = most;
}

/** Makes the box of a node's children. */
function unionOf(p: usize): void {
  low = f32x4(leastOf(v128.load(p)), leastOf(v128.load(p, 16)), leastOf(v128.load(p, 32)), 0);
  high = f32x4(
    mostOf(v128.load(p, MAX_SIDE)),
    mostOf(v128.load(p, MAX_SIDE + 16)),
    mostOf(v128.load(p, MAX_SIDE + 32)),
    0,
  );
}

function leastOf(v: v128): f32 {
  const two = f32x4.pmin(v, v128.shuffle<i32>(v, v, 2, 3, 0, 1));
  return min<f32>(f32x4.extract_lane(two, 0), f32x4.extract_lane(two, 1));
}
function mostOf(v: v128): f32 {
  const two = f32x4.pmax(v, v128.shuffle<i32>(v, v, 2, 3, 0, 1));
  return max<f32>(f32x4.extract_lane(two, 0), f32x4.extract_lane(two, 1));
}

/**
 * What a ray through the whole may expect to visit: nodes and packets by the share of its surface that each shows
 * (MacDonald & Booth 1990, Heuristics for Ray Tracing Using Space Subdivision).
 */
export function structureCost(): f64 {
  let sum = costOf(0, load<i32>(table, TABLE_NODES));
  const parts = load<i32>(table);
  for (let k = 0; k < parts; k++) {
    const part = partAt(k);
    sum += costOf(partNode(part), partNodes(part));
  }
  unionOf(nodes);
  const whole = <f64>halfArea(low, high);
  return whole > 0 ? sum / whole : 0;
}

function costOf(first: i32, count: i32): f64 {
  let sum: f64 = 0;
  for (let node = first; node < first + count; node++) {
    const p = nodes + <usize>node * NODE;
    for (let k: usize = 0; k < 16; k += 4) {
      const link = load<i32>(p + k, LINKS);
      if (link == 0) continue;
      const x = <f64>load<f32>(p + k, MAX_SIDE) - <f64>load<f32>(p + k);
      const y = <f64>load<f32>(p + k, MAX_SIDE + 16) - <f64>load<f32>(p + k, 16);
      const z = <f64>load<f32>(p + k, MAX_SIDE + 32) - <f64>load<f32>(p + k, 32);
      sum += (x * y + y * z + z * x) * (link < 0 ? <f64>((~link & 7) + 1) : 1);
    }
  }
  return sum;
}

/** Nodes of the structure. */
export function nodeCount(): i32 {
  let count = load<i32>(table, TABLE_NODES);
  const parts = load<i32>(table);
  for (let k = 0; k < parts; k++) count += partNodes(partAt(k));
  return count;
}
