/** Boxes, turned and drawn-out shapes, added to a mesh. */
import { cross, unit } from '@daxel/core/math/mat4';
import { frameAbout, type Mesh, minus, plus, type Vec3 } from './mesh';

/** A frame in space: origin and three unit axes. */
export interface Frame {
  origin: ArrayLike<number>;
  right: ArrayLike<number>;
  up: ArrayLike<number>;
  out: ArrayLike<number>;
}

export const WORLD: Frame = { origin: [0, 0, 0], right: [1, 0, 0], up: [0, 1, 0], out: [0, 0, 1] };

/** A frame turned about the vertical axis by an angle, its origin at a distance along its own `out`. */
export function turned(angle: number, distance = 0, height = 0): Frame {
  const s = Math.sin(angle);
  const c = Math.cos(angle);
  return { origin: [s * distance, height, c * distance], right: [c, 0, -s], up: [0, 1, 0], out: [s, 0, c] };
}

export function place(f: Frame, x: number, y: number, z: number): number[] {
  return plus(plus(plus(f.origin, f.right, x), f.up, y), f.out, z);
}

export function aim(f: Frame, x: number, y: number, z: number): number[] {
  return plus(plus(plus([0, 0, 0], f.right, x), f.up, y), f.out, z);
}

/**
 * A box with chamfered edges, so that they catch light.
 * @param bevel metres; 0 for sharp edges
 * @param scale texture repeats a metre
 */
export function box(mesh: Mesh, f: Frame, centre: Vec3, size: Vec3, bevel = 0, scale = 1): void {
  const [hx, hy, hz] = size.map((s) => s / 2);
  const at = (x: number, y: number, z: number): number[] => place(f, centre[0] + x, centre[1] + y, centre[2] + z);
  const b = Math.min(bevel, hx, hy, hz);
  const h = [hx, hy, hz];
  for (let axis = 0; axis < 3; axis++) {
    for (const side of [1, -1]) {
      const u = (axis + 1) % 3;
      const v = (axis + 2) % 3;
      const corner = (su: number, sv: number, inset: number): number[] => {
        const p = [0, 0, 0];
        p[axis] = side * h[axis];
        p[u] = su * (h[u] - inset);
        p[v] = sv * (h[v] - inset);
        return at(p[0], p[1], p[2]);
      };
      const order =
        side > 0
          ? ([
              [-1, -1],
              [1, -1],
              [1, 1],
              [-1, 1],
            ] as const)
          : ([
              [1, -1],
              [-1, -1],
              [-1, 1],
              [1, 1],
            ] as const);
      mesh.quad(
        order.map(([su, sv]) => corner(su, sv, b)),
        order.map(([su, sv]) => [su * h[u] * scale, -sv * h[v] * scale] as const),
      );
    }
  }
  if (b === 0) return;
  // one strip for each of the twelve edges, one triangle for each corner
  for (let axis = 0; axis < 3; axis++) {
    const u = (axis + 1) % 3;
    const v = (axis + 2) % 3;
    for (const su of [1, -1]) {
      for (const sv of [1, -1]) {
        const point = (along: number, onU: boolean): number[] => {
          const p = [0, 0, 0];
          p[axis] = along * (h[axis] - b);
          p[u] = su * (onU ? h[u] : h[u] - b);
          p[v] = sv * (onU ? h[v] - b : h[v]);
          return at(p[0], p[1], p[2]);
        };
        const strip = [point(-1, true), point(1, true), point(1, false), point(-1, false)];
        mesh.quad(su * sv > 0 ? strip.reverse() : strip);
      }
    }
  }
  for (const sx of [1, -1])
    for (const sy of [1, -1])
      for (const sz of [1, -1]) {
        const p = [
          at(sx * hx, sy * (hy - b), sz * (hz - b)),
          at(sx * (hx - b), sy * hy, sz * (hz - b)),
          at(sx * (hx - b), sy * (hy - b), sz * hz),
        ];
        if (sx * sy * sz < 0) p.reverse();
        const n = unit(cross(minus(p[1], p[0]), minus(p[2], p[0])));
        const [i, j, k] = p.map((q) => mesh.vertex(q, n, 0, 0));
        mesh.triangle(i, j, k);
      }
}

/**
 * A turned shape about the frame's `up` axis.
 * @param profile [radius, height] from the top downwards; a point given twice makes a hard edge
 */
export function turnedShape(
  mesh: Mesh,
  f: Frame,
  profile: readonly (readonly [number, number])[],
  segments: number,
): void {
  let run: (readonly [number, number])[] = [];
  const flush = (): void => {
    if (run.length > 1) latheRun(mesh, f, run, segments);
    run = [];
  };
  profile.forEach((p, i) => {
    run.push(p);
    const next = profile[i + 1];
    if (next && next[0] === p[0] && next[1] === p[1]) flush();
  });
  flush();
}

