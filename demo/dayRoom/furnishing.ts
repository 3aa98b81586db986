/** What stands and hangs about the table: mirror, panel, plant on its stool, telescope, hanging lamp, rug, shelf. */
import { randomStream } from '@daxel/core/math/random';
import { cross, unit } from '@daxel/core/math/mat4';
import { Mesh } from '../shapes/mesh';
import { box, place, tube, turnedShape, WORLD, type Frame } from '../shapes/solids';
import { ROOM } from './room';

/** Round, on the back wall. */
export function buildMirror(x: number, y: number, radius: number): { glass: Mesh; frame: Mesh } {
  const [glass, frame] = [new Mesh(), new Mesh()];
  const f: Frame = { origin: [x, y, ROOM.back], right: [1, 0, 0], up: [0, 0, 1], out: [0, -1, 0] };
  turnedShape(
    glass,
    f,
    [
      [1e-4, 0.018],
      [radius, 0.018],
    ],
    72,
  );
  turnedShape(
    frame,
    f,
    [
      [radius - 0.004, 0.018],
      [radius + 0.002, 0.028],
      [radius + 0.014, 0.034],
      [radius + 0.03, 0.03],
      [radius + 0.038, 0.014],
      [radius + 0.04, 0],
    ],
    96,
  );
  return { glass, frame };
}

/** A tall box with one glowing side, turned to the room. */
export const PANEL = { x: 1.62, z: -1.42, low: 0.12, wide: 0.42, high: 1.35 } as const;

export function buildPanel(): { glow: Mesh; frame: Mesh } {
  const [glow, frame] = [new Mesh(), new Mesh()];
  const out = unit([-0.72, 0, 0.69]);
  const right = cross([0, 1, 0], out);
  const f: Frame = { origin: [PANEL.x, PANEL.low, PANEL.z], right, up: [0, 1, 0], out };
  const [w, h] = [PANEL.wide / 2, PANEL.high];
  glow.quad([place(f, -w, 0, 0.03), place(f, w, 0, 0.03), place(f, w, h, 0.03), place(f, -w, h, 0.03)]);
  box(frame, f, [0, h / 2, -0.01], [PANEL.wide, h, 0.05]);
  for (const side of [-1, 1]) box(frame, f, [side * (w + 0.014), h / 2 - 0.05, 0.01], [0.028, h + 0.16, 0.1], 0.006);
  for (const y of [-0.014, h + 0.014]) box(frame, f, [0, y, 0.01], [PANEL.wide + 0.056, 0.028, 0.1], 0.006);
  for (const y of [h / 3, (2 * h) / 3]) box(frame, f, [0, y, 0.036], [PANEL.wide, 0.012, 0.012], 0.002);
  return { glow, frame };
}

export function buildStool(x: number, z: number, height: number): Mesh {
  const mesh = new Mesh();
  const f: Frame = { ...WORLD, origin: [x, 0, z] };
  turnedShape(
    mesh,
    f,
    [
      [1e-4, height],
      [0.165, height],
      [0.172, height - 0.006],
      [0.172, height - 0.024],
      [0.165, height - 0.03],
      [1e-4, height - 0.03],
    ],
    56,
  );
  for (let k = 0; k < 3; k++) {
    const a = k * 2.094 + 0.4;
    const [c, s] = [Math.cos(a), Math.sin(a)];
    tube(
      mesh,
      [place(f, 0.17 * c, 0, 0.17 * s), place(f, 0.11 * c, height - 0.02, 0.11 * s)],
      (t) => 0.013 + 0.008 * t,
      16,
      true,
    );
  }
  return mesh;
}

