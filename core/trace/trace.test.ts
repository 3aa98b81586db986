import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { buildBvh, bvhNodeLimit, type BvhArrays } from './buildBvh';
import { closestHit, hit, traceRay } from './traceRay';

function build(positions: Float32Array, triangles: Uint32Array): BvhArrays & { nodes: number } {
  const count = triangles.length / 3;
  const arrays = {
    bvhBoxes: new Float32Array(bvhNodeLimit(count) * 12),
    bvhChildren: new Int32Array(bvhNodeLimit(count) * 2),
    bvhOrder: new Uint32Array(count),
    bvhCorners: new Float32Array(count * 9),
  };
  return { ...arrays, nodes: buildBvh(positions, triangles, arrays) };
}

/** `count` triangles of a size somewhere in a unit cube. */
function soup(count: number, size: number, seed: number): { positions: Float32Array; triangles: Uint32Array } {
  const random = randomStream(seed);
  const positions = new Float32Array(count * 9);
  for (let t = 0; t < count; t++) {
    const centre = [random(), random(), random()];
    for (let k = 0; k < 9; k++) positions[t * 9 + k] = centre[k % 3] + (random() - 0.5) * size;
  }
  return { positions, triangles: Uint32Array.from({ length: count * 3 }, (_, i) => i) };
}

/** Nearest hit by looking at every triangle with another formula: signed volumes. */
function slowHit(positions: Float32Array, triangles: Uint32Array, o: number[], d: number[]): number {
  let nearest = Infinity;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) =>
      Array.from(positions.subarray(triangles[t + k] * 3, triangles[t + k] * 3 + 3)),
    );
    const sub = (p: number[], q: number[]): number[] => p.map((v, k) => v - q[k]);
    const cross = (p: number[], q: number[]): number[] => [
      p[1] * q[2] - p[2] * q[1],
      p[2] * q[0] - p[0] * q[2],
      p[0] * q[1] - p[1] * q[0],
    ];
    const dot = (p: number[], q: number[]): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
    const [pa, pb, pc] = [sub(a, o), sub(b, o), sub(c, o)];
    const volumes = [dot(d, cross(pc, pb)), dot(d, cross(pa, pc)), dot(d, cross(pb, pa))];
    if (!(volumes.every((v) => v >= 0) || volumes.every((v) => v <= 0))) continue;
    const n = cross(sub(b, a), sub(c, a));
    const distance = dot(n, pa) / dot(n, d);
    if (distance > 0 && distance < nearest) nearest = distance;
  }
  return nearest;
}

describe('the hierarchy', () => {
  it('finds what looking at every triangle finds', () => {
    const { positions, triangles } = soup(700, 0.15, 3);
    const bvh = build(positions, triangles);
    const coordinate = fc.double({ min: -0.3, max: 1.3, noNaN: true });
    const direction = fc.tuple(...[0, 1, 2].map(() => fc.double({ min: -1, max: 1, noNaN: true })));
    fc.assert(
      fc.property(coordinate, coordinate, coordinate, direction, (x, y, z, d) => {
        fc.pre(Math.hypot(...d) > 0.05);
        const expected = slowHit(positions, triangles, [x, y, z], d);
        const found = closestHit(bvh, x, y, z, d[0], d[1], d[2]) ? hit.distance : Infinity;
        if (expected === Infinity) expect(found).toBe(Infinity);
        else expect(found / expected).toBeCloseTo(1, 9);
      }),
      { numRuns: 1500 },
    );
  });

  it('holds every triangle once, whatever their number and place', () => {
    for (const count of [0, 1, 2, 4, 5, 9, 333]) {
      const { positions, triangles } = soup(count, 0.1, count);
      // a third of them in one place, where no split can part them
      for (let t = 0; t < count / 3; t++) positions.copyWithin(t * 9, 0, 9);
      const bvh = build(positions, triangles);
      expect([...bvh.bvhOrder].sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, i) => i));
      let visited = 0;
      traceRay(bvh, 0.5, 0.5, -9, 0, 0, 1, Infinity, (_p, _u, _v, _d, limit) => (visited++, limit));
      expect(visited).toBeLessThanOrEqual(count);
      expect(bvh.nodes).toBeLessThanOrEqual(bvhNodeLimit(count));
    }
  });

  it('stays shallow for triangles whose sizes grow without end', () => {
    const count = 2000;
    const positions = new Float32Array(count * 9);
    for (let t = 0; t < count; t++) {
      const s = 1.02 ** (t % 900);
      positions.set([0, 0, s, s, 0, s, 0, s, s], t * 9);
    }
    const bvh = build(
      positions,
      Uint32Array.from({ length: count * 3 }, (_, i) => i),
    );
    expect(closestHit(bvh, 0.1, 0.1, -1, 0, 0, 1)).toBe(true);
    expect(hit.distance).toBeCloseTo(2, 6);
  });

  it('lets no ray out of a closed room, not even along its edges', () => {
    // a finely divided box, and rays from inside aimed at corners and edge points of its triangles
    const n = 12;
    const positions: number[] = [];
    const triangles: number[] = [];
    for (let axis = 0; axis < 3; axis++) {
      for (const side of [-1.3, 1.7]) {
        const first = positions.length / 3;
        for (let j = 0; j <= n; j++)
          for (let i = 0; i <= n; i++) {
            const p = [0, 0, 0];
            p[axis] = side;
            p[(axis + 1) % 3] = -1.3 + (3 * i) / n;
            p[(axis + 2) % 3] = -1.3 + (3 * j) / n;
            positions.push(...p);
          }
        for (let j = 0; j < n; j++)
          for (let i = 0; i < n; i++) {
            const a = first + j * (n + 1) + i;
            triangles.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
          }
      }
    }
    const P = Float32Array.from(positions);
    const T = Uint32Array.from(triangles);
    const bvh = build(P, T);
    const random = randomStream(11);
    let missed = 0;
    for (let r = 0; r < 40_000; r++) {
      const t = Math.floor(random() * (T.length / 3)) * 3;
      const [a, b] = [T[t + (r % 3)] * 3, T[t + ((r + 1) % 3)] * 3];
      const k = r % 4 === 0 ? 0 : random();
      const o = [random() - 0.5, random() - 0.5, random() - 0.5];
      const d = [0, 1, 2].map((c) => P[a + c] + (P[b + c] - P[a + c]) * k - o[c]);
      if (!closestHit(bvh, o[0], o[1], o[2], d[0], d[1], d[2])) missed++;
    }
    expect(missed).toBe(0);
  });
});
