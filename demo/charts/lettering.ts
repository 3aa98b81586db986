/** Plain single-stroke capitals as flat bars, so that a chart carries its name as geometry. */
import type { Mesh } from '../shapes/mesh';

/** Strokes on a cell 4 wide and 6 high, y up: polylines as digit pairs. */
const STROKES: Record<string, readonly string[]> = {
  A: ['00 26 40', '12 32'],
  B: ['00 06 36 35 33 03', '33 43 40 00'],
  C: ['46 06 00 40'],
  D: ['00 06 26 44 42 20 00'],
  E: ['46 06 00 40', '03 33'],
  F: ['46 06 00', '03 33'],
  G: ['46 06 00 40 43 23'],
  H: ['00 06', '40 46', '03 43'],
  I: ['20 26'],
  K: ['00 06', '46 03 40'],
  L: ['06 00 40'],
  M: ['00 06 23 46 40'],
  N: ['00 06 40 46'],
  O: ['00 06 46 40 00'],
  P: ['00 06 46 43 03'],
  R: ['00 06 46 43 03', '23 40'],
  S: ['40 43 03 06 46', '40 00'],
  T: ['06 46', '26 20'],
  U: ['06 00 40 46'],
  V: ['06 20 46'],
  W: ['06 10 24 30 46'],
  Z: ['06 46 00 40'],
  '-': ['13 33'],
};

/** @param height of a capital, metres; the text starts at `origin` and runs along `right` */
export function letter(
  mesh: Mesh,
  text: string,
  origin: readonly number[],
  right: readonly number[],
  up: readonly number[],
  height: number,
): void {
  const unit = height / 6;
  const half = unit * 0.36;
  const place = (x: number, y: number): number[] => [0, 1, 2].map((c) => origin[c] + right[c] * x + up[c] * y);
  [...text.toUpperCase()].forEach((character, i) => {
    for (const stroke of STROKES[character] ?? []) {
      const points = stroke.split(' ').map((p) => [(Number(p[0]) + i * 5.6) * unit, Number(p[1]) * unit]);
      for (let k = 1; k < points.length; k++) {
        const [ax, ay] = points[k - 1];
        const [bx, by] = points[k];
        const l = Math.hypot(bx - ax, by - ay);
        const dx = ((bx - ax) / l) * half;
        const dy = ((by - ay) / l) * half;
        mesh.quad([
          place(ax - dx + dy, ay - dy - dx),
          place(bx + dx + dy, by + dy - dx),
          place(bx + dx - dy, by + dy + dx),
          place(ax - dx - dy, ay - dy + dx),
        ]);
      }
    }
  });
}