/** Long leaves that rise from a glazed pot and bow over. */
export function buildPlant(x: number, y: number, z: number): { pot: Mesh; soil: Mesh; leaves: Mesh } {
  const [pot, soil, leaves] = [new Mesh(), new Mesh(), new Mesh()];
  const f: Frame = { ...WORLD, origin: [x, y, z] };
  turnedShape(
    pot,
    f,
    [
      [0.1, 0.17],
      [0.112, 0.2],
      [0.118, 0.2],
      [0.128, 0.188],
      [0.13, 0.12],
      [0.108, 0.02],
      [0.1, 0],
      [1e-4, 0],
    ],
    64,
  );
  turnedShape(
    soil,
    f,
    [
      [1e-4, 0.178],
      [0.11, 0.174],
    ],
    24,
  );
  const random = randomStream(57);
  for (let i = 0; i < 34; i++) {
    const turn = i * 2.4 + random() * 0.5;
    // inner ones stand, outer ones bow
    const outer = i / 34;
    leaf(leaves, f, turn, {
      long: 0.42 + 0.22 * random() + 0.12 * (1 - outer),
      wide: 0.026 + 0.014 * random(),
      lean: 0.12 + 0.55 * outer + 0.15 * random(),
      bow: 0.5 + 1.5 * outer * (0.6 + 0.4 * random()),
      twist: (random() - 0.5) * 1.1,
    });
  }
  return { pot, soil, leaves };
}

interface Leaf {
  /** Metres. */
  long: number;
  wide: number;
  /** Radians from upright at the root, and by how much more at the tip. */
  lean: number;
  bow: number;
  /** Radians about its length, from root to tip. */
  twist: number;
}

function leaf(mesh: Mesh, f: Frame, turn: number, { long, wide, lean, bow, twist }: Leaf): void {
  const [out, side] = [
    [Math.cos(turn), 0, Math.sin(turn)],
    [-Math.sin(turn), 0, Math.cos(turn)],
  ];
  const steps = 22;
  const spine: { p: number[]; up: number[]; across: number[] }[] = [];
  const p = place(f, out[0] * 0.03, 0.17, out[2] * 0.03);
  for (let k = 0; k <= steps; k++) {
    const t = k / steps;
    const angle = lean + bow * t * t;
    const along = [out[0] * Math.sin(angle), Math.cos(angle), out[2] * Math.sin(angle)];
    const roll = twist * t;
    const flat = cross(along, side);
    const across = side.map((c, j) => c * Math.cos(roll) + flat[j] * Math.sin(roll));
    spine.push({ p: [...p], up: cross(across, along), across });
    for (let j = 0; j < 3; j++) p[j] += (along[j] * long) / steps;
  }
  mesh.grid(6, steps, (s, v) => {
    const { p: at, up, across } = spine[Math.round(v * steps)];
    const w = wide * Math.min(1, 0.35 + 2.2 * v) * Math.sqrt(Math.max(0, 1 - v ** 3));
    const d = (0.5 - s) * 2;
    // folded a little along the middle
    const lift = 0.3 * Math.abs(d) * w;
    const n = unit(up.map((c, j) => c - 0.3 * Math.sign(d) * Math.min(1, Math.abs(d) * 3) * across[j]));
    return { p: at.map((c, j) => c + across[j] * d * w + up[j] * lift), n, uv: [s, v] };
  });
}

