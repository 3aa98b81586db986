/** The table: a cloth that hangs in folds, and what stands on it. */
import { cross, unit } from '@daxel/core/math/mat4';
import { Mesh, minus } from '../shapes/mesh';
import { box, place, tube, turnedShape, WORLD, type Frame } from '../shapes/solids';

/** Middle of its top, and half its sides, metres. */
export const TABLE = { x: 0.12, y: 0.76, z: -1.08, halfX: 0.72, halfZ: 0.36 } as const;
const ROUND = 0.04;
const HANGS = 0.36;

export const onTable = (x: number, z: number): Frame => ({ ...WORLD, origin: [TABLE.x + x, TABLE.y, TABLE.z + z] });

/** A place on the edge of the top, corners rounded, and where out is: `t` 0…1 goes around. */
function edge(t: number): { x: number; z: number; ox: number; oz: number; corner: number } {
  const [a, b] = [TABLE.halfX - ROUND, TABLE.halfZ - ROUND];
  const bend = (Math.PI / 2) * ROUND;
  // from the middle of the front: along the sides, then around each corner
  const parts: [number, (s: number) => [number, number, number, number, number]][] = [
    [a, (s) => [s * a, b + ROUND, 0, 1, s ** 8]],
    [bend, (s) => around(a, b, s, 0)],
    [2 * b, (s) => [a + ROUND, b - 2 * b * s, 1, 0, Math.abs(2 * s - 1) ** 8]],
    [bend, (s) => around(a, -b, s, 1)],
    [2 * a, (s) => [a - 2 * a * s, -b - ROUND, 0, -1, Math.abs(2 * s - 1) ** 8]],
    [bend, (s) => around(-a, -b, s, 2)],
    [2 * b, (s) => [-a - ROUND, -b + 2 * b * s, -1, 0, Math.abs(2 * s - 1) ** 8]],
    [bend, (s) => around(-a, b, s, 3)],
    [a, (s) => [-a + a * s, b + ROUND, 0, 1, (1 - s) ** 8]],
  ];
  const all = parts.reduce((sum, [length]) => sum + length, 0);
  let left = (t - Math.floor(t)) * all;
  for (const [length, at] of parts) {
    if (left <= length) {
      const [x, z, ox, oz, corner] = at(left / length);
      return { x, z, ox, oz, corner };
    }
    left -= length;
  }
  return { x: 0, z: b + ROUND, ox: 0, oz: 1, corner: 0 };
}

function around(x: number, z: number, s: number, quarter: number): [number, number, number, number, number] {
  const angle = ((quarter + s) * Math.PI) / 2;
  const [ox, oz] = [Math.sin(angle), Math.cos(angle)];
  return [x + ROUND * ox, z + ROUND * oz, ox, oz, 1];
}

/** Red: what stands near it and the wall behind it take its colour. */
export function buildCloth(): Mesh {
  const mesh = new Mesh();
  const folds = 34;
  const fold = (t: number): number =>
    Math.sin(2 * Math.PI * folds * t + 1.8 * Math.sin(2 * Math.PI * 5 * t)) +
    0.5 * Math.sin(2 * Math.PI * 13 * t + 0.7);
  // over the edge, then down
  const skirt = (t: number, s: number): number[] => {
    const { x, z, ox, oz, corner } = edge(t);
    const bend = 0.014;
    const turn = Math.min(1, s / 0.06) * (Math.PI / 2);
    const down = Math.max(0, (s - 0.06) / 0.94);
    const drop = HANGS + 0.11 * corner;
    const deep = 0.03 * down ** 1.3 * (1 + 0.7 * corner) * fold(t);
    const out = bend * Math.sin(turn) + 0.012 * down + deep + 0.022 * down * (0.6 + corner);
    return [
      TABLE.x + x + ox * out,
      TABLE.y - bend * (1 - Math.cos(turn)) - drop * down + 0.006 * down * Math.sin(2 * Math.PI * folds * t * 0.5),
      TABLE.z + z + oz * out,
    ];
  };
  const h = 1e-4;
  mesh.grid(560, 26, (s, v) => {
    const p = skirt(s, v);
    const along = minus(skirt(s + h, v), skirt(s - h, v));
    const down = minus(skirt(s, Math.min(1, v + h)), skirt(s, Math.max(0, v - h)));
    return { p, n: unit(cross(down, along)), uv: [s * 22, v * 2.4] };
  });
  const ring = Array.from({ length: 560 }, (_, i) => skirt(i / 560, 0));
  const middle = mesh.vertex([TABLE.x, TABLE.y, TABLE.z], [0, 1, 0], 0, 0);
  const at = ring.map((p) => mesh.vertex(p, [0, 1, 0], p[0] * 6.5, p[2] * 6.5));
  for (let i = 0; i < at.length; i++) mesh.triangle(middle, at[i], at[(i + 1) % at.length]);
  return mesh;
}

export function buildLegs(): Mesh {
  const mesh = new Mesh();
  const [x, z] = [TABLE.halfX - 0.06, TABLE.halfZ - 0.06];
  for (const [sx, sz] of [
    [1, 1],
    [-1, 1],
    [-1, -1],
    [1, -1],
  ])
    box(mesh, onTable(sx * x, sz * z), [0, -TABLE.y / 2, 0], [0.06, TABLE.y - 0.02, 0.06], 0.008);
  return mesh;
}

