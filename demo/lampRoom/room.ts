/** The shell of the lamp room: slabs, wall, sills, posts, lattice windows, ceiling. */
import { randomStream } from '@daxel/core/math/random';
import { Mesh } from '../shapes/mesh';
import { box, place, tube, turned, turnedShape, WORLD, type Frame } from '../shapes/solids';

/** Half the width across flats, metres. */
export const APOTHEM = 2.1;
export const ROOM_HEIGHT = 3.4;
export const SILL = 1.1;
const SIDES = 8;
const HALF_SIDE = APOTHEM * Math.tan(Math.PI / SIDES);

/** The frame of a wall: origin at its foot, `out` pointing into the room. */
export function wallFrame(side: number): Frame {
  const f = turned((side / SIDES) * 2 * Math.PI, APOTHEM);
  return { origin: f.origin, right: [-f.right[0], 0, -f.right[2]], up: f.up, out: [-f.out[0], 0, -f.out[2]] };
}

export function buildFloor(): Mesh {
  const mesh = new Mesh();
  const slab = 0.6;
  const random = randomStream(4);
  const cells = Math.ceil((APOTHEM + 0.1) / slab);
  for (let j = -cells; j < cells; j++) {
    for (let i = -cells; i < cells; i++) {
      const x = (i + 0.5) * slab;
      const z = (j + 0.5) * slab;
      if (Math.hypot(x, z) > APOTHEM * 1.22) continue;
      const lift = (random() - 0.5) * 0.004;
      slabTop(mesh, x, z, slab / 2 - 0.003, lift);
    }
  }
  // mortar below the joints
  const r = APOTHEM * 1.2;
  mesh.quad(
    [
      [-r, -0.007, r],
      [r, -0.007, r],
      [r, -0.007, -r],
      [-r, -0.007, -r],
    ],
    [floorUv(-r, r), floorUv(r, r), floorUv(r, -r), floorUv(-r, -r)],
  );
  return mesh;
}

/** The floor's texture covers 4.4 m, north up. */
function floorUv(x: number, z: number): [number, number] {
  return [x / 4.4 + 0.5, z / 4.4 + 0.5];
}

function slabTop(mesh: Mesh, x: number, z: number, half: number, lift: number): void {
  const bevel = 0.009;
  const inner = half - bevel;
  const ring = (h: number, y: number): number[][] => [
    [x - h, y, z + h],
    [x + h, y, z + h],
    [x + h, y, z - h],
    [x - h, y, z - h],
  ];
  const top = ring(inner, lift);
  const low = ring(half, lift - 0.006);
  mesh.quad(
    top,
    top.map((p) => floorUv(p[0], p[2])),
  );
  for (let k = 0; k < 4; k++) {
    const l = (k + 1) % 4;
    const corners = [low[k], low[l], top[l], top[k]];
    mesh.quad(
      corners,
      corners.map((p) => floorUv(p[0], p[2])),
    );
  }
}

export function buildPlaster(): Mesh {
  const mesh = new Mesh();
  for (let s = 0; s < SIDES; s++) {
    const f = wallFrame(s);
    const w = HALF_SIDE;
    mesh.quad(
      [place(f, -w, 0.12, 0), place(f, w, 0.12, 0), place(f, w, SILL, 0), place(f, -w, SILL, 0)],
      [
        [s * 0.37, 1],
        [s * 0.37 + 1, 1],
        [s * 0.37 + 1, 0],
        [s * 0.37, 0],
      ],
    );
  }
  return mesh;
}

/** Skirting and sills of painted wood. */
export function buildTrim(): Mesh {
  const mesh = new Mesh();
  for (let s = 0; s < SIDES; s++) {
    const f = wallFrame(s);
    box(mesh, f, [0, 0.06, 0], [HALF_SIDE * 2 - 0.02, 0.12, 0.04], 0.006);
    box(mesh, f, [0, SILL + 0.015, 0.02], [HALF_SIDE * 2 + 0.06, 0.035, 0.22], 0.008);
  }
  return mesh;
}

