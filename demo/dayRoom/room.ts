/** The shell of the day room: boards, limewashed walls, beams, a deep window on the left, a door behind the camera. */
import { randomStream } from '@daxel/core/math/random';
import type { Vec3 } from '../shapes/mesh';
import { Mesh } from '../shapes/mesh';
import { box, turnedShape, WORLD, type Frame } from '../shapes/solids';

/** Metres; the left wall is at −X, the back wall at −Z, the camera looks from +Z. */
export const ROOM = { left: -2, right: 2, back: -1.9, front: 2.4, height: 2.6 } as const;
const THICK = 0.4;
export const WINDOW = { from: -1.5, to: 0.5, sill: 0.74, head: 2.28 } as const;
/** Of the limewash. */
const TILE = 2.4;

type Range = readonly [number, number];

/** A block between two planes along each axis, its picture laid on by its place in the room. */
function block(mesh: Mesh, x: Range, y: Range, z: Range): void {
  const face = (axis: 0 | 1 | 2, ...corners: Vec3[]): void =>
    mesh.quad(
      corners,
      corners.map((p) => [(axis === 0 ? p[2] : p[0]) / TILE, (axis === 1 ? p[2] : -p[1]) / TILE]),
    );
  const [[l, r], [d, u], [b, f]] = [x, y, z];
  face(0, [r, d, f], [r, d, b], [r, u, b], [r, u, f]);
  face(0, [l, d, b], [l, d, f], [l, u, f], [l, u, b]);
  face(1, [l, u, f], [r, u, f], [r, u, b], [l, u, b]);
  face(1, [l, d, b], [r, d, b], [r, d, f], [l, d, f]);
  face(2, [l, d, f], [r, d, f], [r, u, f], [l, u, f]);
  face(2, [r, d, b], [l, d, b], [l, u, b], [r, u, b]);
}

export function buildWalls(): Mesh {
  const mesh = new Mesh();
  const { left, right, back, front, height } = ROOM;
  const up: Range = [-0.2, height + 0.2];
  const wall: Range = [left - THICK, left];
  block(mesh, [left - THICK, right + THICK], up, [back - THICK, back]);
  block(mesh, [left - THICK, right + THICK], up, [front, front + THICK]);
  block(mesh, [right, right + THICK], up, [back, front]);
  // under the boards
  block(mesh, [left - THICK, right + THICK], [-0.4, -0.008], [back - THICK, front + THICK]);
  block(mesh, wall, up, [WINDOW.to, front]);
  block(mesh, wall, up, [back, WINDOW.from]);
  block(mesh, wall, [up[0], WINDOW.sill], [WINDOW.from, WINDOW.to]);
  block(mesh, wall, [WINDOW.head, up[1]], [WINDOW.from, WINDOW.to]);
  return mesh;
}

/** Boards above, on beams that run to the back wall. */
export function buildCeiling(): Mesh {
  const mesh = new Mesh();
  const { left, right, back, front, height } = ROOM;
  box(mesh, WORLD, [0, height + 0.1, (back + front) / 2], [right - left + 0.4, 0.2, front - back + 0.4]);
  for (let i = -2; i <= 2; i++)
    box(mesh, WORLD, [i * 0.86, height - 0.07, (back + front) / 2], [0.13, 0.14, front - back], 0.008);
  return mesh;
}

/** Boards that run to the back wall, each with its own piece of the picture, rounded along their edges. */
export function buildFloor(): Mesh {
  const mesh = new Mesh();
  const random = randomStream(31);
  const wide = 0.145;
  const { left, right, back, front } = ROOM;
  for (let x = left; x < right; x += wide) {
    const ends = [back - 0.02, back + 0.9 + random() * 2.2, front + 0.02];
    for (let k = 0; k < 2; k++) {
      const shift = [random(), random()];
      const lift = (random() - 0.5) * 0.0016;
      board(mesh, [x + 0.001, Math.min(x + wide, right) - 0.001], [ends[k] + 0.001, ends[k + 1] - 0.001], lift, shift);
    }
  }
  return mesh;
}

function board(mesh: Mesh, [l, r]: Range, [b, f]: Range, lift: number, shift: readonly number[]): void {
  const bevel = 0.004;
  const uv = (p: ArrayLike<number>): [number, number] => [p[2] / 1.6 + shift[0], p[0] / 0.8 + shift[1]];
  const ring = (inset: number, y: number): number[][] => [
    [l + inset, y, f - inset],
    [r - inset, y, f - inset],
    [r - inset, y, b + inset],
    [l + inset, y, b + inset],
  ];
  const [top, low] = [ring(bevel, lift), ring(0, lift - bevel)];
  mesh.quad(top, top.map(uv));
  for (let k = 0; k < 4; k++) {
    const corners = [low[k], low[(k + 1) % 4], top[(k + 1) % 4], top[k]];
    mesh.quad(corners, corners.map(uv));
  }
}

