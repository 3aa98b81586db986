import { describe, expect, it } from 'vitest';
import type { RenderedFrame } from '../frame/renderPool';
import { luminance } from '../math/color';
import type { TierValues } from '../recipe/recipe';
import { DEFAULT_MATERIAL, type MaterialSource, type SceneSource } from '../scene/source';
import { addNode, DOWN, environment, light, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';

const path = (samples: number, more: TierValues = {}): TierValues => ({
  ...{ 'samples.method': 'path', 'samples.pixel': samples, 'output.width': 16, 'output.height': 16 },
  ...more,
});
/** Mean luminance over the picture. */
function mean({ width, height, views: { beauty } }: RenderedFrame): number {
  let sum = 0;
  for (let o = 0; o < width * height * 3; o += 3) sum += luminance(beauty[o], beauty[o + 1], beauty[o + 2]);
  return sum / (width * height);
}
const white = (more: Partial<MaterialSource>): MaterialSource => ({
  ...DEFAULT_MATERIAL,
  baseColor: [1, 1, 1, 1],
  ...more,
});

describe('glass', () => {
  const slab = (more: Partial<MaterialSource>, solid: boolean): SceneSource => {
    const top = quad(5, 0.5);
    const bottom = { ...quad(5, 0), indices: Uint32Array.of(0, 2, 1, 0, 3, 2), normals: top.normals!.map((c) => -c) };
    const material = white({ transmission: 1, roughness: 0, ior: 1.5, thickness: solid ? 0.5 : 0, ...more });
    const scene = sceneOf(solid ? [top, bottom] : [top], [material]);
    scene.environment = { ...environment(1), lightsSurfaces: true };
    return scene;
  };
  const below = (scene: SceneSource): SceneSource => {
    // light from below alone: what is seen from above came through
    scene.environment!.stops = [
      { y: -0.01, radiance: [1, 1, 1] },
      { y: 0.01, radiance: [0, 0, 0] },
    ];
    scene.environment!.kind = 'gradient';
    return scene;
  };
  const R = 0.04;

  it('of a solid slab lets through what all inner reflections add up to, less what it absorbs', async () => {
    const clear = mean(await render(below(slab({}, true)), mapCamera(3, 0.05), path(128)));
    expect(clear / ((1 - R) ** 2 / (1 - R * R))).toBeCloseTo(1, 2);
    const T = 0.5;
    const tinted = { attenuationColor: [T, T, T] as [number, number, number], attenuationDistance: 0.5 };
    const dark = mean(await render(below(slab(tinted, true)), mapCamera(3, 0.05), path(128)));
    expect(dark / ((T * (1 - R) ** 2) / (1 - R * R * T * T))).toBeCloseTo(1, 2);
  });

  it('of a thin sheet lets through what it does not mirror', async () => {
    const level = mean(await render(below(slab({}, false)), mapCamera(3, 0.05), path(256)));
    expect(level / (1 - R)).toBeCloseTo(1, 2);
  });

  it('tints light on its way to a floor by the length it went inside', async () => {
    const scene = slab({ attenuationColor: [0.25, 0.25, 0.25], attenuationDistance: 0.5 }, true);
    scene.environment = environment(0);
    scene.meshes[0].primitives.push(quad(20, -1, 1));
    scene.materials.push({ ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] });
    addNode(scene, { rotation: DOWN, light: scene.lights.push(light('sun', 100, { castsShadow: true })) - 1 });
    const under = mean(await render(scene, mapCamera(-0.5, 0.05), path(4, { 'bounce.total': 0 })));
    expect(under / ((0.5 / Math.PI) * 100 * (1 - R) ** 2 * 0.25)).toBeCloseTo(1, 2);
  });

  describe('under an even sky, with a grey floor beneath', () => {
    const ALBEDO = 0.5;
    const under = async (glass: Partial<MaterialSource>, solid: boolean, total: number, caustics = false) => {
      const scene = slab(glass, solid);
      scene.environment = environment(1);
      scene.meshes[0].primitives = scene.meshes[0].primitives.map((p) => ({
        ...p,
        positions: p.positions.map((x, k) => (k % 3 === 1 ? x : x * 4)),
      }));
      scene.meshes[0].primitives.push(quad(20, -0.3, 1));
      scene.materials.push({ ...MATTE, baseColor: [ALBEDO, ALBEDO, ALBEDO, 1] });
      const limits = { 'bounce.total': total, 'bounce.caustics': caustics };
      return mean(await render(scene, mapCamera(-0.1, 0.05), path(256, limits)));
    };
    /** Means over the hemisphere, weighted by the cosine: of what smooth faces let through, one and two of them. */
    const through = (faces: 1 | 2): number => {
      let sum = 0;
      for (let k = 0; k < 1000; k++) {
        const c = Math.sqrt((k + 0.5) / 1000);
        const f = R + (1 - R) * (1 - c) ** 5;
        sum += faces === 1 ? 1 - f : (1 - f) / (1 + f);
      }
      return sum / 1000;
    };

    it.each([0, 1])('a pane takes what it mirrors, whether %s bounces may follow or more', async (total) => {
      // rays to emitters are tinted as if they went straight in: of what comes from aslant a little too much arrives
      const share = (await under({}, false, total)) / (ALBEDO * through(1));
      expect(share).toBeGreaterThan(0.995);
      expect(share).toBeLessThan(total === 0 ? 1.035 : 1.045);
    });
    it.each([0, 8])('no slab keeps the sky from it, caustics followed or not (%s bounces)', async (total) => {
      const followed = await under({}, true, total, true);
      if (total === 0) expect(followed / (ALBEDO * through(2))).toBeCloseTo(1, 2);
      expect(Math.abs((await under({}, true, total)) / followed - 1)).toBeLessThan(0.05);
    });
    it('no rough sheet does', async () => {
      for (const roughness of [0.3, 0.7])
        expect(
          Math.abs((await under({ roughness }, false, 8)) / (await under({ roughness }, false, 8, true)) - 1),
        ).toBeLessThan(0.05);
    });
  });
});
