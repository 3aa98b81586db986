import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bindKernel, createKernelMemory } from '@daxel/kernel/load';
import { worldToPixels } from '../scene/camera';
import { cameraAt } from '../testing/scenes';
import { binChunk, CHUNK_ENTRIES, CHUNK_TRIANGLES, countBinned, type BinTarget } from './binTriangles';
import { EDGES, ownsEdge, startTriangle, tileEdges, triangleEdges } from './edges';
import { transformVertices } from './transform';
import { cases } from '../testing/cases';

const SIDE = 256;
const SHIFT = 5;
const TILES = SIDE >> SHIFT;

function target(triangles: number): BinTarget {
  const chunks = Math.ceil(triangles / CHUNK_TRIANGLES);
  return {
    width: SIDE,
    height: SIDE,
    tileShift: SHIFT,
    tilesX: TILES,
    tilesY: TILES,
    starts: new Int32Array(chunks * (TILES * TILES + 2)),
    entries: new Int32Array(chunks * CHUNK_ENTRIES),
    boxes: new Int16Array(triangles * 4),
  };
}

/** Triangles that a tile will be asked to draw. */
function listOf(bins: BinTarget, tile: number, chunk = 0): number[] {
  const at = chunk * (TILES * TILES + 2);
  const base = chunk * CHUNK_ENTRIES;
  const own = bins.entries.slice(base + bins.starts[at + tile], base + bins.starts[at + tile + 1]);
  const wide = bins.entries.slice(base + bins.starts[at + TILES * TILES], base + bins.starts[at + TILES * TILES + 1]);
  return [...own, ...wide];
}

type Placed = Float32Array | Uint32Array | Int32Array | Uint16Array | Int16Array | Uint8Array;

const coordinate = fc.double({ min: -6, max: 6, noNaN: true });
const corner = fc.tuple(coordinate, coordinate, coordinate);