/** Skirting, the window's frame with its bars and sill board, and the door's frame. */
export function buildJoinery(): Mesh {
  const mesh = new Mesh();
  const { left, right, back, front } = ROOM;
  const skirting = [0.13, 0.018] as const;
  box(mesh, WORLD, [0, skirting[0] / 2, back + 0.009], [right - left, skirting[0], skirting[1]], 0.006);
  for (const [x, side] of [
    [left, 1],
    [right, -1],
  ] as const)
    box(
      mesh,
      WORLD,
      [x + side * 0.009, skirting[0] / 2, (back + front) / 2],
      [skirting[1], skirting[0], front - back],
      0.006,
    );
  const { from, to, sill, head } = WINDOW;
  const middle = (from + to) / 2;
  const [long, high] = [to - from, head - sill];
  // the glass lies towards the outside, so that the sill is deep
  const x = left - THICK + 0.1;
  box(mesh, WORLD, [left - 0.14, sill - 0.012, middle], [0.38, 0.034, long - 0.004], 0.01);
  for (const z of [from + 0.03, to - 0.03]) box(mesh, WORLD, [x, sill + high / 2, z], [0.07, high, 0.06], 0.006);
  for (const y of [sill + 0.035, head - 0.03]) box(mesh, WORLD, [x, y, middle], [0.07, 0.06, long], 0.006);
  box(mesh, WORLD, [x, sill + high / 2, middle], [0.075, high, 0.07], 0.008);
  for (const share of [0.25, 0.75])
    box(mesh, WORLD, [x, sill + high / 2, from + long * share], [0.035, high, 0.024], 0.004);
  for (const share of [1 / 3, 2 / 3]) box(mesh, WORLD, [x, sill + high * share, middle], [0.035, 0.024, long], 0.004);
  return mesh;
}

export function buildPanes(): Mesh {
  const mesh = new Mesh();
  const x = ROOM.left - THICK + 0.1;
  const { from, to, sill, head } = WINDOW;
  mesh.quad([
    [x, sill, to],
    [x, sill, from],
    [x, head, from],
    [x, head, to],
  ]);
  return mesh;
}

/** Behind the camera: the mirror sees it. */
export function buildDoor(): { boards: Mesh; knob: Mesh } {
  const [boards, knob] = [new Mesh(), new Mesh()];
  const z = ROOM.front - 0.03;
  for (let k = 0; k < 6; k++) box(boards, WORLD, [-0.9 + k * 0.15, 1, z], [0.146, 2, 0.04], 0.006);
  for (const y of [0.35, 1.7]) box(boards, WORLD, [-0.525, y, z - 0.03], [0.86, 0.11, 0.02], 0.004);
  const f: Frame = { origin: [-0.18, 1, z - 0.02], right: [1, 0, 0], up: [0, 0, -1], out: [0, 1, 0] };
  turnedShape(
    knob,
    f,
    [
      [1e-4, 0.06],
      [0.02, 0.055],
      [0.026, 0.042],
      [0.018, 0.028],
      [0.01, 0.02],
      [0.01, 0.006],
      [0.026, 0],
    ],
    24,
  );
  return { boards, knob };
}

/** What is seen through the window. */
export function buildOutside(): { sea: Mesh; shore: Mesh } {
  const [sea, shore] = [new Mesh(), new Mesh()];
  const reach = 3000;
  const corner = (x: number, z: number, y: number): number[] => [x, y, z];
  sea.quad(
    [corner(-reach, reach, -9), corner(reach, reach, -9), corner(reach, -reach, -9), corner(-reach, -reach, -9)],
    [
      [0, reach / 30],
      [reach / 30, reach / 30],
      [reach / 30, 0],
      [0, 0],
    ],
  );
  const random = randomStream(8);
  for (let k = 0; k < 14; k++) {
    const [x, z] = [-420 - 160 * random(), -520 + 60 * k];
    const [r, h] = [30 + 60 * random(), 10 + 16 * random()];
    turnedShape(
      shore,
      { ...WORLD, origin: [x, -10, z] },
      Array.from({ length: 9 }, (_, i): [number, number] => {
        const t = i / 8;
        return [Math.max(0.5, r * t), h * (1 - t * t) * (1 - 0.12 * Math.sin(t * 9 + k))];
      }),
      20,
    );
  }
  return { sea, shore };
}
