/** The box around a scene: where methods that fill space have their probes or voxels. */
import { transformPoint, type Mat4 } from '../math/mat4';
import {
  INSTANCE_FIRST_VERTEX,
  INSTANCE_NODE,
  INSTANCE_STRIDE,
  INSTANCE_VERTEX_COUNT,
  type CompiledScene,
} from '../scene/compiled';

export type Vec = readonly [number, number, number];
export interface Box {
  min: Vec;
  max: Vec;
}

/** A number an axis. */
export const three = (f: (axis: number) => number): Vec => [f(0), f(1), f(2)];
export const sizeOf = ({ min, max }: Box): Vec => three((c) => max[c] - min[c]);
export const longest = (box: Box): number => Math.max(...sizeOf(box));

/** Things are left out of the box when it is this many times as long with them. */
const ODD = 3;
/** What is left must be what cameras look at: one of them stands no farther off than so many times its length. */
const NEAR = 5;

/**
 * The box around a scene, without what is far larger than all of the rest: a sea around a rock, the ground under a house.
 * There the surroundings answer.
 * @param world matrix of every node
 */
export function sceneBox(scene: CompiledScene, world: readonly Mat4[]): Box {
  const { bounds, cameras } = scene.meta;
  const things = instanceBoxes(scene, world)
    // what has no corner has no box
    .filter((box) => longest(box) >= 0)
    .sort((a, b) => longest(b) - longest(a));
  // boxes around all, all but the largest, all but the two largest, …
  const boxes = things.slice();
  for (let left = boxes.length - 2; left >= 0; left--) boxes[left] = both(boxes[left], boxes[left + 1]);
  let [best, most] = [boxes[0], ODD];
  for (let left = 1; 2 * left <= things.length; left++) {
    const shrinks = longest(boxes[left - 1]) / longest(boxes[left]);
    if (!(shrinks > most)) continue;
    const looksAt = ({ node }: { node: number }): boolean =>
      Math.hypot(...three((c) => world[node][12 + c] - (boxes[left].min[c] + boxes[left].max[c]) / 2)) <=
      NEAR * longest(boxes[left]);
    if (cameras.length > 0 && !cameras.some(looksAt)) continue;
    [best, most] = [boxes[left], shrinks];
  }
  if (best === boxes[0]) return bounds;
  // what is near them lights them, and is lit by them
  const grown = sizeOf(best).map((s) => s / 4);
  return {
    min: three((c) => Math.max(bounds.min[c], best.min[c] - grown[c])),
    max: three((c) => Math.min(bounds.max[c], best.max[c] + grown[c])),
  };
}

/** Around each instance in the world; of what has no corner anything. */
function instanceBoxes(scene: CompiledScene, world: readonly Mat4[]): Box[] {
  const { instances } = scene;
  return boxesOf(scene).map(({ min, max }, i): Box => {
    const m = world[instances[i * INSTANCE_STRIDE + INSTANCE_NODE]];
    const middle = transformPoint(
      m,
      three((c) => (min[c] + max[c]) / 2),
    );
    const half = three((c) => (max[c] - min[c]) / 2);
    const reach = three((c) => Math.abs(m[c]) * half[0] + Math.abs(m[4 + c]) * half[1] + Math.abs(m[8 + c]) * half[2]);
    return { min: three((c) => middle[c] - reach[c]), max: three((c) => middle[c] + reach[c]) };
  });
}

/** They are looked for once a scene, vertex by vertex. */
const known = new WeakMap<CompiledScene, Box[]>();

/** Of each instance in its object's space. */
function boxesOf(scene: CompiledScene): Box[] {
  const found = known.get(scene);
  if (found) return found;
  const { instances, positions } = scene;
  const boxes: Box[] = [];
  for (let i = 0; i < instances.length; i += INSTANCE_STRIDE) {
    const from = instances[i + INSTANCE_FIRST_VERTEX] * 3;
    const to = from + instances[i + INSTANCE_VERTEX_COUNT] * 3;
    const min: [number, number, number] = [Infinity, Infinity, Infinity];
    const max: [number, number, number] = [-Infinity, -Infinity, -Infinity];
    for (let v = from; v < to; v++) {
      const c = (v - from) % 3;
      if (positions[v] < min[c]) min[c] = positions[v];
      if (positions[v] > max[c]) max[c] = positions[v];
    }
    boxes.push({ min, max });
  }
  known.set(scene, boxes);
  return boxes;
}

/** The box around two. */
function both(a: Box, b: Box): Box {
  return { min: three((c) => Math.min(a.min[c], b.min[c])), max: three((c) => Math.max(a.max[c], b.max[c])) };
}
