import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import { RenderPool } from '../frame/renderPool';
import { resolveRecipe } from '../recipe/recipe';
import {
  addNode,
  cameraAt,
  DOWN,
  light,
  mapCamera,
  MATTE,
  quad,
  render,
  sceneOf,
  type RenderOptions,
} from '../testing/scenes';
import { packScene, toShared } from './packScene';
import type { TierValues } from '../recipe/recipe';
import { compileScene } from './compileScene';
import { chooseLevels, HIDDEN, type DetailOptions, type Simplifier } from './detail';
import { poseNodes } from './pose';
import type { PrimitiveSource, SceneSource } from './source';

const NEVER = { large: Infinity, medium: Infinity, small: Infinity, foliage: Infinity, glowing: Infinity };

/** A square of n × n cells, each of two triangles; its half of the triangles is every second row. */
function grid(half: number, n: number, material = 0): PrimitiveSource {
  const { normals: up } = quad(half);
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  for (let row = 0; row <= n; row++)
    for (let column = 0; column <= n; column++) {
      positions.push(half * ((2 * column) / n - 1), 0, half * ((2 * row) / n - 1));
      normals.push(...up!.subarray(0, 3));
    }
  for (let row = 0; row < n; row++)
    for (let column = 0; column < n; column++) {
      const a = row * (n + 1) + column;
      const b = a + n + 1;
      indices.push(a, b, b + 1, a, b + 1, a + 1);
    }
  return {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    indices: Uint32Array.from(indices),
    material,
  };
}

/** Keeps the first half of the triangles at each level: what is drawn is then plain to see. */
const halving: Simplifier = ({ indices }) =>
  [2, 4, 8].map((share) => ({ indices: indices.slice(0, Math.floor(indices.length / 3 / share) * 3) }));

function levelsOf(source: SceneSource, distance: number, options: Partial<DetailOptions>): number[] {
  const scene = compileScene(source, halving);
  const camera = cameraAt([0, distance, 0.001], [0, 0, 0], 60);
  return [...chooseLevels(scene, poseNodes(scene, 0), camera, { fullFrom: 0, reach: NEVER, ...options })];
}

describe('the level of an object', () => {
  // a square of half side 0.5 lies in a ball of radius √½; 60° see 2 · d · tan 30° at a distance d
  const share = (distance: number): number => Math.SQRT1_2 / (distance * Math.tan(Math.PI / 6));

  it('is the full one down to a share of the height of the picture, and one coarser at every halving', () => {
    const source = sceneOf([grid(0.5, 8)]);
    const at = (distance: number, fullFrom: number): number => levelsOf(source, distance, { fullFrom })[0];
    const fullFrom = share(10);
    expect([9.99, 10.01, 19.98, 20.02, 39.96, 40.04, 1000].map((d) => at(d, fullFrom))).toEqual([0, 1, 1, 2, 2, 3, 3]);
    expect(at(1000, 0)).toBe(0);
    // inside the ball there is no distance to speak of
    expect(at(0.3, 10)).toBe(0);
  });

  it('counts the scale of its node, and stays full where it glows', () => {
    const source = sceneOf([grid(0.5, 8)]);
    source.nodes[0].scale = [2, 1, 0.5];
    const fullFrom = share(10);
    expect(levelsOf(source, 19.9, { fullFrom })).toEqual([0]);
    expect(levelsOf(source, 20.1, { fullFrom })).toEqual([1]);
    source.materials = [{ ...MATTE, emissive: [5, 5, 5] }];
    expect(levelsOf(source, 500, { fullFrom, reach: { ...NEVER, small: 1, medium: 1 } })).toEqual([0]);
  });

  it('is hidden beyond the draw distance of its class, measured to its near side', () => {
    const source = sceneOf([grid(0.5, 2)]);
    const reach = { ...NEVER, medium: 10 };
    expect(levelsOf(source, 10 + Math.SQRT1_2 - 0.01, { reach })).toEqual([0]);
    expect(levelsOf(source, 10 + Math.SQRT1_2 + 0.01, { reach })).toEqual([HIDDEN]);
    expect(levelsOf(source, 500, { reach: { ...NEVER, large: 1, small: 1, foliage: 1 } })).toEqual([0]);
    source.nodes[0].drawClass = 'foliage';
    expect(levelsOf(source, 500, { reach: { ...NEVER, foliage: 1 } })).toEqual([HIDDEN]);
    delete source.nodes[0].drawClass;
    source.materials = [{ ...MATTE, alphaMode: 'mask' }];
    expect(levelsOf(source, 500, { reach: { ...NEVER, foliage: 1 } })).toEqual([HIDDEN]);
  });
});