/** A brass telescope on three legs. */
export function buildTelescope(
  x: number,
  z: number,
  height: number,
  way: number[],
): { brass: Mesh; wood: Mesh; lens: Mesh } {
  const [brass, wood, lens] = [new Mesh(), new Mesh(), new Mesh()];
  const up = unit(way);
  const right = unit(cross(up, [0, 1, 0]));
  const f: Frame = { origin: [x, height, z], up, right, out: cross(right, up) };
  turnedShape(
    brass,
    f,
    [
      [0.03, 0.5],
      [0.036, 0.502],
      [0.038, 0.498],
      [0.038, 0.44],
      [0.034, 0.436],
      [0.034, 0.436],
      [0.031, 0.43],
      [0.031, 0.02],
      [0.033, 0.016],
      [0.033, 0.016],
      [0.033, -0.02],
      [0.033, -0.02],
      [0.025, -0.026],
      [0.025, -0.24],
      [0.027, -0.244],
      [0.027, -0.26],
      [0.02, -0.264],
      [0.019, -0.4],
      [0.024, -0.405],
      [0.027, -0.42],
      [0.024, -0.435],
      [0.008, -0.437],
    ],
    48,
  );
  turnedShape(
    lens,
    f,
    [
      [1e-4, 0.494],
      [0.02, 0.491],
      [0.031, 0.486],
    ],
    32,
  );
  const head: Frame = { ...WORLD, origin: [x, height - 0.1, z] };
  turnedShape(
    brass,
    head,
    [
      [0.014, 0.075],
      [0.016, 0.03],
      [0.032, 0.02],
      [0.034, -0.03],
      [0.02, -0.04],
    ],
    32,
  );
  for (let k = 0; k < 3; k++) {
    const a = k * 2.094 + 0.9;
    const [c, s] = [Math.cos(a), Math.sin(a)];
    const foot = [x + 0.34 * c, 0, z + 0.34 * s];
    tube(wood, [[x + 0.022 * c, height - 0.1, z + 0.022 * s], foot], (t) => 0.016 - 0.005 * t, 14, true);
    tube(
      brass,
      [
        [x + 0.326 * c, 0.05, z + 0.326 * s],
        [x + 0.341 * c, 0, z + 0.341 * s],
      ],
      0.0125,
      14,
      true,
    );
  }
  return { brass, wood, lens };
}

/** A shade of brass on a cord; what shines hangs in its mouth. */
export const LAMP = [0.98, 1.72, -0.72] as const;

export function buildHangingLamp(): { brass: Mesh; cord: Mesh } {
  const [brass, cord] = [new Mesh(), new Mesh()];
  const f: Frame = { ...WORLD, origin: LAMP };
  turnedShape(
    brass,
    f,
    [
      [1e-4, 0.15],
      [0.022, 0.145],
      [0.03, 0.11],
      [0.07, 0.085],
      [0.12, 0.03],
      [0.135, -0.02],
      [0.133, -0.0205],
      [0.118, 0.028],
      [0.069, 0.082],
      [0.03, 0.104],
      [1e-4, 0.106],
    ],
    72,
  );
  tube(cord, [place(f, 0, 0.14, 0), place(f, 0, ROOM.height - LAMP[1], 0)], 0.004, 8);
  return { brass, cord };
}

/** Braided: ring in ring, dark and pale. */
export function buildRug(x: number, z: number): { pale: Mesh; dark: Mesh } {
  const [pale, dark] = [new Mesh(), new Mesh()];
  const thick = 0.011;
  for (let k = 1; k <= 26; k++) {
    const r = k * 0.032;
    const steps = 24 + 4 * k;
    const ring = Array.from({ length: steps + 1 }, (_, i) => {
      const a = (i / steps) * 2 * Math.PI;
      const wave = 1 + 0.006 * Math.sin(a * 3 + k);
      return [x + 1.25 * r * wave * Math.cos(a), 0.009, z + r * wave * Math.sin(a)];
    });
    tube(k % 7 < 2 || k > 24 ? dark : pale, ring, thick * 1.55, 8, false, [1, steps * 0.7]);
  }
  return { pale, dark };
}

/** A board with books behind the camera's right shoulder: the mirror sees them. */
export function buildShelf(): { board: Mesh; books: Mesh[] } {
  const board = new Mesh();
  const books = [new Mesh(), new Mesh(), new Mesh()];
  const z = ROOM.front - 0.13;
  for (const y of [1.2, 1.62]) box(board, WORLD, [1.0, y, z], [1.3, 0.028, 0.24], 0.004, 1.4);
  const random = randomStream(83);
  for (const y of [1.214, 1.634]) {
    let x = 0.42;
    while (x < 1.5) {
      const wide = 0.022 + 0.028 * random();
      const high = 0.2 + 0.1 * random();
      box(
        books[Math.floor(random() * 3)],
        WORLD,
        [x + wide / 2, y + high / 2, z - 0.01],
        [wide - 0.002, high, 0.17],
        0.003,
      );
      x += wide + (random() < 0.08 ? 0.12 : 0.001);
    }
  }
  return { board, books };
}
