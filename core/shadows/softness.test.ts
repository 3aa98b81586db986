import { describe, expect, it } from 'vitest';
import { compileScene } from '../scene/compileScene';
import { poseNodes } from '../scene/pose';
import type { LightSource } from '../scene/source';
import { addNode, cameraAt, DOWN, light, quad, sceneOf } from '../testing/scenes';
import { frameLight, type FrameLight } from '../light/frameLight';
import { penumbraPixels, positionsFor, softnessInWords, softnessOf, type SoftnessWish } from './softness';

/** A room of 8 × 8 × 4 metres with lights in it, seen at 54° over 540 pixels. */
function room(...sources: LightSource[]) {
  const source = sceneOf([quad(8), quad(8, 4)]);
  source.lights = sources;
  sources.forEach((_, i) => addNode(source, { light: i, translation: [0, 3, 0], rotation: DOWN }));
  const { meta, ...scene } = compileScene(source);
  const world = poseNodes({ meta, ...scene }, 0);
  const lights: FrameLight[] = meta.lights.map((l, i) => frameLight(l, i, world));
  return { lights, bounds: meta.bounds, camera: cameraAt([0, 2, 6], [0, 1, 0]) };
}
const lamp = (width: number, more: Partial<LightSource> = {}): LightSource =>
  light('area', 10, { shape: 'square', width, castsShadow: true, ...more });
const wish = (samples: number, edgeNoise = 0.04): SoftnessWish => ({ samples, edgeNoise, height: 540 });
const chosen = (samples: number, ...sources: LightSource[]) => {
  const { lights, bounds, camera } = room(...sources);
  return softnessOf(lights, bounds, camera, wish(samples));
};

describe('the width of a soft edge', () => {
  it('grows with the light, the picture and the length of the lens', () => {
    const { lights, bounds, camera } = room(lamp(0.1), lamp(0.4));
    const width = (l: FrameLight, height = 540, lens = camera): number => penumbraPixels(l, bounds, lens, height);
    expect(width(lights[1]) / width(lights[0])).toBeCloseTo(4, 6);
    expect(width(lights[0], 1080) / width(lights[0])).toBeCloseTo(2, 6);
    const long = { ...camera, lens: { ...camera.lens, yfovRad: camera.lens.yfovRad / 2 } };
    expect(width(lights[0], 540, long)).toBeGreaterThan(width(lights[0]) * 1.9);
  });

  it('of a sun is how wide its disc would look', () => {
    const { lights, bounds, camera } = room(light('sun', 10, { angularDiameterRad: 0.02, castsShadow: true }));
    const focal = 540 / (2 * Math.tan(camera.lens.yfovRad / 2));
    expect(penumbraPixels(lights[0], bounds, camera, 540)).toBeCloseTo(2 * Math.tan(0.01) * focal, 6);
  });

  it('does not change while the camera moves', () => {
    const { lights, bounds, camera } = room(lamp(0.3));
    const elsewhere = { ...cameraAt([3, 1, -2], [0, 1, 0]), lens: camera.lens };
    expect(penumbraPixels(lights[0], bounds, elsewhere, 540)).toBe(penumbraPixels(lights[0], bounds, camera, 540));
  });
});

describe('an automatic choice', () => {
  it('leaves points and lights that cast nothing alone', () => {
    expect(chosen(16, light('point', 10, { castsShadow: true }), lamp(0.5, { castsShadow: false }))).toEqual({
      estimated: [],
      moving: [],
      positions: 1,
    });
  });

  it('reads one map wider where a pixel takes few samples', () => {
    for (const samples of [1, 2, 4]) expect(chosen(samples, lamp(0.5))).toMatchObject({ estimated: [0], moving: [] });
  });

  it('lets every sample see another place where that suffices, and several places where it does not', () => {
    expect(chosen(16, lamp(0.5))).toMatchObject({ estimated: [], moving: [0], positions: 2 });
    expect(chosen(64, lamp(0.5))).toMatchObject({ estimated: [], moving: [0], positions: 1 });
    expect(chosen(8, lamp(0.03))).toMatchObject({ estimated: [], moving: [0], positions: 1 });
  });

  it('keeps each step below the edge noise, or no wider than the filter', () => {
    for (const edgeNoise of [0.01, 0.04, 0.2])
      for (const width of [3, 10, 40, 200])
        for (const samples of [1, 4, 16, 64]) {
          const steps = positionsFor(width, wish(samples, edgeNoise)) * samples;
          expect(1 / steps <= edgeNoise + 1e-9 || width / steps <= 4).toBe(true);
          // and takes none too many
          const fewer = steps - samples;
          if (fewer > 0) expect(1 / fewer > edgeNoise && width / fewer > 4).toBe(true);
        }
  });

  it('is told in words, of what there is alone', () => {
    expect(softnessInWords(chosen(1, lamp(0.5), lamp(0.4)), 1)).toBe('2 lights softened from one map each');
    expect(softnessInWords(chosen(16, lamp(0.5)), 16)).toBe('1 light drawn from 2 positions a sample, 32 in all');
    expect(softnessInWords(chosen(16), 16)).toBe('');
  });
});
