/**
 * Bounding volume hierarchy over world-space triangles: a binary one by the binned surface-area heuristic
 * (Wald 2007, On Fast Construction of SAH-based Bounding Volume Hierarchies), folded into four children a node
 * (Wald, Benthin & Boulos 2008, Getting Rid of Packets). The plain twin of kernel/assembly/build; the result depends on
 * the triangles alone. See `bvhLayout` for where everything lies.
 */
import { LINK_WORDS, NODE_WORDS, PACKET_WORDS, type BvhArrays } from './bvhLayout';

const BINS = 16;
/** Triangles of the largest leaf: one packet. */
const LEAF = 4;
/** Price of a step to a child box in triangle tests. */
const STEP_COST = 1.2;
/** Below so many levels ranges are halved, so that the depth stays within the stack of a ray. */
const DEEP = 32;

/** The binary hierarchy: 12 numbers a node for the boxes of both children, and two links; < 0 is a leaf, −1 − (first · 8 + count − 1). */
interface Binary {
  boxes: Float32Array;
  links: Int32Array;
}

const binBoxes = new Float64Array(BINS * 6);
const binCounts = new Int32Array(BINS);
const rightArea = new Float64Array(BINS);
const rightCount = new Int32Array(BINS);
const box = new Float64Array(6);

/** Fills the arrays. @param positions xyz per vertex, world space @returns number of nodes */
export function buildBvh(positions: Float32Array, triangles: Uint32Array, out: BvhArrays): number {
  const count = triangles.length / 3;
  const order = new Uint32Array(count);
  const bounds = new Float32Array(count * 6);
  const centres = new Float32Array(count * 3);
  for (let t = 0; t < count; t++) {
    order[t] = t;
    const a = triangles[t * 3] * 3;
    const b = triangles[t * 3 + 1] * 3;
    const c = triangles[t * 3 + 2] * 3;
    for (let k = 0; k < 3; k++) {
      const [p, q, r] = [positions[a + k], positions[b + k], positions[c + k]];
      const low = p < q ? (p < r ? p : r) : q < r ? q : r;
      const high = p > q ? (p > r ? p : r) : q > r ? q : r;
      bounds[t * 6 + k] = low;
      bounds[t * 6 + 3 + k] = high;
      centres[t * 3 + k] = (low + high) * 0.5;
    }
  }
  const nodes = Math.max(1, count);
  const binary = { boxes: new Float32Array(nodes * 12), links: new Int32Array(nodes * 2) };
  split(count, bounds, centres, order, binary);
  return fold(binary, order, positions, triangles, out);
}

/** Splits ranges of `order` from the root down with a list of what is left to do. */
function split(count: number, bounds: Float32Array, centres: Float32Array, order: Uint32Array, out: Binary): void {
  const { boxes, links } = out;
  links[0] = links[1] = NO_CHILD;
  if (count === 0) return;
  let nodes = 1;
  const todo: number[] = [0, 0, 0, count];
  while (todo.length > 0) {
    const to = todo.pop()!;
    const from = todo.pop()!;
    const depth = todo.pop()!;
    const node = todo.pop()!;
    // few enough for one leaf: only the root of a small scene
    const middle = to - from <= LEAF ? to : divide(from, to, bounds, centres, order, depth > DEEP);
    for (let side = 0; side < 2; side++) {
      const a = side === 0 ? from : middle;
      const b = side === 0 ? middle : to;
      if (a === b) continue;
      rangeBox(a, b, bounds, order);
      for (let k = 0; k < 6; k++) boxes[node * 12 + side * 6 + k] = box[k];
      if (b - a <= LEAF) {
        links[node * 2 + side] = -1 - (a * 8 + (b - a - 1));
      } else {
        links[node * 2 + side] = nodes;
        links[nodes * 2] = links[nodes * 2 + 1] = NO_CHILD;
        todo.push(nodes, depth + 1, a, b);
        nodes++;
      }
    }
  }
}

const NO_CHILD = -(2 ** 31);
/** A share of a box's distance from the origin by which it is widened: 32 bits round its planes. */
const WIDEN = 2 ** -22;