describe('binning', () => {
  it('leaves no triangle out of a tile in which it covers a pixel', () => {
    const matrix = worldToPixels(cameraAt([0, 0, 4], [0, 0, 0], 60), SIDE, SIDE);
    fc.assert(
      fc.property(fc.array(fc.tuple(corner, corner, corner), { minLength: 1, maxLength: 12 }), (list) => {
        const positions = Float32Array.from(list.flat(2));
        const clip = new Float32Array((positions.length / 3) * 4);
        transformVertices(matrix, positions, clip, 0, positions.length / 3);
        const triangles = Uint32Array.from({ length: list.length * 3 }, (_, i) => i);
        const bins = target(list.length);
        binChunk(0, clip, triangles, new Uint16Array(list.length), Uint8Array.of(2), 0, bins);
        const edges = new Float64Array(EDGES);
        for (let t = 0; t < list.length; t++) {
          if (triangleEdges(clip, triangles, t, edges) === 0) continue;
          for (let y = 3; y < SIDE; y += 11) {
            for (let x = 5; x < SIDE; x += 11) {
              const [px, py] = [x + 0.5, y + 0.5];
              const inside = [0, 3, 6].every((k) => edges[k] * px + edges[k + 1] * py + edges[k + 2] > 1e-6);
              const depth = edges[9] * px + edges[10] * py + edges[11];
              if (!inside || depth > 0.999 || depth <= 0) continue;
              expect(listOf(bins, (y >> SHIFT) * TILES + (x >> SHIFT))).toContain(t);
              const box = bins.boxes.subarray(t * 4, t * 4 + 4);
              expect(x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3]).toBe(true);
            }
          }
        }
      }),
      { numRuns: cases(150) },
    );
  });

  it('keeps the order of the file in every tile, and tells how many are in it, chunk by chunk', () => {
    const n = CHUNK_TRIANGLES + 300;
    const positions = new Float32Array(n * 9);
    for (let t = 0; t < n; t++) {
      const x = ((t * 37) % 97) / 97 - 0.5;
      const y = ((t * 53) % 89) / 89 - 0.5;
      positions.set([x, y, 0, x + 0.06, y, 0, x, y + 0.06, 0], t * 9);
    }
    const clip = new Float32Array(n * 12);
    transformVertices(worldToPixels(cameraAt([0, 0, 1], [0, 0, 0], 60), SIDE, SIDE), positions, clip, 0, n * 3);
    const bins = target(n);
    const corners = Uint32Array.from({ length: n * 3 }, (_, i) => i);
    for (const chunk of [0, 1]) binChunk(chunk, clip, corners, new Uint16Array(n), Uint8Array.of(2), 0, bins);
    let some = 0;
    for (let tile = 0; tile < TILES * TILES; tile++) {
      const own = [...listOf(bins, tile), ...listOf(bins, tile, 1)];
      expect(own).toEqual([...own].sort((a, b) => a - b));
      // none is large enough for the list that all tiles read
      expect(countBinned(bins, 2, tile)).toBe(own.length);
      some += own.length;
    }
    expect(some).toBeGreaterThan(n * 0.9);
  });

  it('by the compiled loop is that of the plain one: any triangles, before, behind and through the near plane', () => {
    const matrix = worldToPixels(cameraAt([0, 0, 4], [0, 0, 0], 60), SIDE, SIDE);
    fc.assert(
      fc.property(fc.array(fc.tuple(corner, corner, corner), { minLength: 1, maxLength: 40 }), (list) => {
        const count = list.length;
        const memory = createKernelMemory(1 << 20)!;
        let top = 64;
        const place = <T extends Placed>(plain: T): T => {
          const Type = plain.constructor as new (b: ArrayBufferLike, at: number, n: number) => T;
          const own = new Type(memory.buffer, top, plain.length);
          own.set(plain);
          top += Math.ceil(plain.byteLength / 64) * 64;
          return own;
        };
        const positions = Float32Array.from(list.flat(2));
        const clip = place(new Float32Array(count * 12));
        transformVertices(matrix, positions, clip, 0, count * 3);
        const triangles = place(Uint32Array.from({ length: count * 3 }, (_, i) => i));
        const materials = place(Uint16Array.from({ length: count }, (_, i) => i % 3));
        const rules = place(Uint8Array.of(2, 1, 0));
        const plain = target(count);
        binChunk(0, clip, triangles, materials, rules, 0.75, plain);
        const { starts, entries, boxes } = target(count);
        const own = { ...plain, starts: place(starts), entries: place(entries), boxes: place(boxes) };
        const at = [clip, triangles, materials, rules].map((a) => a.byteOffset) as [number, number, number, number];
        const out = [own.starts, own.entries, own.boxes].map((a) => a.byteOffset) as [number, number, number];
        bindKernel(memory).binChunk(0, count, ...at, 0.75, SIDE, SIDE, SHIFT, TILES, TILES * TILES, ...out);
        expect([...own.starts]).toEqual([...plain.starts]);
        const listed = plain.starts[TILES * TILES + 1];
        expect([...own.entries.subarray(0, listed)]).toEqual([...plain.entries.subarray(0, listed)]);
        for (const t of plain.entries.subarray(0, listed))
          expect([...own.boxes.subarray(t * 4, t * 4 + 4)]).toEqual([...plain.boxes.subarray(t * 4, t * 4 + 4)]);
      }),
      { numRuns: cases(60) },
    );
  });

  it('drops what faces away when only fronts are asked for', () => {
    const matrix = worldToPixels(cameraAt([0, 0, 3], [0, 0, 0]), SIDE, SIDE);
    const positions = Float32Array.of(-1, -1, 0, 1, -1, 0, 0, 1, 0);
    const clip = new Float32Array(12);
    transformVertices(matrix, positions, clip, 0, 3);
    const drawn = (order: number[], rule: number): boolean => {
      const bins = target(1);
      binChunk(0, clip, Uint32Array.from(order), Uint16Array.of(0), Uint8Array.of(rule), 0, bins);
      return Array.from({ length: TILES * TILES }, (_, tile) => listOf(bins, tile)).some((l) => l.length > 0);
    };
    expect([drawn([0, 1, 2], 1), drawn([0, 2, 1], 1), drawn([0, 2, 1], 2), drawn([0, 1, 2], 0)]).toEqual([
      true,
      false,
      true,
      false,
    ]);
  });
});

