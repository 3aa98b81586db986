/** Boxes full of probes: how many stand in one, and where. */
import { BadInputError } from '../../errors';
import { transformPoint, type Mat4 } from '../../math/mat4';
import {
  INSTANCE_FIRST_VERTEX,
  INSTANCE_NODE,
  INSTANCE_STRIDE,
  INSTANCE_VERTEX_COUNT,
  type CompiledScene,
} from '../../scene/compiled';

export type Vec = readonly [number, number, number];
export interface Box {
  min: Vec;
  max: Vec;
}

/** Probes on a grid: the first half a step inside each side, the others a step apart. */
export interface ProbeBox extends Box {
  /** Probes along x, y, z. */
  counts: Vec;
  /** Metres from one to the next along x, y, z. */
  step: Vec;
  /** Number of its first probe. */
  first: number;
}

/** More than this are refused: a gigabyte of light, and hours to bake. */
export const MOST_PROBES = 100_000;
/** Probes that a scene gets of itself, about, at most. */
const PROPOSED = 1500;
/** A side shorter than this share of the spacing would have its probes in the surface itself. */
const FLAT = 0.25;

const three = (f: (axis: number) => number): Vec => [f(0), f(1), f(2)];
const sizeOf = ({ min, max }: Box): Vec => three((c) => max[c] - min[c]);
const longest = (box: Box): number => Math.max(...sizeOf(box));

/**
 * Fills a box. What is flat is filled above and below.
 * @param spacing metres; the steps are the nearest that divide the box evenly @param first number of its first probe
 * @throws BadInputError where the box has no size, or there would be too many
 */
export function fillBox(box: Box, spacing: number, first: number): ProbeBox {
  if (!(spacing > 0) || !(longest(box) > 0))
    throw new BadInputError('The box of the probes has no size: nothing stands in it.');
  const half = three((c) => (sizeOf(box)[c] < FLAT * spacing ? spacing : sizeOf(box)[c] / 2));
  const middle = three((c) => (box.min[c] + box.max[c]) / 2);
  const counts = three((c) => Math.max(1, Math.round((2 * half[c]) / spacing)));
  const all = first + counts[0] * counts[1] * counts[2];
  if (!(all <= MOST_PROBES))
    throw new BadInputError(
      `A spacing of ${spacing} m asks for ${all.toLocaleString('en')} probes, and ${MOST_PROBES.toLocaleString('en')} are the most. Raise bounce.probeSpacing or bounce.fineSpacing, or make the fine box smaller.`,
    );
  return {
    min: three((c) => middle[c] - half[c]),
    max: three((c) => middle[c] + half[c]),
    counts,
    step: three((c) => (2 * half[c]) / counts[c]),
    first,
  };
}

export function probesIn({ counts }: ProbeBox): number {
  return counts[0] * counts[1] * counts[2];
}

/** Spacings that one would type, fine to coarse. */
const SPACINGS = [0.001, 0.01, 0.1, 1, 10, 100, 1000].flatMap((decade) => [1, 2, 2.5, 5].map((s) => s * decade));

/** The finest of the usual spacings that fills a box with no more than about a thousand probes. */
export function proposeSpacing(box: Box): number {
  const size = sizeOf(box);
  const fits = (spacing: number): boolean => size.reduce((n, s) => n * Math.max(2, s / spacing), 1) <= PROPOSED;
  return SPACINGS.find(fits) ?? longest(box);
}

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
  const things = thingsOf(scene, world);
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

/** Around each thing in the world, the largest first. */
function thingsOf(scene: CompiledScene, world: readonly Mat4[]): Box[] {
  const { instances } = scene;
  return (
    boxesOf(scene)
      .map(({ min, max }, i): Box => {
        const m = world[instances[i * INSTANCE_STRIDE + INSTANCE_NODE]];
        const middle = transformPoint(
          m,
          three((c) => (min[c] + max[c]) / 2),
        );
        const half = three((c) => (max[c] - min[c]) / 2);
        const reach = three(
          (c) => Math.abs(m[c]) * half[0] + Math.abs(m[4 + c]) * half[1] + Math.abs(m[8 + c]) * half[2],
        );
        return { min: three((c) => middle[c] - reach[c]), max: three((c) => middle[c] + reach[c]) };
      })
      // what has no corner has no box
      .filter((box) => longest(box) >= 0)
      .sort((a, b) => longest(b) - longest(a))
  );
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