describe('a frame with levels of detail', () => {
  const from = mapCamera(5, 1);
  /** Share of the picture that is covered. */
  async function covered(source: SceneSource, values: TierValues, options: RenderOptions = {}): Promise<number> {
    const { views } = await render(source, from, values, 0, { simplify: halving, ...options });
    return views.objectId.reduce((n, id) => n + (id > 0 ? 1 : 0), 0) / views.objectId.length;
  }
  // fills half of the height of the picture, a quarter of it
  const source = sceneOf([grid(0.5, 8)]);
  const levels = (fullFrom: number): TierValues => ({ 'geometry.levels': true, 'geometry.fullFrom': fullFrom });
  /** Its ball is √½ of half the height. */
  const own = Math.SQRT1_2 * 100;

  it.each(['raster', 'path'] as const)('draws the triangles of the level alone (%s)', async (method) => {
    const values = { 'samples.method': method, 'samples.pixel': 1 };
    const whole = await covered(source, values);
    expect(whole).toBeCloseTo(0.25, 1);
    expect(await covered(source, { ...values, ...levels(own * 0.99) })).toBe(whole);
    expect(await covered(source, { ...values, ...levels(own * 1.5) })).toBeCloseTo(whole / 2, 2);
    expect(await covered(source, { ...values, ...levels(own * 3) })).toBeCloseTo(whole / 4, 2);
  });

  it('is the same to the bit as one without where all is full', async () => {
    const scene = sceneOf([grid(0.5, 8)]);
    addNode(scene, { mesh: 0, translation: [0.3, 0.4, 0.2], rotation: [0.5, 0.5, 0.5, 0.5] });
    for (const method of ['raster', 'path']) {
      const values = { 'samples.method': method, 'shadows.method': 'traced', 'samples.pixel': 2 };
      const plain = await render(scene, from, values, 0, { simplify: halving });
      const chosen = await render(scene, from, { ...values, ...levels(0.5) }, 0, { simplify: halving });
      expect(chosen.views.beauty).toEqual(plain.views.beauty);
      expect(chosen.notes).toEqual(plain.notes);
    }
  });

  it('owes nothing to the frame before it', async () => {
    const scene = sceneOf([quad(4, -0.5), grid(0.5, 8)]);
    scene.lights.push(light('sun', 3, { castsShadow: true }));
    addNode(scene, { light: 0, rotation: DOWN });
    const pool = new RenderPool([createLocalPort(() => performance.now())]);
    pool.setScene('s', toShared(packScene(compileScene(scene, halving))));
    const draft = { 'output.width': 64, 'output.height': 64, 'samples.pixel': 1, ...levels(60) };
    const recipe = resolveRecipe({ name: 't', draft, final: {} }, 'draft');
    const seen = async (metres: number): Promise<Float32Array> => {
      const { views } = await pool.render({
        sceneId: 's',
        recipe,
        camera: mapCamera(5, metres),
        timeSeconds: 0,
        seed: 1,
      }).promise;
      return views.beauty.slice();
    };
    const [near, far] = [await seen(1), await seen(2)];
    expect(await seen(1)).toEqual(near);
    expect(await seen(2)).toEqual(far);
    const alone = await render(scene, mapCamera(5, 2), draft, 0, { simplify: halving });
    expect(alone.views.beauty).toEqual(far);
  });

  it('that hides everything shows the surroundings and says so', async () => {
    const far = { 'geometry.drawMedium': 1, 'shadows.method': 'traced' };
    const { views, notes } = await render(source, from, far);
    expect(views.objectId.every((id) => id === 0)).toBe(true);
    expect(notes).toContain('0 of 128 triangles drawn. 1 object beyond their draw distance.');
    const traced = await render(source, from, { ...far, 'samples.method': 'path' });
    expect(traced.views.objectId.every((id) => id === 0)).toBe(true);
  });

  it('is looked at level by level in a view of its own', async () => {
    const tints = await Promise.all(
      [own * 0.9, own * 1.5, own * 3].map(async (fullFrom) => {
        const { views } = await render(source, from, levels(fullFrom), 0, { simplify: halving, view: 'detail' });
        const at = views.objectId.findIndex((id) => id > 0);
        return views.beauty.slice(at * 3, at * 3 + 3).join();
      }),
    );
    expect(new Set(tints).size).toBe(3);
  });
});
