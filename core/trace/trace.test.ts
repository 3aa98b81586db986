import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { kernelStructure, plainStructure } from '../testing/rayStructures';
import { LINK_WORDS, NODE_WORDS, nodeLimit, packetLimit, type BvhArrays } from './bvhLayout';
import { alone, BVH_FITTED, type Share } from './bvhBuilder';
import { BLOCKED, KIND_LOOK, KIND_SOLID, TOO_MANY } from './rayKernel';
import { closestHit, hit, meetTriangle, met, traceRay } from './traceRay';
import { cases } from '../testing/cases';

interface Rays {
  bvh: BvhArrays;
  nodes: number;
  /** Distance of the nearest hit, Infinity for none. */
  nearest(o: readonly number[], d: readonly number[]): number;
}
const plain = (positions: Float32Array, triangles: Uint32Array): Rays => {
  const made = plainStructure(positions, triangles);
  const nearest: Rays['nearest'] = (o, d) =>
    closestHit(made.bvh, o[0], o[1], o[2], d[0], d[1], d[2]) ? hit.distance : Infinity;
  return { ...made, nearest };
};
const compiled = (positions: Float32Array, triangles: Uint32Array): Rays => {
  const made = kernelStructure(positions, triangles);
  const nearest: Rays['nearest'] = (o, d) =>
    made.kernel.closest(o[0], o[1], o[2], d[0], d[1], d[2], 0, 0) < 0 ? Infinity : made.kernel.reached();
  return { ...made, nearest };
};

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

describe.each([
  ['plain', plain],
  ['compiled', compiled],
])('the %s hierarchy', (_name, build) => {
  it('finds what looking at every triangle finds', () => {
    const { positions, triangles } = soup(700, 0.15, 3);
    const bvh = build(positions, triangles);
    const coordinate = fc.double({ min: -0.3, max: 1.3, noNaN: true });
    const direction = fc.tuple(...[0, 1, 2].map(() => fc.double({ min: -1, max: 1, noNaN: true })));
    fc.assert(
      fc.property(coordinate, coordinate, coordinate, direction, (x, y, z, d) => {
        fc.pre(Math.hypot(...d) > 0.05);
        const expected = slowHit(positions, triangles, [x, y, z], d);
        const found = bvh.nearest([x, y, z], d);
        if (expected === Infinity) expect(found).toBe(Infinity);
        else expect(found / expected).toBeCloseTo(1, 9);
      }),
      { numRuns: cases(1500) },
    );
  });

  it('holds every triangle once, whatever their number and place', () => {
    for (const count of [0, 1, 2, 4, 5, 9, 333]) {
      const { positions, triangles } = soup(count, 0.1, count);
      // a third of them in one place, where no split can part them
      for (let t = 0; t < count / 3; t++) positions.copyWithin(t * 9, 0, 9);
      const bvh = build(positions, triangles);
      const places = bvh.bvh.bvhPackets.length / 36;
      expect(places).toBe(packetLimit(count));
      const held = [...bvh.bvh.bvhOrder.subarray(0, count === 0 ? 0 : places * 4)]
        .map((t, place) => (Number.isNaN(bvh.bvh.bvhPackets[(place >> 2) * 36 + (place & 3)]) ? -1 : t))
        .filter(
          (t, place) =>
            t >= 0 && bvh.bvh.bvhPackets.subarray((place >> 2) * 36, (place >> 2) * 36 + 36).some((v) => v !== 0),
        );
      expect(held.sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, i) => i));
      let visited = 0;
      traceRay(bvh.bvh, 0.5, 0.5, -9, 0, 0, 1, Infinity, (_p, _u, _v, _d, limit) => (visited++, limit));
      expect(visited).toBeLessThanOrEqual(count);
      expect(bvh.nodes).toBeLessThanOrEqual(nodeLimit(count));
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
    expect(bvh.nearest([0.1, 0.1, -1], [0, 0, 1])).toBeCloseTo(2, 6);
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
      if (bvh.nearest(o, d) === Infinity) missed++;
    }
    expect(missed).toBe(0);
  });
});

