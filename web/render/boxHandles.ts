/** Handles of a box that a method fills, on the picture: where they lie, and what moving them means. */
import { type Handle, type LightHandles, type PictureSpace, type Point } from './handles';

type Three = readonly [number, number, number];

/** In the world, metres. */
export interface PlacedBox {
  middle: Three;
  /** How far it reaches along x, y, z. */
  size: Three;
}

/** Of the middle to a corner: a sign an axis. */
const CORNERS: readonly Three[] = Array.from({ length: 8 }, (_, i) => [i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1]);
const LEAST = 0.1;
const MOST = 10_000;

const cornerOf = ({ middle, size }: PlacedBox, signs: Three): number[] =>
  middle.map((m, c) => m + (signs[c] * size[c]) / 2);
const round = (x: number): number => Number(x.toFixed(3));
const three = (f: (axis: number) => number): Three => [f(0), f(1), f(2)];

/** Handles stay so far inside the picture, as a share of it: what lies outside can be taken by the hand all the same. */
const BORDER = 0.04;
const within = (x: number, size: number): number => Math.min((1 - BORDER) * size, Math.max(BORDER * size, x));

/** Its edges, a handle in its middle, and one on the corner that lies farthest up and right in the picture. */
export function boxHandles(box: PlacedBox, space: PictureSpace): LightHandles {
  const outline: Point[][] = [];
  CORNERS.forEach((signs, i) => {
    for (const bit of [1, 2, 4]) {
      if (i & bit) continue;
      const ends = [cornerOf(box, signs), cornerOf(box, CORNERS[i | bit])].map((p) => space.project(p)?.at);
      if (ends.every((p) => p !== undefined)) outline.push(ends);
    }
  });
  const atHand = ({ x, y }: Point): Point => ({
    x: within(x, space.width),
    y: within(y, space.height),
  });
  // what lies behind the eye comes before it
  const middle = space.project(box.middle) ?? {
    at: { x: space.width / 2, y: space.height / 2 },
    depth: Math.max(...box.size),
  };
  const handles: Handle[] = [{ part: 'position', at: atHand(middle.at), depth: middle.depth }];
  const corners = CORNERS.flatMap((signs) => space.project(cornerOf(box, signs)) ?? []);
  // of those that are seen, if any is
  const seen = corners.filter(({ at }) => at.x === atHand(at).x && at.y === atHand(at).y);
  const [corner] = [...(seen.length > 0 ? seen : corners)].sort((a, b) => b.at.x - b.at.y - (a.at.x - a.at.y));
  if (corner) handles.push({ part: 'size', at: atHand(corner.at), depth: corner.depth });
  return { handles, outline };
}

/**
 * What a box becomes when one of its handles is dragged to a place of the picture. Its size keeps its proportions.
 * @param along the hand moves along the view axis instead: up is farther, by a hundredth of the depth a pixel
 */
export function dragBox(box: PlacedBox, handle: Handle, to: Point, space: PictureSpace, along = false): PlacedBox {
  const depth = along ? Math.max(0.05, handle.depth * (1 + (handle.at.y - to.y) * 0.01)) : handle.depth;
  if (handle.part === 'position') {
    const p = space.unproject(along ? handle.at : to, depth);
    return { ...box, middle: three((c) => round(Math.min(MOST, Math.max(-MOST, p[c])))) };
  }
  const middle = space.project(box.middle)?.at;
  const before = middle ? Math.hypot(handle.at.x - middle.x, handle.at.y - middle.y) : 0;
  if (!middle || !(before > 0)) return box;
  const grows = Math.hypot(to.x - middle.x, to.y - middle.y) / before;
  return { ...box, size: three((c) => round(Math.min(MOST, Math.max(LEAST, box.size[c] * grows)))) };
}
