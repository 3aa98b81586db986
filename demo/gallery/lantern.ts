/** The lantern as it is seen from outside: wall, sill, roof with its vent, and the lamps on the wall. */
import { Mesh } from '../shapes/mesh';
import { box, place, turned, turnedShape, WORLD } from '../shapes/solids';
import { ROOM_HEIGHT, SILL } from '../lampRoom/room';

const WALL = 2.31;

/** Painted iron below the panes, and the sill that carries them. */
export function buildWall(): Mesh {
  const mesh = new Mesh();
  const profile: [number, number][] = [
    [2.1, SILL + 0.05],
    [2.36, SILL + 0.045],
    [2.39, SILL + 0.02],
    [2.39, SILL - 0.02],
    [2.36, SILL - 0.05],
    [2.36, SILL - 0.05],
    [WALL, SILL - 0.06],
    [WALL, SILL - 0.06],
    [WALL, 0.16],
    [WALL, 0.16],
    [WALL + 0.02, 0.14],
    [WALL + 0.03, 0],
    [WALL + 0.03, -0.3],
  ];
  turnedShape(mesh, WORLD, profile, 96);
  for (let k = 0; k < 16; k++) box(mesh, turned((k / 16) * 2 * Math.PI, WALL), [0, 0.6, 0], [0.05, 0.88, 0.02], 0.006);
  return mesh;
}

/** The outer face of the octagon's head, the roof over it, and a ball on top. */
export function buildRoof(): Mesh {
  const mesh = new Mesh();
  const top = ROOM_HEIGHT - 0.28;
  const profile: [number, number][] = [
    [1e-4, top + 2.02],
    [0.12, top + 1.99],
    [0.2, top + 1.86],
    [0.2, top + 1.8],
    [0.12, top + 1.68],
    [0.12, top + 1.68],
    [0.16, top + 1.64],
    [0.3, top + 1.56],
    [0.3, top + 1.56],
    [0.3, top + 1.3],
    [0.3, top + 1.3],
    [0.42, top + 1.22],
    [0.9, top + 1],
    [1.6, top + 0.62],
    [2.2, top + 0.22],
    [2.42, top + 0.1],
    [2.48, top + 0.04],
    [2.48, top + 0.04],
    [2.46, top - 0.03],
    [2.2, top - 0.05],
  ];
  turnedShape(mesh, WORLD, profile, 64);
  return mesh;
}

/** A round lamp on the wall: cage and glass. @param angle where on the wall */
export function buildWallLamp(angle: number): { cage: Mesh; glass: Mesh; at: number[] } {
  const [cage, glass] = [new Mesh(), new Mesh()];
  const f = turned(angle, WALL);
  box(cage, f, [0, 0.86, 0.03], [0.12, 0.16, 0.05], 0.01);
  const at = place(f, 0, 0.82, 0.11);
  const stand = { ...WORLD, origin: at };
  turnedShape(
    cage,
    stand,
    [
      [1e-4, 0.075],
      [0.05, 0.065],
      [0.085, 0.04],
      [0.085, 0.04],
      [0.08, 0.032],
      [0.03, 0.034],
    ],
    24,
  );
  const bulb: [number, number][] = Array.from({ length: 9 }, (_, i) => {
    const a = (i / 8) * Math.PI;
    return [Math.max(1e-4, 0.042 * Math.sin(a)), -0.012 + 0.05 * Math.cos(a)];
  });
  turnedShape(glass, stand, bulb, 20);
  return { cage, glass, at };
}
