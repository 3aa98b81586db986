/** Stone treads that wind up the wall around an open well, their handrail and its balusters. */
import { Mesh } from '../shapes/mesh';
import { tube } from '../shapes/solids';
import { onCircle, RADIUS } from './shaft';

export const TREADS = 38;
export const RISE = 0.19;
/** Two turns. */
export const TURN_DEGREES = 720 / TREADS;
/** Where the first begins. */
export const FIRST_DEGREES = 330;
/** Radius of the well. */
const WELL = 0.44;
const STONE = 0.07;
/** Each lies a little under the next. */
const OVERLAP_DEGREES = 2.5;
/** Faces of an arc. */
const FACES = 5;
const RAIL_RADIUS = WELL + 0.07;
const RAIL_HEIGHT = 0.92;

export const treadDegrees = (k: number): number => FIRST_DEGREES + k * TURN_DEGREES;
export const treadTop = (k: number): number => (k + 1) * RISE;

export function buildTreads(): Mesh {
  const mesh = new Mesh();
  for (let k = 0; k < TREADS; k++) tread(mesh, treadDegrees(k), TURN_DEGREES + OVERLAP_DEGREES, treadTop(k));
  return mesh;
}

/** Half of it lies in the wall, out of sight. */
function tread(mesh: Mesh, from: number, turn: number, top: number): void {
  const [inner, outer] = [WELL, RADIUS + 0.03];
  const low = top - STONE;
  const uv = (p: ArrayLike<number>): [number, number] => [p[0] * 0.7 + p[1], p[2] * 0.7];
  const face = (...corners: ArrayLike<number>[]): void => mesh.quad(corners, corners.map(uv));
  for (let i = 0; i < FACES; i++) {
    const [a, b] = [from + (turn * i) / FACES, from + (turn * (i + 1)) / FACES];
    const at = (degrees: number, radius: number, y: number): ArrayLike<number> => onCircle(degrees, radius, y);
    face(at(a, outer, top), at(b, outer, top), at(b, inner, top), at(a, inner, top));
    face(at(b, outer, low), at(a, outer, low), at(a, inner, low), at(b, inner, low));
    face(at(b, inner, low), at(a, inner, low), at(a, inner, top), at(b, inner, top));
  }
  const end = from + turn;
  face(onCircle(from, inner, low), onCircle(from, outer, low), onCircle(from, outer, top), onCircle(from, inner, top));
  face(onCircle(end, outer, low), onCircle(end, inner, low), onCircle(end, inner, top), onCircle(end, outer, top));
}

export function buildRail(): Mesh {
  const mesh = new Mesh();
  const middle = (k: number): number => treadDegrees(k) + TURN_DEGREES / 2;
  const path = Array.from({ length: (TREADS - 1) * 8 + 1 }, (_, i) => {
    const k = i / 8;
    return [...onCircle(middle(k), RAIL_RADIUS, treadTop(k) + RAIL_HEIGHT)];
  });
  tube(mesh, path, 0.02, 12, true);
  for (let k = 0; k < TREADS; k++) {
    const foot = onCircle(middle(k), RAIL_RADIUS, treadTop(k) - 0.01);
    tube(mesh, [[...foot], [foot[0], treadTop(k) + RAIL_HEIGHT, foot[2]]], k % 8 === 0 ? 0.014 : 0.008, 10);
  }
  return mesh;
}