/** A tumbler with a heavy foot: closed, its inside included, and the water in it. */
export function buildTumbler(f: Frame): { glass: Mesh; water: Mesh } {
  const [glass, water] = [new Mesh(), new Mesh()];
  turnedShape(
    glass,
    f,
    [
      [1e-4, 0.02],
      [0.029, 0.0212],
      [0.0335, 0.027],
      [0.04, 0.148],
      [0.041, 0.1497],
      [0.0426, 0.1497],
      [0.0434, 0.148],
      [0.037, 0.005],
      [0.035, 0.0006],
      [1e-4, 0.0006],
    ],
    64,
  );
  // a hair's breadth from the glass, so that the two do not share a face
  turnedShape(
    water,
    f,
    [
      [1e-4, 0.1],
      [0.0371, 0.1],
      [0.0371, 0.1],
      [0.0332, 0.0276],
      [0.0288, 0.0218],
      [1e-4, 0.0206],
    ],
    64,
  );
  return { glass, water };
}

/** A shallow bowl on a foot. */
export function buildBowl(f: Frame): Mesh {
  const mesh = new Mesh();
  turnedShape(
    mesh,
    f,
    [
      [1e-4, 0.034],
      [0.06, 0.04],
      [0.105, 0.062],
      [0.135, 0.098],
      [0.139, 0.1],
      [0.143, 0.097],
      [0.112, 0.054],
      [0.062, 0.028],
      [0.036, 0.022],
      [0.034, 0.012],
      [0.052, 0.004],
      [0.053, 0],
    ],
    72,
  );
  return mesh;
}

/** Three in the bowl and one beside it. */
export function buildLemons(f: Frame): Mesh {
  const mesh = new Mesh();
  const profile = Array.from({ length: 21 }, (_, i): [number, number] => {
    const a = (i / 20) * Math.PI;
    const tip = 0.012 * Math.exp(-((Math.sin(a) / 0.22) ** 2));
    return [Math.max(1e-4, 0.031 * Math.sin(a) ** 0.92), (0.038 + tip) * Math.cos(a)];
  });
  for (const [x, y, z, turn, tilt] of [
    [-0.045, 0.078, 0.022, 0.4, 1.35],
    [0.05, 0.08, 0.012, 2.3, 1.5],
    [0.0, 0.085, -0.05, 4.1, 1.2],
    [0.2, 0.0315, 0.1, 1.1, 1.57],
  ]) {
    const up = [Math.sin(tilt) * Math.cos(turn), Math.cos(tilt), Math.sin(tilt) * Math.sin(turn)];
    const right = unit(cross(up, [0.2, 0.9, 0.3]));
    turnedShape(mesh, { origin: place(f, x, y, z), up, right, out: cross(right, up) }, profile, 32);
  }
  return mesh;
}

/** A glazed jug with a lip and a handle. */
export function buildJug(f: Frame): Mesh {
  const mesh = new Mesh();
  turnedShape(
    mesh,
    f,
    [
      [1e-4, 0.012],
      [0.05, 0.014],
      [0.07, 0.06],
      [0.071, 0.1],
      [0.05, 0.17],
      [0.041, 0.2],
      [0.05, 0.236],
      [0.053, 0.239],
      [0.056, 0.237],
      [0.0465, 0.202],
      [0.056, 0.17],
      [0.077, 0.102],
      [0.076, 0.058],
      [0.058, 0.01],
      [0.054, 0.002],
      [1e-4, 0.002],
    ],
    72,
  );
  const handle = Array.from({ length: 25 }, (_, i) => {
    const a = (i / 24) * Math.PI;
    return place(f, -0.048 - 0.058 * Math.sin(a) - 0.012 * (i / 24), 0.215 - 0.125 * (i / 24), 0);
  });
  tube(mesh, handle, (t) => 0.0085 - 0.002 * Math.sin(Math.PI * t), 14, true);
  return mesh;
}

/** A candlestick and its candle. */
export function buildCandlestick(f: Frame): { brass: Mesh; candle: Mesh } {
  const [brass, candle] = [new Mesh(), new Mesh()];
  turnedShape(
    brass,
    f,
    [
      [0.011, 0.2],
      [0.03, 0.202],
      [0.032, 0.199],
      [0.018, 0.192],
      [0.016, 0.165],
      [0.009, 0.155],
      [0.009, 0.145],
      [0.019, 0.13],
      [0.009, 0.112],
      [0.008, 0.06],
      [0.016, 0.044],
      [0.034, 0.034],
      [0.06, 0.02],
      [0.066, 0.01],
      [0.066, 0],
    ],
    56,
  );
  turnedShape(
    candle,
    f,
    [
      [1e-4, 0.352],
      [0.008, 0.352],
      [0.0108, 0.347],
      [0.011, 0.34],
      [0.011, 0.17],
    ],
    28,
  );
  tube(candle, [place(f, 0, 0.35, 0), place(f, 0.001, 0.358, 0), place(f, 0.004, 0.364, 0)], 0.0009, 6);
  return { brass, candle };
}
