/** What stands in the lamp room: plinth, handrail, plant, rope, oil can, log book, barometer. */
import { randomStream } from '@daxel/core/math/random';
import { frameAbout, Mesh, plus } from '../shapes/mesh';
import { box, place, tube, turned, turnedShape, WORLD, type Frame } from '../shapes/solids';
import { SILL, wallFrame } from './room';

export function buildPlinth(): Mesh {
  const mesh = new Mesh();
  const profile: [number, number][] = [
    [0.2, 0.93],
    [0.5, 0.93],
    [0.52, 0.92],
    [0.52, 0.885],
    [0.5, 0.87],
    [0.3, 0.83],
    [0.24, 0.78],
    [0.21, 0.7],
    [0.205, 0.45],
    [0.23, 0.3],
    [0.29, 0.2],
    [0.36, 0.16],
    [0.36, 0.16],
    [0.42, 0.16],
    [0.44, 0.15],
    [0.44, 0.15],
    [0.44, 0.02],
    [0.46, 0],
  ];
  turnedShape(mesh, WORLD, profile, 64);
  for (let k = 0; k < 8; k++) {
    const f = turned((k / 8) * 2 * Math.PI);
    box(mesh, f, [0, 0.42, 0.235], [0.025, 0.5, 0.06], 0.006);
    const bolt: Frame = { ...WORLD, origin: place(f, 0, 0.16, 0.39) };
    turnedShape(
      mesh,
      bolt,
      [
        [1e-4, 0.024],
        [0.016, 0.022],
        [0.02, 0.016],
        [0.02, 0.016],
        [0.02, 0],
      ],
      8,
    );
  }
  return mesh;
}

/** The handrail about the stair hatch, with its thin balusters; the hatch itself is closed by a grating. */
export function buildHandrail(): { brass: Mesh; iron: Mesh } {
  const brass = new Mesh();
  const iron = new Mesh();
  const path: number[][] = [];
  const centre = [1.12, 0, 0.72];
  for (let i = 0; i <= 40; i++) {
    const a = Math.PI * (-0.62 + (1.5 * i) / 40);
    path.push([centre[0] + 0.52 * Math.cos(a), 0.92, centre[2] - 0.52 * Math.sin(a)]);
  }
  tube(brass, path, 0.021, 14, true);
  tube(
    iron,
    path.map((p) => [p[0], 0.12, p[2]]),
    0.01,
    8,
    true,
  );
  for (let i = 0; i <= 40; i += 2) {
    const main = i % 10 === 0;
    const f: Frame = { ...WORLD, origin: [path[i][0], 0, path[i][2]] };
    if (main) {
      const profile: [number, number][] = [
        [1e-4, 0.97],
        [0.02, 0.965],
        [0.03, 0.94],
        [0.02, 0.91],
        [0.014, 0.88],
        [0.02, 0.6],
        [0.028, 0.52],
        [0.02, 0.44],
        [0.018, 0.1],
        [0.04, 0.03],
        [0.045, 0],
      ];
      turnedShape(brass, f, profile, 16);
    } else {
      tube(iron, [place(f, 0, 0.9, 0), place(f, 0, 0.11, 0)], 0.006, 8);
    }
  }
  for (let i = -5; i <= 5; i++) {
    const half = Math.sqrt(Math.max(0.01, 0.47 ** 2 - (i * 0.085) ** 2));
    box(iron, WORLD, [centre[0] + i * 0.085, 0.016, centre[2]], [0.012, 0.024, half * 2], 0.002);
  }
  turnedShape(
    iron,
    { ...WORLD, origin: [centre[0], 0, centre[2]] },
    [
      [0.49, 0.03],
      [0.53, 0.03],
      [0.53, 0.03],
      [0.53, 0],
    ],
    48,
  );
  return { brass, iron };
}