/** From two children a node to four, and from ranges of `order` to packets. */
function fold(
  from: Binary,
  order: Uint32Array,
  positions: Float32Array,
  triangles: Uint32Array,
  out: BvhArrays,
): number {
  const { bvhNodes, bvhLinks } = out;
  let nodes = 1;
  let packets = 0;
  const todo: number[] = [0, 0];
  while (todo.length > 0) {
    const node = todo.pop()!;
    const binary = todo.pop()!;
    const children = [binary * 2, binary * 2 + 1].filter((c) => from.links[c] !== NO_CHILD);
    while (children.length < 4) {
      const inner = children.filter((c) => from.links[c] >= 0);
      if (inner.length === 0) break;
      const widest = inner.reduce((a, b) => (areaOf(from.boxes, b) > areaOf(from.boxes, a) ? b : a));
      const link = from.links[widest];
      children.splice(children.indexOf(widest), 1, link * 2, link * 2 + 1);
    }
    const at = node * NODE_WORDS;
    for (let k = 0; k < 4; k++) {
      const c = children[k];
      for (let axis = 0; axis < 3; axis++) {
        const low = c === undefined ? Infinity : from.boxes[c * 6 + axis];
        const high = c === undefined ? -Infinity : from.boxes[c * 6 + 3 + axis];
        const pad = c === undefined ? 0 : Math.max(Math.abs(low), Math.abs(high)) * WIDEN;
        bvhNodes[at + axis * 4 + k] = low - pad;
        bvhNodes[at + 12 + axis * 4 + k] = high + pad;
      }
      const link = c === undefined ? 0 : from.links[c];
      if (link >= 0) {
        bvhLinks[at + LINK_WORDS + k] = c === undefined ? 0 : nodes;
        if (c !== undefined) todo.push(link, nodes++);
        continue;
      }
      const code = -1 - link;
      bvhLinks[at + LINK_WORDS + k] = ~(packets * 8);
      packTriangles(order.subarray(code >> 3, (code >> 3) + (code & 7) + 1), packets++, positions, triangles, out);
    }
  }
  return nodes;
}

function areaOf(boxes: Float32Array, child: number): number {
  const b = child * 6;
  const [x, y, z] = [boxes[b + 3] - boxes[b], boxes[b + 4] - boxes[b + 1], boxes[b + 5] - boxes[b + 2]];
  return x * y + y * z + z * x;
}

/** Writes up to four triangles into a packet. */
function packTriangles(
  numbers: Uint32Array,
  packet: number,
  positions: Float32Array,
  triangles: Uint32Array,
  { bvhPackets, bvhOrder }: BvhArrays,
): void {
  const at = packet * PACKET_WORDS;
  for (let lane = 0; lane < 4; lane++) {
    const t = lane < numbers.length ? numbers[lane] : -1;
    bvhOrder[packet * 4 + lane] = t;
    for (let corner = 0; corner < 3; corner++) {
      const v = t < 0 ? -1 : triangles[t * 3 + corner] * 3;
      // no comparison with a corner that is no number holds
      for (let k = 0; k < 3; k++) bvhPackets[at + (corner * 3 + k) * 4 + lane] = v < 0 ? NaN : positions[v + k];
    }
  }
}

function rangeBox(from: number, to: number, bounds: Float32Array, order: Uint32Array): void {
  let [x0, y0, z0, x1, y1, z1] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = from; i < to; i++) {
    const t = order[i] * 6;
    if (bounds[t] < x0) x0 = bounds[t];
    if (bounds[t + 1] < y0) y0 = bounds[t + 1];
    if (bounds[t + 2] < z0) z0 = bounds[t + 2];
    if (bounds[t + 3] > x1) x1 = bounds[t + 3];
    if (bounds[t + 4] > y1) y1 = bounds[t + 4];
    if (bounds[t + 5] > z1) z1 = bounds[t + 5];
  }
  box[0] = x0;
  box[1] = y0;
  box[2] = z0;
  box[3] = x1;
  box[4] = y1;
  box[5] = z1;
}