describe('the compiled loops', () => {
  const { positions, triangles } = soup(4000, 0.08, 5);
  const twin = plainStructure(positions, triangles);
  const ray = (random: () => number): number[] =>
    Array.from({ length: 6 }, (_, k) => random() * (k < 3 ? 1 : 2) - (k < 3 ? 0 : 1));

  it('meet what the plain ones meet, on their own structure and on the other', () => {
    const own = kernelStructure(positions, triangles);
    const random = randomStream(21);
    let edges = 0;
    for (let r = 0; r < 20_000; r++) {
      const [ox, oy, oz, dx, dy, dz] = ray(random);
      const place = own.kernel.closest(ox, oy, oz, dx, dy, dz, 0, 0);
      for (const bvh of [twin.bvh, own.bvh]) {
        const theirs = closestHit(bvh, ox, oy, oz, dx, dy, dz) ? hit.triangle : -1;
        const ours = place < 0 ? -1 : own.bvh.bvhOrder[place];
        if (ours === theirs) {
          if (ours >= 0) expect(Math.abs(own.kernel.reached() / hit.distance - 1)).toBeLessThan(1e-9);
          continue;
        }
        // 32 bits may decide otherwise only within a hair of an edge
        edges++;
        const at = ours >= 0 && (theirs < 0 || own.kernel.reached() < hit.distance) ? place : -1;
        if (at < 0) continue;
        meetTriangle(own.bvh, at, ox, oy, oz, dx, dy, dz);
        expect(Math.min(met.u, met.v, 1 - met.u - met.v)).toBeGreaterThan(-1e-3);
      }
    }
    expect(edges).toBeLessThan(20);
  });

  it('meet the same after things moved, fitted or built anew, as in a structure made there', () => {
    const own = kernelStructure(positions, triangles);
    own.builder.move(alone, false);
    expect(own.state[BVH_FITTED]).toBe(0);
    const random = randomStream(9);
    // a drift, a wave, and at last all to other places
    for (const [shift, fitted] of [
      [(x: number, k: number): number => x + (k % 3) * 0.3, true],
      [(x: number, _k: number, y: number): number => x + 0.02 * y, true],
      [(x: number, k: number): number => (x * 7.13 + Math.floor(k / 9) * 0.37) % 1, false],
    ] as const) {
      const before = own.positions.slice();
      for (let k = 0; k < before.length; k++) own.positions[k] = shift(before[k], k, before[k - (k % 3)]);
      own.builder.move(alone, true);
      expect(own.state[BVH_FITTED] === 1).toBe(fitted);
      const anew = kernelStructure(own.positions.slice(), triangles);
      let hits = 0;
      for (let r = 0; r < 4000; r++) {
        const [ox, oy, oz, dx, dy, dz] = ray(random);
        const [a, b] = [own, anew].map(({ kernel, bvh }) => {
          const place = kernel.closest(ox, oy, oz, dx, dy, dz, 0, 0);
          return place < 0 ? null : { triangle: bvh.bvhOrder[place], distance: kernel.reached() };
        });
        expect(a).toEqual(b);
        if (a) hits++;
      }
      expect(hits).toBeGreaterThan(500);
    }
  });

  it('lie the same whoever builds them, in parts of which none touches another', () => {
    const many = soup(30_000, 0.02, 12);
    // a third in one corner: parts of very different sizes
    for (let k = 0; k < 90_000; k++) many.positions[k] *= 0.03;
    const materials = Uint16Array.from({ length: 30_000 }, (_, t) => t % 7);
    const own = kernelStructure(many.positions, many.triangles, new Uint8Array(7), materials);
    const { bvhLinks, bvhPackets, bvhOrder, bvhMaterials } = own.bvh;
    expect(own.state[BVH_FITTED]).toBe(0);
    const all = (arrays = [bvhLinks, bvhPackets, bvhOrder, bvhMaterials]): string =>
      arrays.map((a) => Buffer.from(a.buffer, a.byteOffset, a.byteLength).toString('base64')).join();
    const built = all();
    const packed = all([bvhPackets, bvhOrder]);
    let phases = 0;
    let most = 0;
    const backwards: Share = (count, run) => {
      phases++;
      most = Math.max(most, count);
      for (let item = count - 1; item >= 0; item--) run(item);
      return true;
    };
    own.builder.build(backwards);
    expect(all() === built).toBe(true);
    expect(phases).toBe(4);
    expect(most).toBeGreaterThan(3);
    own.builder.move(backwards, true);
    expect(own.state[BVH_FITTED]).toBe(1);
    // boxes are widened from below now, triangles lie where they did
    expect(all([bvhPackets, bvhOrder]) === packed).toBe(true);

    // from the root on every triangle lies in one place, with its material
    const seen = new Uint8Array(30_000);
    const todo = [0];
    let nodes = 0;
    while (todo.length > 0) {
      const node = todo.pop()!;
      nodes++;
      for (let k = 0; k < 4; k++) {
        const link = bvhLinks[node * NODE_WORDS + LINK_WORDS + k];
        if (link > 0) {
          expect(link).toBeGreaterThan(node);
          todo.push(link);
        }
        if (link >= 0) continue;
        for (let place = (~link >> 3) * 4, n = ((~link & 7) + 1) * 4; n > 0; place++, n--) {
          const t = bvhOrder[place];
          if (t === 0xffffffff) continue;
          seen[t]++;
          expect(bvhMaterials[place]).toBe(t % 7);
        }
      }
    }
    expect(seen.every((n) => n === 1)).toBe(true);
    expect(nodes).toBe(own.nodes);
  });

  it('stop being built when the frame is cancelled', () => {
    const own = kernelStructure(positions, triangles);
    for (let last = 0; last < 4; last++) {
      let phases = 0;
      const cancelled: Share = (count, run) => alone(count, run) && phases++ < last;
      expect(own.builder.build(cancelled)).toBe(false);
      expect(phases).toBe(last + 1);
    }
  });

  it('find what lies behind a distance, one after the other', () => {
    const { kernel } = kernelStructure(positions, triangles);
    const random = randomStream(4);
    let longest = 0;
    for (let k = 0; k < 100; k++) {
      const [ox, oy, oz, dx, dy, dz] = ray(random);
      const all: number[] = [];
      traceRay(
        twin.bvh,
        ox,
        oy,
        oz,
        dx,
        dy,
        dz,
        Infinity,
        (_p, _u, _v, distance, limit) => (all.push(distance), limit),
      );
      all.sort((a, b) => a - b);
      const found: number[] = [];
      let behind = 0;
      while (kernel.closest(ox, oy, oz, dx, dy, dz, behind, 0) >= 0) found.push((behind = kernel.reached()));
      expect(found.length).toBe(all.length);
      found.forEach((d, i) => expect(d / all[i]).toBeCloseTo(1, 9));
      longest = Math.max(longest, found.length);
    }
    expect(longest).toBeGreaterThan(3);
  });

  it('list every see-through triangle on a shadow ray, stop at a solid one, and say when there are too many', () => {
    // sheets one behind the other: every third is solid in the first case, none in the others
    const sheets = (count: number): Float32Array =>
      Float32Array.from(
        { length: count * 9 },
        (_, i) => [0, 0, 0, 1, 0, 0, 0, 1, 0][i % 9] + (i % 3 === 2 ? Math.floor(i / 9) + 1 : 0),
      );
    const all = (count: number): Uint32Array => Uint32Array.from({ length: count * 3 }, (_, i) => i);
    const kinds = Uint8Array.of(KIND_LOOK, KIND_SOLID, 0);
    const of = (count: number, material: (t: number) => number) =>
      kernelStructure(
        sheets(count),
        all(count),
        kinds,
        Array.from({ length: count }, (_, t) => material(t)),
      ).kernel;
    const some = of(9, (t) => (t % 3 === 1 ? 2 : 0));
    expect(some.shadow(0.2, 0.2, 0, 0, 0, 1, Infinity)).toBe(6);
    expect(some.shadow(0.2, 0.2, 0, 0, 0, 1, 4.5)).toBe(3);
    expect(some.shadow(0.9, 0.9, 0, 0, 0, 1, Infinity)).toBe(0);
    const solid = of(9, (t) => (t === 4 ? 1 : 0));
    expect(solid.shadow(0.2, 0.2, 0, 0, 0, 1, Infinity)).toBe(BLOCKED);
    expect(solid.shadow(0.2, 0.2, 0, 0, 0, 1, 4.9)).toBe(4);
    expect(of(40, () => 0).shadow(0.2, 0.2, 0, 0, 0, 1, Infinity)).toBe(TOO_MANY);
  });
});
