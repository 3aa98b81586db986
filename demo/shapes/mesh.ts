/** Collects vertices and triangles of one material. */
import { cross, length, unit } from '@daxel/core/math/mat4';
import type { PrimitiveSource } from '@daxel/core/scene/source';

export type Vec3 = readonly [number, number, number];

export class Mesh {
  private readonly positions: number[] = [];
  private readonly normals: number[] = [];
  private readonly uvs: number[] = [];
  private readonly indices: number[] = [];

  vertex(p: ArrayLike<number>, n: ArrayLike<number>, u: number, v: number): number {
    this.positions.push(p[0], p[1], p[2]);
    this.normals.push(n[0], n[1], n[2]);
    this.uvs.push(u, v);
    return this.positions.length / 3 - 1;
  }

  /** Corners that lie on one another, as at the pole of a turned shape, make no triangle. */
  triangle(a: number, b: number, c: number): void {
    if (this.meet(a, b) || this.meet(b, c) || this.meet(c, a)) return;
    this.indices.push(a, b, c);
  }

  private meet(a: number, b: number): boolean {
    const P = this.positions;
    return [0, 1, 2].every((k) => Math.abs(P[a * 3 + k] - P[b * 3 + k]) < 1e-9);
  }

  /** A flat four-cornered face, counter-clockwise seen from the front; `uv` per corner. */
  quad(corners: readonly ArrayLike<number>[], uv: readonly (readonly [number, number])[] = UNIT_UV): void {
    const [a, b, , d] = corners;
    const n = unit(cross(minus(b, a), minus(d, a)));
    const i = corners.map((p, k) => this.vertex(p, n, uv[k][0], uv[k][1]));
    this.triangle(i[0], i[1], i[2]);
    this.triangle(i[0], i[2], i[3]);
  }

  /**
   * A grid of (columns + 1) × (rows + 1) vertices.
   * @param at position, and normal where it is known; (0, 0) is the upper left corner seen from the front
   */
  grid(
    columns: number,
    rows: number,
    at: (s: number, t: number) => { p: ArrayLike<number>; n: ArrayLike<number>; uv?: readonly [number, number] },
  ): void {
    const first = this.positions.length / 3;
    for (let j = 0; j <= rows; j++) {
      for (let i = 0; i <= columns; i++) {
        const { p, n, uv } = at(i / columns, j / rows);
        this.vertex(p, n, uv ? uv[0] : i / columns, uv ? uv[1] : j / rows);
      }
    }
    for (let j = 0; j < rows; j++) {
      for (let i = 0; i < columns; i++) {
        const a = first + j * (columns + 1) + i;
        const b = a + columns + 1;
        this.triangle(a, b, b + 1);
        this.triangle(a, b + 1, a + 1);
      }
    }
  }

  get triangleCount(): number {
    return this.indices.length / 3;
  }

  primitive(material: number): PrimitiveSource {
    return {
      positions: Float32Array.from(this.positions),
      normals: Float32Array.from(this.normals),
      uvs: Float32Array.from(this.uvs),
      indices: Uint32Array.from(this.indices),
      material,
    };
  }
}

const UNIT_UV = [
  [0, 1],
  [1, 1],
  [1, 0],
  [0, 0],
] as const;

export function minus(a: ArrayLike<number>, b: ArrayLike<number>): number[] {
  return [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
}

export function plus(a: ArrayLike<number>, b: ArrayLike<number>, k = 1): number[] {
  return [a[0] + b[0] * k, a[1] + b[1] * k, a[2] + b[2] * k];
}

/** Two unit vectors that complete `axis` to a right-handed frame (right, up, axis). */
export function frameAbout(axis: ArrayLike<number>, hint: ArrayLike<number> = [0, 1, 0]): [number[], number[]] {
  let right = cross(hint, axis);
  if (length(right) < 1e-6) right = cross([1, 0, 0], axis);
  right = unit(right);
  return [right, cross(axis, right)];
}
