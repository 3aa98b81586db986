/**
 * Bounding volume hierarchy over world-space triangles, built by the binned surface-area heuristic
 * (Wald 2007, On Fast Construction of SAH-based Bounding Volume Hierarchies).
 *
 * Layout, all in arrays handed in so that threads share them:
 *   boxes     12 numbers an inner node: min xyz, max xyz of its left child, then of its right child
 *   children   2 numbers an inner node: ≥ 0 another inner node; < 0 a leaf, −1 − (first · 8 + count − 1)
 *   order      triangle number per leaf place; the places of one leaf are consecutive
 *   corners    9 numbers a leaf place: the three corners in world space, so that a ray reads memory in one run
 * Node 0 is the root and always exists. The result depends on the triangles alone.
 */

export interface BvhArrays {
  bvhBoxes: Float32Array;
  bvhChildren: Int32Array;
  bvhOrder: Uint32Array;
  bvhCorners: Float32Array;
}

const BINS = 16;
const LEAF = 4;
/** Price of a step to a child box in triangle tests. */
const STEP_COST = 1.2;
/** Below so many levels ranges are halved, so that the depth stays within the stack of a ray. */
const DEEP = 64;

/** Inner nodes that so many triangles can need at most. */
export function bvhNodeLimit(triangles: number): number {
  return Math.max(1, triangles);
}

const binBoxes = new Float64Array(BINS * 6);
const binCounts = new Int32Array(BINS);
const rightArea = new Float64Array(BINS);
const rightCount = new Int32Array(BINS);
const box = new Float64Array(6);

/** Fills the arrays. @param positions xyz per vertex, world space @returns number of inner nodes */
export function buildBvh(positions: Float32Array, triangles: Uint32Array, out: BvhArrays): number {
  const count = triangles.length / 3;
  const { bvhOrder: order } = out;
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
  const nodes = split(count, bounds, centres, out);
  for (let i = 0; i < count; i++) {
    for (let corner = 0; corner < 3; corner++) {
      const v = triangles[order[i] * 3 + corner] * 3;
      for (let k = 0; k < 3; k++) out.bvhCorners[i * 9 + corner * 3 + k] = positions[v + k];
    }
  }
  return nodes;
}

/** Splits ranges of `order` from the root down with a list of what is left to do. */
function split(count: number, bounds: Float32Array, centres: Float32Array, out: BvhArrays): number {
  const { bvhBoxes: boxes, bvhChildren: children, bvhOrder: order } = out;
  boxes.fill(0, 0, 12);
  // an empty box is never entered
  boxes.set([1, 1, 1, -1, -1, -1, 1, 1, 1, -1, -1, -1]);
  children[0] = children[1] = -1;
  if (count === 0) return 1;
  let nodes = 1;
  const todo: number[] = [0, 0, 0, count];
  while (todo.length > 0) {
    const to = todo.pop()!;
    const from = todo.pop()!;
    const depth = todo.pop()!;
    const node = todo.pop()!;
    const middle = to - from <= 1 ? to : divide(from, to, bounds, centres, order, depth > DEEP);
    for (let side = 0; side < 2; side++) {
      const a = side === 0 ? from : middle;
      const b = side === 0 ? middle : to;
      if (a === b) continue;
      rangeBox(a, b, bounds, order);
      for (let k = 0; k < 6; k++) boxes[node * 12 + side * 6 + k] = box[k];
      if (b - a <= LEAF) {
        children[node * 2 + side] = -1 - (a * 8 + (b - a - 1));
      } else {
        children[node * 2 + side] = nodes;
        boxes.set([1, 1, 1, -1, -1, -1, 1, 1, 1, -1, -1, -1], nodes * 12);
        children[nodes * 2] = children[nodes * 2 + 1] = -1;
        todo.push(nodes, depth + 1, a, b);
        nodes++;
      }
    }
  }
  return nodes;
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
  return a > from && a < to ? a : half;
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
    if (count === 0 || rightCount[b] === 0) continue;
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