/** A potted geranium: stalks, leaf cards cut out by their alpha, a few heads of petals. */
export function buildPlant(at: ArrayLike<number>): { pot: Mesh; soil: Mesh; stalks: Mesh; leaves: Mesh; petals: Mesh } {
  const [pot, soil, stalks, leaves, petals] = [new Mesh(), new Mesh(), new Mesh(), new Mesh(), new Mesh()];
  const f: Frame = { ...WORLD, origin: at };
  const profile: [number, number][] = [
    [0.078, 0.125],
    [0.086, 0.13],
    [0.092, 0.125],
    [0.092, 0.1],
    [0.084, 0.098],
    [0.084, 0.098],
    [0.06, 0],
  ];
  turnedShape(pot, f, profile, 36);
  turnedShape(
    soil,
    f,
    [
      [1e-4, 0.116],
      [0.08, 0.112],
    ],
    20,
  );
  const random = randomStream(19);
  for (let i = 0; i < 66; i++) {
    const a = random() * 2 * Math.PI;
    const reach = 0.05 + 0.17 * Math.sqrt(random());
    const rise = 0.15 + 0.26 * random() * (1.2 - reach * 2.4);
    const tip = place(f, Math.cos(a) * reach, 0.1 + rise, Math.sin(a) * reach);
    const knee = place(f, Math.cos(a) * reach * 0.35, 0.12 + rise * 0.6, Math.sin(a) * reach * 0.35);
    tube(stalks, [place(f, Math.cos(a) * 0.02, 0.11, Math.sin(a) * 0.02), knee, tip], 0.0022, 5);
    const out = [Math.cos(a) * 0.8 + random() - 0.5, 1.1 + random(), Math.sin(a) * 0.8 + random() - 0.5];
    leafCard(leaves, tip, out, 0.034 + 0.022 * random());
  }
  for (let i = 0; i < 5; i++) {
    const a = 0.6 + i * 1.26;
    const top = place(f, Math.cos(a) * 0.09, 0.47 + 0.04 * random(), Math.sin(a) * 0.09);
    tube(stalks, [place(f, 0, 0.2, 0), top], 0.0024, 5);
    for (let k = 0; k < 16; k++) {
      const d = [random() - 0.5, random() - 0.35, random() - 0.5];
      leafCard(petals, plus(top, d, 0.045), plus(d, [0, 0.2, 0]), 0.011);
    }
  }
  return { pot, soil, stalks, leaves, petals };
}

/** A slightly cupped card of 4 × 4 cells whose normal is about `out`. */
function leafCard(mesh: Mesh, centre: ArrayLike<number>, out: number[], radius: number): void {
  const l = Math.hypot(...out) || 1;
  const axis = out.map((c) => c / l);
  const [right, up] = frameAbout(axis, [0.3, 0.2, 0.9]);
  mesh.grid(4, 4, (s, t) => {
    const x = (s - 0.5) * 2;
    const y = (0.5 - t) * 2;
    const cup = 0.22 * (x * x + y * y);
    const p = plus(plus(plus(centre, right, x * radius), up, y * radius), axis, cup * radius);
    const n = [0, 1, 2].map((c) => axis[c] - 0.44 * (right[c] * x + up[c] * y));
    const k = Math.hypot(...n);
    return { p, n: n.map((c) => c / k), uv: [s, t] };
  });
}

/** A coil of rope on the floor. */
export function buildRope(x: number, z: number): Mesh {
  const mesh = new Mesh();
  const path: number[][] = [];
  const turns = 7;
  for (let i = 0; i <= turns * 40; i++) {
    const a = (i / 40) * 2 * Math.PI;
    const layer = i / 40 / turns;
    const r = 0.13 + 0.05 * Math.sin(layer * 9) + 0.004 * Math.sin(a * 3.1);
    path.push([x + r * Math.cos(a), 0.016 + layer * 0.15, z + r * Math.sin(a)]);
  }
  for (let i = 1; i < 14; i++) {
    const r = 0.13 + i * 0.02;
    const a = i * 0.13;
    path.unshift([x + r * Math.cos(-a), 0.016, z + r * Math.sin(-a)]);
  }
  tube(mesh, path, 0.0145, 9, true, [1, path.length * 0.35]);
  return mesh;
}

