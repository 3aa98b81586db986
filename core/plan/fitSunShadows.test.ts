import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '../recipe/recipe';
import { addNode, cameraAt, light, quad, render, sceneOf } from '../testing/scenes';
import { fitSunShadows } from './fitSunShadows';

const recipe = resolveRecipe({ name: 't', draft: { 'shadows.distance': 8 }, final: {} }, 'draft');
const depths = (from: number, to: number, count = 7000): Float32Array =>
  Float32Array.from({ length: count }, (_, i) => from + ((to - from) * i) / (count - 1));

describe('sun shadows fitted to what is seen', () => {
  it('begin before the nearest and end behind the farthest', () => {
    const values = fitSunShadows(depths(3, 30), recipe)!;
    expect(values['shadows.start']).toBeLessThan(3.2);
    expect(values['shadows.start']).toBeGreaterThan(2.5);
    expect(values['shadows.distance']).toBeGreaterThan(30);
    expect(values['shadows.distance']).toBeLessThan(33);
  });

  it('share a longer way between more maps, and a shorter one between as many as before', () => {
    expect(fitSunShadows(depths(3, 100), recipe)!['shadows.cascades']).toBe(3);
    expect(fitSunShadows(depths(1, 6), recipe)!['shadows.cascades']).toBe(1);
  });

  it('heed no few pixels far away, no background, and no distance beyond the range', () => {
    const few = depths(2, 20);
    few.fill(900, 6990);
    expect(fitSunShadows(few, recipe)!['shadows.distance']).toBeLessThan(22);
    const half = Float32Array.from({ length: 14000 }, (_, i) => (i < 7000 ? depths(2, 20)[i] : 0));
    expect(fitSunShadows(half, recipe)).toEqual(fitSunShadows(depths(2, 20), recipe));
    expect(fitSunShadows(depths(5e3, 9e3), recipe)!['shadows.distance']).toBe(2000);
    expect(fitSunShadows(new Float32Array(50), recipe)).toBeNull();
  });

  it('are not fitted twice', () => {
    const once = fitSunShadows(depths(3, 30), recipe)!;
    expect(fitSunShadows(depths(3, 30), { ...recipe, ...once })).toBeNull();
  });

  it('leave no part of a picture without shadows, and shadow what comes nearer than their start', async () => {
    const scene = sceneOf([quad(60), quad(0.5, 1)]);
    scene.lights = [light('sun', 10, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: [-Math.SQRT1_2, 0, 0, Math.SQRT1_2] });
    const camera = cameraAt([0, 6, 12], [0, 0, 0]);
    const short = { 'shadows.distance': 10, 'samples.pixel': 1 };
    const before = await render(scene, camera, short);
    expect(before.notes.join()).toContain('Sun shadows end 10 m');
    const values = fitSunShadows(before.views.depth, resolveRecipe({ name: 't', draft: short, final: {} }, 'draft'))!;
    const after = await render(scene, camera, { ...short, ...values });
    expect(after.notes.join()).not.toContain('Sun shadows end');
    // under the plate, nearer than the start
    const split = { ...short, ...values, 'shadows.cascades': 3 };
    const near = await render(scene, cameraAt([0, 0.6, 0.4], [0, 0, 0]), split);
    const middle = 32 * 64 + 32;
    expect(near.views.depth[middle]).toBeLessThan(values['shadows.start'] as number);
    expect(near.views.sums[middle * 16 + 13]).toBe(0);
  });
});