describe('edge functions', () => {
  it('are exactly negated between two triangles that share an edge', () => {
    fc.assert(
      fc.property(corner, corner, corner, corner, (a, b, c, d) => {
        const matrix = worldToPixels(cameraAt([0.3, 0.2, 9], [0, 0, 0], 50), SIDE, SIDE);
        const clip = new Float32Array(16);
        transformVertices(matrix, Float32Array.from([a, b, c, d].flat()), clip, 0, 4);
        const one = new Float64Array(EDGES);
        const two = new Float64Array(EDGES);
        const first = triangleEdges(clip, Uint32Array.of(0, 1, 2), 0, one);
        const second = triangleEdges(clip, Uint32Array.of(2, 1, 3), 0, two);
        fc.pre(first < 0 && second < 0);
        // the edge from corner 1 to corner 2 lies opposite to corner 0, and opposite to corner 3 in the other
        for (let k = 0; k < 3; k++) expect(Math.abs(one[k] + two[6 + k])).toBe(0);
        if (one[0] !== 0 || one[1] !== 0) expect(ownsEdge(one[0], one[1])).not.toBe(ownsEdge(two[6], two[7]));
      }),
    );
  });

  it('from any tile on are negated too, and lie where the exact ones do', () => {
    const tile = fc.integer({ min: 0, max: 60 }).map((n) => n * 64);
    fc.assert(
      fc.property(corner, corner, corner, corner, tile, tile, (a, b, c, d, x0, y0) => {
        const matrix = worldToPixels(cameraAt([0.3, 0.2, 9], [0, 0, 0], 50), 3840, 3840);
        const clip = new Float32Array(16);
        transformVertices(matrix, Float32Array.from([a, b, c, d].flat()), clip, 0, 4);
        const exact = new Float64Array(EDGES);
        const one = new Float32Array(EDGES);
        const two = new Float32Array(EDGES);
        const triangles = Uint32Array.of(0, 1, 2, 2, 1, 3);
        fc.pre(triangleEdges(clip, triangles, 0, exact) < 0);
        expect(tileEdges(clip, triangles, 0, x0, y0, one)).toBe(true);
        for (let k = 0; k < 9; k += 3) {
          const steep = Math.hypot(exact[k], exact[k + 1]);
          for (const [x, y] of [
            [0, 0],
            [63.5, 0.5],
            [20.25, 63.75],
          ]) {
            const e = exact[k] * (x0 + x) + exact[k + 1] * (y0 + y) + exact[k + 2];
            // pixels from the edge to the place; only near it may nothing be lost
            if (Math.abs(e) > 128 * steep) continue;
            const found = one[k] * x + one[k + 1] * y + one[k + 2];
            expect(Math.abs(found - e)).toBeLessThanOrEqual(4e-5 * steep);
          }
        }
        fc.pre(triangleEdges(clip, triangles, 1, exact) < 0);
        tileEdges(clip, triangles, 1, x0, y0, two);
        for (let k = 0; k < 3; k++) expect(Math.abs(one[k] + two[6 + k])).toBe(0);
      }),
    );
  });

  it('are not asked for where a triangle leaves nothing in a tile', () => {
    const clip = Float32Array.of(10, 10, 0.5, 1, 10, 30, 0.5, 1, 30, 10, 0.5, 1);
    const triangles = Uint32Array.of(0, 1, 2);
    const boxes = Int16Array.of(10, 10, 29, 29);
    const [edges, span] = [new Float32Array(EDGES), { x0: 0, y0: 0, x1: 0, y1: 0 }];
    const start = (x0: number, y0: number): boolean =>
      startTriangle(clip, triangles, boxes, 0, { x0, y0, x1: x0 + 16, y1: y0 + 16 }, edges, span);
    expect([start(0, 0), span]).toEqual([true, { x0: 10, y0: 10, x1: 16, y1: 16 }]);
    expect([start(16, 0), span]).toEqual([true, { x0: 0, y0: 10, x1: 14, y1: 16 }]);
    expect([start(32, 0), start(0, 32), start(48, 48)]).toEqual([false, false, false]);
    // seen edge-on it covers nothing
    clip.copyWithin(4, 0, 4);
    expect(start(0, 0)).toBe(false);
  });

  it('give barycentric coordinates that rebuild the point on the plane', () => {
    const view = cameraAt([1, 2, 6], [0, 0, 0], 45);
    const matrix = worldToPixels(view, SIDE, SIDE);
    const P = Float32Array.of(-1, -0.5, 0.3, 1.2, -0.4, -0.6, 0.1, 1.1, 0.2);
    const clip = new Float32Array(12);
    transformVertices(matrix, P, clip, 0, 3);
    const edges = new Float64Array(EDGES);
    triangleEdges(clip, Uint32Array.of(0, 1, 2), 0, edges);
    for (const weights of [
      [0.2, 0.3, 0.5],
      [0.7, 0.1, 0.2],
      [0.05, 0.9, 0.05],
    ]) {
      const world = [0, 1, 2].map((c) => weights[0] * P[c] + weights[1] * P[3 + c] + weights[2] * P[6 + c]);
      const project = (r: number): number =>
        matrix[r] * world[0] + matrix[r + 1] * world[1] + matrix[r + 2] * world[2] + matrix[r + 3];
      const [x, y] = [project(0) / project(12), project(4) / project(12)];
      const e = [0, 3, 6].map((k) => edges[k] * x + edges[k + 1] * y + edges[k + 2]);
      const sum = e[0] + e[1] + e[2];
      e.forEach((value, i) => expect(value / sum).toBeCloseTo(weights[i], 4));
      expect(edges[9] * x + edges[10] * y + edges[11]).toBeCloseTo(0.01 / project(12), 6);
    }
  });
});