export function buildOilCan(at: ArrayLike<number>): Mesh {
  const mesh = new Mesh();
  const f: Frame = { ...WORLD, origin: at };
  const profile: [number, number][] = [
    [1e-4, 0.165],
    [0.012, 0.165],
    [0.014, 0.15],
    [0.014, 0.15],
    [0.016, 0.135],
    [0.06, 0.1],
    [0.064, 0.095],
    [0.064, 0.095],
    [0.064, 0.008],
    [0.067, 0.004],
    [0.067, 0],
  ];
  turnedShape(mesh, f, profile, 40);
  const spout = [place(f, 0.05, 0.05, 0.02), place(f, 0.1, 0.11, 0.03), place(f, 0.16, 0.2, 0.05)];
  tube(mesh, spout, (t) => 0.009 - 0.006 * t, 10, true);
  const handle = Array.from({ length: 13 }, (_, i) => {
    const a = -1.2 + (i / 12) * 2.6;
    return place(f, -0.062 - 0.035 * Math.cos(a), 0.06 + 0.045 * Math.sin(a), 0);
  });
  tube(mesh, handle, 0.004, 7);
  return mesh;
}

/** A folding shelf with a book on it, on wall `side`. */
export function buildShelf(side: number): { shelf: Mesh; brackets: Mesh; cover: Mesh; pages: Mesh } {
  const [shelf, brackets, cover, pages] = [new Mesh(), new Mesh(), new Mesh(), new Mesh()];
  const f = wallFrame(side);
  box(shelf, f, [-0.25, 0.82, 0.15], [0.62, 0.025, 0.3], 0.004, 1.6);
  for (const x of [-0.5, 0]) {
    tube(brackets, [place(f, x, 0.81, 0.27), place(f, x, 0.58, 0.01)], 0.007, 8);
    tube(brackets, [place(f, x, 0.8, 0.005), place(f, x, 0.56, 0.005)], 0.007, 8);
  }
  box(cover, f, [-0.3, 0.838, 0.16], [0.3, 0.008, 0.22], 0.002);
  box(pages, f, [-0.297, 0.854, 0.16], [0.288, 0.026, 0.21], 0.001);
  box(cover, f, [-0.3, 0.871, 0.16], [0.3, 0.008, 0.22], 0.002);
  return { shelf, brackets, cover, pages };
}

/** A barometer on the wall below the sill. */
export function buildBarometer(side: number): { brass: Mesh; face: Mesh; glass: Mesh } {
  const [brass, face, glass] = [new Mesh(), new Mesh(), new Mesh()];
  const f = wallFrame(side);
  const c = place(f, 0.32, 0.72, 0.005);
  const standing: Frame = { origin: c, right: f.right, up: f.out, out: [-f.up[0], -f.up[1], -f.up[2]] };
  const profile: [number, number][] = [
    [0.112, 0.03],
    [0.118, 0.042],
    [0.132, 0.044],
    [0.142, 0.034],
    [0.15, 0.012],
    [0.155, 0],
  ];
  turnedShape(brass, standing, profile, 56);
  const r = 0.116;
  const corner = (x: number, y: number): number[] => place({ ...f, origin: c }, x * r, y * r, 0.024);
  face.quad([corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)]);
  turnedShape(
    glass,
    standing,
    [
      [1e-4, 0.046],
      [0.06, 0.044],
      [0.114, 0.036],
    ],
    40,
  );
  return { brass, face, glass };
}

/** The lamp in the lens: burner, stem and the glowing mantle. */
export function buildLamp(height: number): { burner: Mesh; mantle: Mesh } {
  const [burner, mantle] = [new Mesh(), new Mesh()];
  const f: Frame = { ...WORLD, origin: [0, height, 0] };
  const profile: [number, number][] = [
    [0.02, -0.05],
    [0.026, -0.055],
    [0.03, -0.08],
    [0.05, -0.1],
    [0.05, -0.16],
    [0.03, -0.18],
    [0.018, -0.22],
    [0.018, -0.55],
    [0.06, -0.6],
    [0.16, -0.66],
  ];
  turnedShape(burner, f, profile, 32);
  const ball: [number, number][] = Array.from({ length: 13 }, (_, i) => {
    const a = (i / 12) * Math.PI;
    return [Math.max(1e-4, 0.03 * Math.sin(a)), 0.03 * Math.cos(a)];
  });
  turnedShape(mantle, f, ball, 24);
  return { burner, mantle };
}

/** Where the plant stands: on the sill of a wall. */
export function onSill(side: number, x: number): number[] {
  return place(wallFrame(side), x, SILL + 0.033, 0.03);
}
