import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createKernelMemory } from '@daxel/kernel/load';
import { RenderPool } from '../frame/renderPool';
import { createLocalPort } from '../frame/localPort';
import { resolveRecipe } from '../recipe/recipe';
import { worldToPixels, type CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { PrimitiveSource } from '../scene/source';
import { triple, within } from '../testing/anything';
import { addNode, cameraAt, DOWN, light, MATTE, sceneOf } from '../testing/scenes';
import { binChunk, CHUNK_ENTRIES, CHUNK_TRIANGLES, type BinTarget } from './binTriangles';
import {
  boxOfChunks,
  CHUNK_BOX,
  CHUNK_VERTICES,
  measureChunk,
  measureQuickly,
  chunksSeen,
  partsOfTiles,
  type ChunkBounds,
} from './chunkBounds';
import { transformVertices } from './transform';
import { cases } from '../testing/cases';

const SIDE = 64;
const ALL_TILES = Array.from({ length: 16 }, (_, t) => t);
const room = (chunks: number): ChunkBounds => ({
  chunkBoxes: new Float32Array(chunks * CHUNK_BOX),
  chunkVertices: new Uint32Array(chunks * CHUNK_VERTICES),
});

/** Is a triangle of the first chunk in a tile's list, or with its box in a tile as one that covers many? */
function inTile({ starts, entries, boxes, tilesX, tileShift }: BinTarget, tile: number): boolean {
  if (starts[tile + 1] > starts[tile]) return true;
  const [x, y] = [tile % tilesX, Math.floor(tile / tilesX)].map((at) => at << tileShift);
  const side = 1 << tileShift;
  return entries.subarray(starts[starts.length - 2], starts[starts.length - 1]).some((t) => {
    const [x0, y0, x1, y1] = boxes.subarray(t * 4, t * 4 + 4);
    return x0 < x + side && x1 >= x && y0 < y + side && y1 >= y;
  });
}

describe('chunks of triangles', () => {
  it('know their box and their vertices', () => {
    const positions = Float32Array.of(9, 9, 9, 1, -2, 3, 4, 5, -6, 0, 1, 2, 8, 8, 8);
    const bounds = room(1);
    measureChunk(0, positions, Uint32Array.of(3, 1, 2), bounds);
    expect([...bounds.chunkBoxes]).toEqual([0, -2, -6, 4, 5, 3]);
    expect([...bounds.chunkVertices]).toEqual([1, 4]);
    expect(boxOfChunks(bounds, 1)).toEqual({ min: [0, -2, -6], max: [4, 5, 3] });
  });

  it('are measured by the compiled loop as by the plain one', () => {
    const memory = createKernelMemory(1 << 20)!;
    fc.assert(
      fc.property(
        fc.array(triple(fc.float()), { minLength: 3, maxLength: 40 }),
        fc.array(triple(fc.nat()), { minLength: 1, maxLength: 30 }),
        (places, corners) => {
          const positions = new Float32Array(memory.buffer, 64, places.length * 3);
          positions.set(places.flat());
          const triangles = new Uint32Array(memory.buffer, 1024, corners.length * 3);
          triangles.set(corners.flat().map((v) => v % places.length));
          const compiled = {
            chunkBoxes: new Float32Array(memory.buffer, 4096, CHUNK_BOX),
            chunkVertices: new Uint32Array(memory.buffer, 4160, CHUNK_VERTICES),
          };
          measureQuickly(memory, 0, positions, triangles, compiled);
          const plain = room(1);
          measureChunk(0, positions, triangles, plain);
          // zeros of either sign are the same place
          const sameOf = ({ chunkBoxes, chunkVertices }: ChunkBounds): number[] => [
            ...Array.from(chunkBoxes, (b) => b + 0),
            ...chunkVertices,
          ];
          expect(sameOf(compiled)).toEqual(sameOf(plain));
        },
      ),
      { numRuns: cases(300) },
    );
  });

  it('are looked for in few rectangles that hold all tiles that are wanted', () => {
    // 4 tiles a row: two rows of the same two, one row with a gap, one alone
    expect(partsOfTiles([13, 1, 2, 5, 6, 8, 11], 4, 3)).toEqual([
      { x: 8, y: 0, width: 16, height: 16 },
      { x: 0, y: 16, width: 32, height: 8 },
      { x: 8, y: 24, width: 8, height: 8 },
    ]);
    expect(partsOfTiles(ALL_TILES, 4, 4)).toEqual([{ x: 0, y: 0, width: SIDE, height: SIDE }]);
    expect(partsOfTiles([], 4, 4)).toEqual([]);
  });

  it('are out of sight only where none of their triangles is in a list', () => {
    let [left, taken] = [0, 0];
    fc.assert(
      fc.property(
        fc.array(fc.tuple(triple(within(-1, 1)), triple(within(-1, 1)), triple(within(-1, 1))), {
          minLength: 1,
          maxLength: 5,
        }),
        triple(within(-4, 4)),
        fc.record({ eye: triple(within(-3, 3)), at: triple(within(-1, 1)), fov: within(2, 80), flat: fc.boolean() }),
        within(0, 3),
        fc.oneof(fc.constant(ALL_TILES), fc.subarray(ALL_TILES, { minLength: 1 })),
        (corners, middle, { eye, at, fov, flat }, reach, wanted) => {
          fc.pre(Math.hypot(eye[0] - at[0], eye[2] - at[2]) > 0.1);
          const view = cameraAt(eye, at, fov);
          const camera: CameraView = flat
            ? { ...view, lens: { ...view.lens, kind: 'orthographic', ymag: fov / 20 } }
            : view;
          const matrix = worldToPixels(camera, SIDE, SIDE);
          const positions = Float32Array.from(corners.flat(2), (p, i) => p + middle[i % 3]);
          const n = corners.length;
          const triangles = Uint32Array.from({ length: n * 3 }, (_, i) => i);
          const bounds = room(1);
          measureChunk(0, positions, triangles, bounds);
          const clip = new Float32Array(n * 12);
          transformVertices(matrix, positions, clip, 0, n * 3);
          const target: BinTarget = {
            ...{ width: SIDE, height: SIDE, tileShift: 4, tilesX: 4, tilesY: 4 },
            ...{ starts: new Int32Array(18), entries: new Int32Array(CHUNK_ENTRIES), boxes: new Int16Array(n * 4) },
          };
          binChunk(0, clip, triangles, new Uint16Array(n), Uint8Array.of(2), reach, target);
          const some = wanted.some((t) => inTile(target, t));
          if (chunksSeen(matrix, partsOfTiles(wanted, 4, 4), reach, bounds, 1)[0]) taken++;
          else {
            expect(some).toBe(false);
            left++;
          }
        },
      ),
      { numRuns: cases(500) },
    );
    expect(left).toBeGreaterThan(100);
    expect(taken).toBeGreaterThan(100);
  });

  it('give the same picture to the bit however triangles are spread over them', async () => {
    // six patches around a lamp, each as large as a chunk; in the other order every chunk has triangles of all
    const patches = 6;
    const side = Math.sqrt(CHUNK_TRIANGLES / 2) | 0;
    const patch = (k: number): number[][] => {
      const angle = (k / patches) * 2 * Math.PI;
      const at = (i: number, j: number): number[] => [
        Math.cos(angle) * 2 + (i / side - 0.5) * 1.3,
        0.4 * Math.sin(i * 0.7 + j * 1.1) + 0.3 * k,
        Math.sin(angle) * 2 + (j / side - 0.5) * 1.3,
      ];
      const list: number[][] = [];
      for (let i = 0; i < side; i++)
        for (let j = 0; j < side; j++) {
          list.push([...at(i, j), ...at(i + 1, j), ...at(i, j + 1)]);
          list.push([...at(i + 1, j), ...at(i + 1, j + 1), ...at(i, j + 1)]);
        }
      while (list.length < CHUNK_TRIANGLES) list.push(list[0].map((_, c) => list[0][c % 3]));
      return list;
    };
    const chunks = Array.from({ length: patches }, (_, k) => patch(k));
    const together = chunks.flat();
    const spread = together.map((_, i) => chunks[i % patches][Math.floor(i / patches)]);
    const sumsOf = async (list: number[][], kernels: boolean): Promise<Float32Array> => {
      const positions = Float32Array.from(list.flat());
      const normals = Float32Array.from(positions, (_, i) => (i % 3 === 1 ? 1 : 0));
      const count = positions.length / 3;
      const primitive = { positions, normals, indices: Uint32Array.from({ length: count }, (_, i) => i), material: 0 };
      const source = sceneOf([primitive as PrimitiveSource], [{ ...MATTE, doubleSided: true }]);
      source.lights = [light('point', 20, { castsShadow: true }), light('sun', 2, { castsShadow: true })];
      addNode(source, { light: 0, translation: [0, 1.1, 0] });
      addNode(source, { light: 1, rotation: DOWN });
      const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
      pool.setScene('s', toShared(packScene(compileScene(source))));
      const small = { 'output.width': 96, 'output.height': 64, 'samples.pixel': 2 };
      const recipe = resolveRecipe({ name: 't', draft: small, final: {} }, 'draft');
      const camera = cameraAt([0, 2.5, 4], [1, 0.5, 0], 40);
      const { views } = await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 }).promise;
      pool.terminate();
      return views.sums;
    };
    for (const kernels of [true, false]) {
      const sums = await sumsOf(together, kernels);
      expect(await sumsOf(spread, kernels)).toEqual(sums);
      expect(sums.some((s) => s > 0)).toBe(true);
    }
  });
});
