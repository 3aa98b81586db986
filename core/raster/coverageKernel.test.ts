import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import type { FrameViews } from '../frame/frameMemory';
import { RenderPool } from '../frame/renderPool';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { MaterialSource, PrimitiveSource } from '../scene/source';
import { addNode, cameraAt, DOWN, environment, light, MATTE, sceneOf } from '../testing/scenes';
import { cases } from '../testing/cases';

const GLASS: MaterialSource = { ...MATTE, name: 'glass', transmission: 0.8, roughness: 0.2, doubleSided: true };
const THIN: MaterialSource = { ...MATTE, name: 'thin', doubleSided: true };

/** Triangles anywhere, of any shape: slivers, behind the camera, through it, larger than the picture. */
function soup(corners: readonly number[], material: number): PrimitiveSource {
  const positions = Float32Array.from(corners);
  const count = positions.length / 3;
  const normals = new Float32Array(positions.length);
  for (let i = 0; i < count; i++) normals[i * 3 + 1] = 1;
  return { positions, normals, indices: Uint32Array.from({ length: count }, (_, i) => i), material };
}
const triangles = (most: number) =>
  fc
    .array(fc.array(fc.double({ min: -3, max: 3, noNaN: true }), { minLength: 9, maxLength: 9 }), {
      minLength: 1,
      maxLength: most,
    })
    .map((list) => list.flat());

interface Size {
  width: number;
  /** Of the sun's map: tiles end within it, and depths are rounded. */
  resolution: number;
  format: string;
}

async function draw(
  solid: readonly number[],
  glass: readonly number[],
  { width, resolution, format }: Size,
  kernels: boolean,
): Promise<FrameViews> {
  const source = sceneOf([soup(solid, 0), soup(glass, 1)], [THIN, GLASS]);
  source.environment = environment(0.5);
  addNode(source, { rotation: DOWN, light: source.lights.push(light('sun', 2, { castsShadow: true })) - 1 });
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  pool.setScene('s', toShared(packScene(compileScene(source))));
  const values = {
    'output.width': width,
    'output.height': 50,
    'samples.pixel': 2,
    'shadows.resolution': resolution,
    'shadows.depthFormat': format,
  };
  const recipe = resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
  const camera = cameraAt([0.3, 1.2, 2.5], [0, 0, 0], 60);
  return (await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 }).promise).views;
}

const anySize = fc.record({
  width: fc.integer({ min: 16, max: 140 }),
  resolution: fc.constantFrom(128, 256),
  format: fc.constantFrom('16', '24', '32'),
});

describe('any triangles', () => {
  it('are covered by the same, shadowed and shaded alike by compiled and plain loops', async () => {
    await fc.assert(
      fc.asyncProperty(triangles(24), triangles(6), anySize, async (solid, glass, size) => {
        const [a, b] = [await draw(solid, glass, size, true), await draw(solid, glass, size, false)];
        for (const layer of ['objectId', 'overlaid'] as const) {
          let other = 0;
          a[layer].forEach((v, i) => (other += v === b[layer][i] ? 0 : 1));
          expect([layer, other]).toEqual([layer, 0]);
        }
        let apart = 0;
        let far = 0;
        a.sums.forEach((v, i) => {
          const difference = Math.abs(v - b.sums[i]);
          if (!(difference <= 1e-4 * Math.max(0.1, b.sums[i]))) apart++;
          // a depth that the map tells from another by a hair: one comparison of nine falls otherwise
          if (!(difference <= 1)) far++;
        });
        expect(apart / a.sums.length).toBeLessThan(2e-3);
        expect(far).toBe(0);
        a.depth.forEach((v, i) => expect(Math.abs(v - b.depth[i])).toBeLessThan(1e-5 * Math.max(1, b.depth[i])));
      }),
      { numRuns: cases(25) },
    );
  });
});