/** Orders a range so that its left part comes first. @returns where the right part begins */
function divide(
  from: number,
  to: number,
  bounds: Float32Array,
  centres: Float32Array,
  order: Uint32Array,
  halve: boolean,
): number {
  const half = (from + to) >> 1;
  if (halve) return half;
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = from; i < to; i++) {
    const t = order[i] * 3;
    for (let k = 0; k < 3; k++) {
      const c = centres[t + k];
      if (c < low[k]) low[k] = c;
      if (c > high[k]) high[k] = c;
    }
  }
  let bestAxis = -1;
  let bestBin = 0;
  let best = Infinity;
  for (let axis = 0; axis < 3; axis++) {
    const extent = high[axis] - low[axis];
    if (!(extent > 0)) continue;
    const cost = bestSplit(axis, low[axis], BINS / extent, from, to, bounds, centres, order);
    if (cost.value < best) {
      best = cost.value;
      bestAxis = axis;
      bestBin = cost.bin;
    }
  }
  // all centres in one place: any halves are as good
  if (bestAxis < 0) return half;
  const scale = BINS / (high[bestAxis] - low[bestAxis]);
  let a = from;
  let b = to - 1;
  while (a <= b) {
    if (binOf(centres[order[a] * 3 + bestAxis], low[bestAxis], scale) <= bestBin) a++;
    else {
      const swap = order[a];
      order[a] = order[b];
      order[b] = swap;
      b--;
    }
  }
  return a;
}

function binOf(centre: number, low: number, scale: number): number {
  const b = ((centre - low) * scale) | 0;
  return b < BINS ? b : BINS - 1;
}

const found = { value: 0, bin: 0 };

function bestSplit(
  axis: number,
  low: number,
  scale: number,
  from: number,
  to: number,
  bounds: Float32Array,
  centres: Float32Array,
  order: Uint32Array,
): { value: number; bin: number } {
  binCounts.fill(0);
  for (let b = 0; b < BINS; b++) {
    binBoxes.fill(Infinity, b * 6, b * 6 + 3);
    binBoxes.fill(-Infinity, b * 6 + 3, b * 6 + 6);
  }
  for (let i = from; i < to; i++) {
    const t = order[i];
    const b = binOf(centres[t * 3 + axis], low, scale);
    binCounts[b]++;
    take(b * 6, bounds, t * 6);
  }
  emptyBox();
  let count = 0;
  for (let b = BINS - 1; b > 0; b--) {
    count += binCounts[b];
    grow(box, 0, binBoxes, b * 6);
    rightCount[b - 1] = count;
    rightArea[b - 1] = halfArea();
  }
  emptyBox();
  count = 0;
  found.value = Infinity;
  for (let b = 0; b < BINS - 1; b++) {
    count += binCounts[b];
    grow(box, 0, binBoxes, b * 6);
    // a part of one would need packets that the memory does not hold
    if (count < 2 || rightCount[b] < 2) continue;
    const value = halfArea() * (count + STEP_COST) + rightArea[b] * (rightCount[b] + STEP_COST);
    if (value < found.value) {
      found.value = value;
      found.bin = b;
    }
  }
  return found;
}

function emptyBox(): void {
  box.fill(Infinity, 0, 3);
  box.fill(-Infinity, 3, 6);
}

function halfArea(): number {
  const x = box[3] - box[0];
  const y = box[4] - box[1];
  const z = box[5] - box[2];
  return x >= 0 ? x * y + y * z + z * x : 0;
}

/** `grow` of a bin by a triangle: apart, since one function over two kinds of arrays is slow. */
function take(i: number, b: Float32Array, j: number): void {
  const a = binBoxes;
  if (b[j] < a[i]) a[i] = b[j];
  if (b[j + 1] < a[i + 1]) a[i + 1] = b[j + 1];
  if (b[j + 2] < a[i + 2]) a[i + 2] = b[j + 2];
  if (b[j + 3] > a[i + 3]) a[i + 3] = b[j + 3];
  if (b[j + 4] > a[i + 4]) a[i + 4] = b[j + 4];
  if (b[j + 5] > a[i + 5]) a[i + 5] = b[j + 5];
}

function grow(a: Float64Array, i: number, b: Float64Array, j: number): void {
  if (b[j] < a[i]) a[i] = b[j];
  if (b[j + 1] < a[i + 1]) a[i + 1] = b[j + 1];
  if (b[j + 2] < a[i + 2]) a[i + 2] = b[j + 2];
  if (b[j + 3] > a[i + 3]) a[i + 3] = b[j + 3];
  if (b[j + 4] > a[i + 4]) a[i + 4] = b[j + 4];
  if (b[j + 5] > a[i + 5]) a[i + 5] = b[j + 5];
}
