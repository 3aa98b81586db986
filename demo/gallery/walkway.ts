/** The ring walkway: riveted plates, and a railing of tubes with wire mesh, a bay a plate. Made about +Z; nodes turn it. */
import { Mesh } from '../shapes/mesh';
import { arc, place, tube, turned, turnedShape, WORLD, type Frame } from '../shapes/solids';

export const BAYS = 24;
export const BAY_ANGLE = (2 * Math.PI) / BAYS;
export const DECK_INNER = 2.34;
export const DECK_OUTER = 3.6;
const RAIL_RADIUS = 3.5;
const RAIL_HEIGHT = 1.05;
/** Metres that the texture of the plates covers. */
export const PLATE_TEXTURE = 2.4;

/** A point of the ring, before the tower's axis is turned away. */
function onRing(angle: number, radius: number, height: number): number[] {
  return [Math.sin(angle) * radius, height, Math.cos(angle) * radius];
}

/** The plate of one bay with its worn edges. @param bay shifts the texture, so that no two plates are wet alike */
export function buildPlate(bay: number): Mesh {
  const mesh = new Mesh();
  const gap = 0.004;
  const half = BAY_ANGLE / 2;
  const around = half - gap / DECK_OUTER;
  const [inner, outer] = [DECK_INNER, DECK_OUTER];
  const shift = [bay * 0.381, bay * 0.618];
  const uv = (p: number[]): [number, number] => [p[0] / PLATE_TEXTURE + shift[0], p[2] / PLATE_TEXTURE + shift[1]];
  mesh.grid(6, 2, (s, t) => {
    const p = onRing((2 * s - 1) * around, outer + (inner - outer) * (1 - t), 0);
    return { p, n: [0, 1, 0], uv: uv(p) };
  });
  // the outer edge, and the angle iron that hangs from it
  mesh.grid(6, 1, (s, t) => {
    const angle = (2 * s - 1) * half;
    return { p: onRing(angle, outer, -0.09 * t), n: onRing(angle, 1, 0) };
  });
  return mesh;
}

/** Domed rivets along the borders of a plate. */
export function buildRivets(): Mesh {
  const mesh = new Mesh();
  const dome: [number, number][] = [
    [1e-4, 0.006],
    [0.007, 0.0045],
    [0.011, 0],
  ];
  const rivet = (p: number[]): void => turnedShape(mesh, { ...WORLD, origin: p }, dome, 8);
  const half = BAY_ANGLE / 2;
  for (const side of [-1, 1])
    for (let r = DECK_INNER + 0.08; r < DECK_OUTER - 0.03; r += 0.105) rivet(onRing(side * (half - 0.035 / r), r, 0));
  for (const [radius, count] of [
    [DECK_INNER + 0.04, 6],
    [DECK_OUTER - 0.05, 9],
  ])
    for (let k = 0; k < count; k++) rivet(onRing(((k + 0.5) / count - 0.5) * 2 * (half - 0.02), radius, 0));
  return mesh;
}

/** Post and rails of one bay. */
export function buildRails(): Mesh {
  const mesh = new Mesh();
  const half = BAY_ANGLE / 2;
  const upright: Frame = { ...WORLD, right: [0, 0, 1], up: [1, 0, 0], out: [0, 1, 0] };
  for (const [height, radius] of [
    [RAIL_HEIGHT, 0.014],
    [RAIL_HEIGHT * 0.55, 0.01],
    [0.1, 0.01],
  ])
    tube(mesh, arc({ ...upright, origin: [0, height, 0] }, RAIL_RADIUS, -half, half, 6), radius, 10);
  const foot = turned(-half, RAIL_RADIUS);
  tube(mesh, [place(foot, 0, 0, 0), place(foot, 0, RAIL_HEIGHT + 0.02, 0)], 0.016, 12);
  const knob: [number, number][] = Array.from({ length: 9 }, (_, i) => {
    const a = (i / 8) * Math.PI;
    return [Math.max(1e-4, 0.032 * Math.sin(a)), RAIL_HEIGHT + 0.045 + 0.032 * Math.cos(a)];
  });
  turnedShape(mesh, foot, knob, 16);
  const flange: [number, number][] = [
    [0.018, 0.03],
    [0.03, 0.012],
    [0.05, 0.01],
    [0.05, 0.01],
    [0.052, 0],
  ];
  turnedShape(mesh, foot, flange, 16);
  return mesh;
}

/** Crossing wires of 2.4 mm between the lowest rail and the one above the middle. */
export function buildMesh(): Mesh {
  const mesh = new Mesh();
  const length = BAY_ANGLE * RAIL_RADIUS;
  const [low, high] = [0.1, RAIL_HEIGHT * 0.55];
  const height = high - low;
  const pitch = 0.055;
  for (const slant of [1, -1])
    for (let start = -height + pitch / 2; start < length; start += pitch) {
      const from = Math.max(0, -start);
      const to = Math.min(height, length - start);
      if (to - from < 0.02) continue;
      const point = (t: number): number[] => {
        const along = slant > 0 ? start + t : length - start - t;
        return onRing(along / RAIL_RADIUS - BAY_ANGLE / 2, RAIL_RADIUS + slant * 0.0012, low + t);
      };
      tube(mesh, [point(from), point((from + to) / 2), point(to)], 0.0012, 4);
    }
  return mesh;
}