/** Bronze: posts, rails and the crossing bars of the windows. */
export function buildBronze(): Mesh {
  const mesh = new Mesh();
  const bottom = SILL + 0.03;
  const top = ROOM_HEIGHT - 0.3;
  for (let s = 0; s < SIDES; s++) {
    const f = wallFrame(s);
    const w = HALF_SIDE - 0.03;
    for (const y of [bottom + 0.02, (bottom + top) / 2, top]) box(mesh, f, [0, y, -0.03], [w * 2, 0.04, 0.05], 0.005);
    lattice(mesh, f, w, bottom + 0.03, top - 0.02);
    const corner = turned(((s + 0.5) / SIDES) * 2 * Math.PI, APOTHEM / Math.cos(Math.PI / SIDES));
    box(mesh, corner, [0, (bottom + ROOM_HEIGHT) / 2, -0.02], [0.075, ROOM_HEIGHT - bottom, 0.085], 0.012);
  }
  return mesh;
}

/** Bars of 12 mm that cross diagonally and end at the frame. */
function lattice(mesh: Mesh, f: Frame, half: number, y0: number, y1: number): void {
  const pitch = 0.29;
  const height = y1 - y0;
  const steps = Math.ceil((half * 2 + height) / pitch);
  for (const slant of [1, -1]) {
    for (let i = 1; i < steps; i++) {
      // the line x·slant = start + (y − y0), cut to the pane
      const start = -half - height + i * pitch;
      const from = Math.max(0, -half - start);
      const to = Math.min(height, half - start);
      if (to - from < 0.03) continue;
      const z = -0.03 + slant * 0.004;
      const end = (t: number): number[] => place(f, slant * (start + t), y0 + t, z);
      tube(mesh, [end(from), end(to)], 0.006, 8);
    }
  }
}

/** Flat panes just outside the bars. */
export function buildPanes(): Mesh {
  const mesh = new Mesh();
  for (let s = 0; s < SIDES; s++) {
    const f = wallFrame(s);
    const w = HALF_SIDE - 0.04;
    const [y0, y1] = [SILL + 0.05, ROOM_HEIGHT - 0.3];
    mesh.quad([place(f, -w, y0, -0.045), place(f, w, y0, -0.045), place(f, w, y1, -0.045), place(f, -w, y1, -0.045)]);
  }
  return mesh;
}

export function buildCeiling(): Mesh {
  const mesh = new Mesh();
  const corner = (k: number, r: number, y: number): number[] => {
    const a = ((k + 0.5) / SIDES) * 2 * Math.PI;
    return [Math.sin(a) * r, y, Math.cos(a) * r];
  };
  const outer = APOTHEM / Math.cos(Math.PI / SIDES);
  for (let k = 0; k < SIDES; k++) {
    const a = [corner(k - 1, outer, ROOM_HEIGHT - 0.28), corner(k, outer, ROOM_HEIGHT - 0.28)];
    const b = [corner(k - 1, 0.5, ROOM_HEIGHT + 0.45), corner(k, 0.5, ROOM_HEIGHT + 0.45)];
    mesh.quad([a[1], a[0], b[0], b[1]]);
    const apex = mesh.vertex([0, ROOM_HEIGHT + 0.5, 0], [0, -1, 0], 0.5, 0.5);
    const i = mesh.vertex(b[1], [0, -1, 0], 0, 0);
    const j = mesh.vertex(b[0], [0, -1, 0], 1, 0);
    mesh.triangle(apex, i, j);
  }
  return mesh;
}

export function buildRibs(): Mesh {
  const mesh = new Mesh();
  const outer = APOTHEM / Math.cos(Math.PI / SIDES) - 0.03;
  for (let k = 0; k < SIDES; k++) {
    const f = turned(((k + 0.5) / SIDES) * 2 * Math.PI);
    tube(mesh, [place(f, 0, ROOM_HEIGHT - 0.3, outer), place(f, 0, ROOM_HEIGHT + 0.42, 0.48)], 0.028, 10);
  }
  const ring: Frame = { ...WORLD, origin: [0, ROOM_HEIGHT + 0.42, 0] };
  turnedShape(
    mesh,
    ring,
    [
      [0.5, 0.03],
      [0.53, 0],
      [0.5, -0.04],
      [0.44, -0.04],
      [0.44, -0.04],
      [0.44, 0.03],
    ],
    48,
  );
  return mesh;
}