function latheRun(mesh: Mesh, f: Frame, run: readonly (readonly [number, number])[], segments: number): void {
  const rows = run.length - 1;
  const slope = (i: number): [number, number] => {
    const a = run[Math.max(0, i - 1)];
    const b = run[Math.min(rows, i + 1)];
    const dr = b[0] - a[0];
    const dy = b[1] - a[1];
    const l = Math.hypot(dr, dy) || 1;
    return [-dy / l, dr / l];
  };
  mesh.grid(segments, rows, (s, t) => {
    const i = Math.round(t * rows);
    const [r, y] = run[i];
    const [nr, ny] = slope(i);
    const angle = s * 2 * Math.PI;
    const c = Math.cos(angle);
    const d = -Math.sin(angle);
    return { p: place(f, -c * r, y, -d * r), n: aim(f, -c * nr, ny, -d * nr), uv: [s * 2, y * 2] };
  });
}

/** A round tube along a path; the ends stay open unless `caps`. */
export function tube(
  mesh: Mesh,
  path: readonly ArrayLike<number>[],
  radius: number | ((t: number) => number),
  sides: number,
  caps = false,
  uvScale: readonly [number, number] = [1, 1],
): void {
  const n = path.length - 1;
  let [right, up] = frameAbout(unit(minus(path[1], path[0])));
  const rings = path.map((p, i) => {
    const axis = unit(minus(path[Math.min(n, i + 1)], path[Math.max(0, i - 1)]));
    // carry the frame along with the least twist
    const r = unit(
      minus(
        right,
        axis.map((a) => a * (right[0] * axis[0] + right[1] * axis[1] + right[2] * axis[2])),
      ),
    );
    right = r;
    up = cross(axis, r);
    return { p, right, up, axis };
  });
  mesh.grid(sides, n, (s, t) => {
    const i = Math.round(t * n);
    const ring = rings[i];
    const a = -s * 2 * Math.PI;
    const normal = plus(plus([0, 0, 0], ring.right, Math.cos(a)), ring.up, Math.sin(a));
    const r = typeof radius === 'number' ? radius : radius(t);
    return { p: plus(ring.p, normal, r), n: normal, uv: [s * uvScale[0], t * uvScale[1]] };
  });
  if (!caps) return;
  for (const end of [0, n]) {
    const ring = rings[end];
    const sign = end === 0 ? -1 : 1;
    const normal = ring.axis.map((a) => a * sign);
    const centre = mesh.vertex(ring.p, normal, 0, 0);
    const r = typeof radius === 'number' ? radius : radius(end / n);
    const rim: number[] = [];
    for (let k = 0; k < sides; k++) {
      const a = (k / sides) * 2 * Math.PI;
      const d = plus(plus([0, 0, 0], ring.right, Math.cos(a)), ring.up, Math.sin(a));
      rim.push(mesh.vertex(plus(ring.p, d, r), normal, 0, 0));
    }
    for (let k = 0; k < sides; k++) {
      const next = rim[(k + 1) % sides];
      if (sign > 0) mesh.triangle(centre, rim[k], next);
      else mesh.triangle(centre, next, rim[k]);
    }
  }
}

/** Points of an arc about the frame's `out` axis, in its right/up plane at height z. */
export function arc(f: Frame, radius: number, from: number, to: number, steps: number, z = 0): number[][] {
  return Array.from({ length: steps + 1 }, (_, i) => {
    const a = from + ((to - from) * i) / steps;
    return place(f, Math.cos(a) * radius, Math.sin(a) * radius, z);
  });
}

/** Radians from `from` to `to`; what is not closed gets its ends. */
export interface Arc {
  from: number;
  to: number;
  steps: number;
  closed: boolean;
}

/**
 * A prism ring about the frame's `out` axis: a closed cross-section swept over an arc.
 * @param section [radius, z] corners in order; counter-clockwise with radius to the right and z up
 */
export function sweep(
  mesh: Mesh,
  f: Frame,
  section: readonly (readonly [number, number])[],
  { from, to, steps, closed }: Arc,
): void {
  const n = section.length;
  for (let k = 0; k < n; k++) {
    const a = section[k];
    const b = section[(k + 1) % n];
    const l = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const nr = (b[1] - a[1]) / l;
    const nz = -(b[0] - a[0]) / l;
    mesh.grid(steps, 1, (s, t) => {
      const angle = from + (to - from) * s;
      const c = Math.cos(angle);
      const d = Math.sin(angle);
      const [r, z] = t === 0 ? b : a;
      return { p: place(f, c * r, d * r, z), n: aim(f, c * nr, d * nr, nz) };
    });
  }
  if (closed) return;
  for (const [angle, first] of [
    [from, true],
    [to, false],
  ] as const) {
    const c = Math.cos(angle);
    const d = Math.sin(angle);
    const normal = first ? aim(f, d, -c, 0) : aim(f, -d, c, 0);
    const i = section.map(([r, z]) => mesh.vertex(place(f, c * r, d * r, z), normal, 0, 0));
    for (let k = 1; k + 1 < n; k++) {
      if (first) mesh.triangle(i[0], i[k], i[k + 1]);
      else mesh.triangle(i[0], i[k + 1], i[k]);
    }
  }
}
