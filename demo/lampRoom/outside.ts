/** What is seen through the windows: the sea to the horizon and the rocks of the skerry. */
import { Mesh } from '../shapes/mesh';
import { fbm } from '../textures/noise';

/** Height of the lamp room's floor over the water. */
export const ABOVE_SEA = 24;

export function buildSea(): Mesh {
  const mesh = new Mesh();
  const reach = 6000;
  const repeat = 60;
  mesh.quad(
    [
      [-reach, -ABOVE_SEA, reach],
      [reach, -ABOVE_SEA, reach],
      [reach, -ABOVE_SEA, -reach],
      [-reach, -ABOVE_SEA, -reach],
    ],
    [
      [0, (2 * reach) / repeat],
      [(2 * reach) / repeat, (2 * reach) / repeat],
      [(2 * reach) / repeat, 0],
      [0, 0],
    ],
  );
  return mesh;
}

/** Ragged islands: height fields on discs. */
export function buildRocks(): Mesh {
  const mesh = new Mesh();
  const islands: [number, number, number, number, number][] = [
    [-190, -330, 90, 30, 3],
    [-60, -520, 70, 17, 5],
    [120, -700, 160, 36, 9],
    [-420, -120, 110, 26, 12],
    [300, 60, 120, 28, 15],
  ];
  for (const [x, z, radius, height, seed] of islands) {
    mesh.grid(36, 10, (s, t) => {
      const at = (u: number, w: number): number[] => {
        const a = u * 2 * Math.PI;
        const r = radius * (1 - w) * (0.75 + 0.5 * fbm(u, 0.3, 5, 3, seed));
        const rough = fbm(u, w, 9, 4, seed + 40);
        const y = height * (w ** 0.8 * 0.55 + rough * w * 0.9) - 2 - ABOVE_SEA;
        return [x - Math.cos(a) * r, y, z + Math.sin(a) * r];
      };
      // rows run from the top (t = 0) to the water
      const w = 1 - t;
      const p = at(s, w);
      const du = at(s + 1 / 36, w).map((c, k) => c - p[k]);
      const row = Math.max(w, 0.1);
      const above = at(s, row);
      const dt = at(s, row - 0.1).map((c, k) => c - above[k]);
      const n = [dt[1] * du[2] - dt[2] * du[1], dt[2] * du[0] - dt[0] * du[2], dt[0] * du[1] - dt[1] * du[0]];
      const l = Math.hypot(...n) || 1;
      return { p, n: l > 1e-9 ? n.map((c) => c / l) : [0, 1, 0] };
    });
  }
  return mesh;
}
