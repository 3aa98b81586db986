/** The shaft of the tower: a round wall of whitewashed blocks with a door and two deep-set windows, its floor and its head. */
import type { Vec3 } from '../shapes/mesh';
import { Mesh } from '../shapes/mesh';

/** Metres. */
export const RADIUS = 1.3;
export const HEIGHT = 8;
const THICK = 0.5;
/** Of the hatch through which the lantern room's light falls. */
const HATCH = 0.62;
/** Cells of the wall, around and up: openings begin and end with one. */
const AROUND = 144;
const UP = 120;
/** Of the texture, metres: it goes around three times. */
const TILE = (2 * Math.PI * RADIUS) / 3;

/** In cells, from the first to before the last. */
interface Opening {
  from: number;
  to: number;
  low: number;
  high: number;
}

const cellsUp = (metres: number): number => Math.round((metres / HEIGHT) * UP);
const around = (degrees: number): number => Math.round((degrees / 360) * AROUND);

function opening(degrees: number, width: number, low: number, height: number): Opening {
  const cells = Math.round((width / (2 * Math.PI * RADIUS)) * AROUND);
  const from = around(degrees) - Math.floor(cells / 2);
  return { from, to: from + cells, low: cellsUp(low), high: cellsUp(low + height) };
}

export const DOOR_DEGREES = 300;
/** The door goes down to the floor. */
export const OPENINGS: readonly Opening[] = [
  opening(DOOR_DEGREES, 0.95, 0, 2.05),
  opening(75, 0.42, 2.75, 0.75),
  opening(235, 0.42, 5.1, 0.75),
];

export function onCircle(degrees: number, radius: number, y: number): Vec3 {
  const a = (degrees / 180) * Math.PI;
  return [Math.sin(a) * radius, y, Math.cos(a) * radius];
}

const degreesAt = (cell: number): number => (cell / AROUND) * 360;
const heightAt = (cell: number): number => (cell / UP) * HEIGHT;
const wallUv = (cell: number, row: number): [number, number] => [
  (degreesAt(cell) / 360) * 3,
  (HEIGHT - heightAt(row)) / TILE,
];

/** Its inner face, its outer one, which keeps the sun out, and what lies between them at openings and on top. */
export function buildWall(): Mesh {
  const mesh = new Mesh();
  cylinder(mesh, RADIUS, true);
  cylinder(mesh, RADIUS + THICK, false);
  ring(mesh, RADIUS, RADIUS + THICK, HEIGHT, true);
  for (const o of OPENINGS) reveal(mesh, o);
  return mesh;
}

function cylinder(mesh: Mesh, radius: number, inside: boolean): void {
  const index = new Map<number, number>();
  const corner = (i: number, j: number): number => {
    const key = i * (UP + 1) + j;
    let at = index.get(key);
    if (at === undefined) {
      const p = onCircle(degreesAt(i), radius, heightAt(j));
      const out = (inside ? -1 : 1) / radius;
      at = mesh.vertex(p, [p[0] * out, 0, p[2] * out], ...wallUv(i, j));
      index.set(key, at);
    }
    return at;
  };
  const open = (i: number, j: number): boolean =>
    OPENINGS.some((o) => i >= o.from && i < o.to && j >= o.low && j < o.high);
  for (let i = 0; i < AROUND; i++)
    for (let j = 0; j < UP; j++) {
      if (open(i, j)) continue;
      const [a, b, c, d] = [corner(i, j), corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)];
      // seen from inside it goes around the other way
      mesh.triangle(a, ...(inside ? ([c, b] as const) : ([b, c] as const)));
      mesh.triangle(a, ...(inside ? ([d, c] as const) : ([c, d] as const)));
    }
}

/** The sides of an opening, through the wall. */
function reveal(mesh: Mesh, { from, to, low, high }: Opening): void {
  const at = (cell: number, row: number, outside: boolean): number[] => [
    ...onCircle(degreesAt(cell), outside ? RADIUS + THICK : RADIUS, heightAt(row)),
  ];
  const face = (corners: readonly (readonly [number, number, boolean])[]): void =>
    mesh.quad(
      corners.map(([cell, row, outside]) => at(cell, row, outside)),
      corners.map(([cell, row, outside]) => [
        wallUv(cell, row)[0] + (outside ? THICK / TILE : 0),
        wallUv(cell, row)[1],
      ]),
    );
  // jambs, head, and sill or threshold
  face([
    [from, low, true],
    [from, low, false],
    [from, high, false],
    [from, high, true],
  ]);
  face([
    [to, low, false],
    [to, low, true],
    [to, high, true],
    [to, high, false],
  ]);
  const steps = to - from;
  for (let k = 0; k < steps; k++) {
    const [i, n] = [from + k, from + k + 1];
    face([
      [i, high, false],
      [n, high, false],
      [n, high, true],
      [i, high, true],
    ]);
    face([
      [n, low, false],
      [i, low, false],
      [i, low, true],
      [n, low, true],
    ]);
  }
}

/** A flat ring. @param up it is seen from above */
function ring(mesh: Mesh, inner: number, outer: number, y: number, up: boolean): void {
  const steps = 72;
  const uv = (p: Vec3): [number, number] => [p[0] / (2 * RADIUS) + 0.5, p[2] / (2 * RADIUS) + 0.5];
  for (let k = 0; k < steps; k++) {
    const [a, b] = [(k / steps) * 360, ((k + 1) / steps) * 360];
    const [p, q, r, s] = [onCircle(a, outer, y), onCircle(b, outer, y), onCircle(b, inner, y), onCircle(a, inner, y)];
    const corners = up ? [p, q, r, s] : [q, p, s, r];
    mesh.quad(corners, corners.map(uv));
  }
}

export function buildFloor(): Mesh {
  const mesh = new Mesh();
  ring(mesh, 1e-4, RADIUS + 0.02, 0, true);
  return mesh;
}

/** Boards around the hatch, and the rim of it. */
export function buildHead(): Mesh {
  const mesh = new Mesh();
  ring(mesh, HATCH, RADIUS + 0.02, HEIGHT - 0.02, false);
  const steps = 72;
  for (let k = 0; k < steps; k++) {
    const [a, b] = [(k / steps) * 360, ((k + 1) / steps) * 360];
    mesh.quad([
      onCircle(b, HATCH, HEIGHT - 0.02),
      onCircle(a, HATCH, HEIGHT - 0.02),
      onCircle(a, HATCH, HEIGHT + 0.14),
      onCircle(b, HATCH, HEIGHT + 0.14),
    ]);
  }
  return mesh;
}

/** What is seen through the door. */
export function buildGround(): Mesh {
  const mesh = new Mesh();
  const reach = 60;
  mesh.quad([
    [-reach, -0.03, reach],
    [reach, -0.03, reach],
    [reach, -0.03, -reach],
    [-reach, -0.03, -reach],
  ]);
  return mesh;
}
