import { describe, expect, it } from 'vitest';
import { rig, sceneRig } from '@daxel/core/light/rig';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import type { PrimitiveSource, SceneSource } from '@daxel/core/scene/source';
import { fbm, valueNoise } from './textures/noise';
import { buildDayRoom } from './dayRoom/dayRoom';
import { buildGallery } from './gallery/gallery';
import { buildLampRoom } from './lampRoom/lampRoom';
import { buildStairwell } from './stairwell/stairwell';
import { DEMO_SCENES } from './scenes';

const triangles = (scene: SceneSource): number =>
  scene.meshes.reduce((n, m) => n + m.primitives.reduce((k, p) => k + p.indices.length / 3, 0), 0);

/** Share of triangles whose winding disagrees with their vertices' normals. */
function turnedRound(p: PrimitiveSource): number {
  let wrong = 0;
  let all = 0;
  const { positions: P, normals: N, indices } = p;
  if (!N) return 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    const u = [0, 1, 2].map((k) => P[b + k] - P[a + k]);
    const v = [0, 1, 2].map((k) => P[c + k] - P[a + k]);
    const face = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const area = Math.hypot(...face);
    if (area < 1e-12) continue;
    const normal = [0, 1, 2].map((k) => N[a + k] + N[b + k] + N[c + k]);
    all++;
    if ((face[0] * normal[0] + face[1] * normal[1] + face[2] * normal[2]) / area < -0.2) wrong++;
  }
  return all > 0 ? wrong / all : 0;
}

const LARGE: Record<string, (textureSize: number) => SceneSource> = {
  'lamp-room': buildLampRoom,
  gallery: buildGallery,
  stairwell: buildStairwell,
  'day room': buildDayRoom,
};
const scenes = DEMO_SCENES.map((s) => ({ ...s, source: LARGE[s.shot]?.(64) ?? s.build() }));

describe.each(scenes)('$shot', ({ source, shot, recipe, patches }) => {
  it('compiles without a complaint and has the shot its recipe is for', () => {
    const { meta } = compileScene(source);
    expect(meta.warnings).toEqual([]);
    expect(meta.shots.map((s) => s.name)).toEqual([shot]);
    expect(resolveRecipe(recipe, 'draft')['output.width']).toBe(768);
  });

  it('has faces that look where their normals point', () => {
    // jagged rocks fold over in places; a mesh wound the wrong way is wrong as a whole
    for (const mesh of source.meshes)
      for (const p of mesh.primitives) expect([mesh.name, turnedRound(p) < 0.02]).toEqual([mesh.name, true]);
  });

  it('has patches inside the picture and plausible matter', () => {
    for (const p of patches) {
      expect(p.x + p.width).toBeLessThanOrEqual(1);
      expect(p.y + p.height).toBeLessThanOrEqual(1);
    }
    for (const m of source.materials) for (const c of m.baseColor) expect(c).toBeGreaterThan(0.01);
  });
});

describe('sizes', () => {
  it('are within the bounds set for them', () => {
    for (const { shot, source } of scenes) {
      if (LARGE[shot]) {
        expect(triangles(source)).toBeGreaterThan(40_000);
        expect(triangles(source)).toBeLessThan(120_000);
      } else {
        expect(triangles(source)).toBeLessThan(5000);
      }
    }
  });
});

describe('the rigs of a shot', () => {
  it('are whole lightings of their own names, that differ from the scene’s own', () => {
    for (const { rigs, source } of scenes) {
      if (!rigs) continue;
      const own = sceneRig(compileScene(source));
      const before = structuredClone(own);
      const made = rigs(own);
      expect(own).toEqual(before);
      expect(new Set(made.map((r) => r.name)).size).toBe(made.length);
      for (const { name, ...light } of made) {
        expect(rig.parse({ name, ...light })).toEqual({ name, ...light });
        expect({ ...light, name: own.name }).not.toEqual(own);
      }
    }
  });
});

describe('noise', () => {
  it('repeats over the unit square, so that textures tile', () => {
    for (let i = 0; i < 200; i++) {
      const u = (i * 0.618) % 1;
      const v = (i * 0.414) % 1;
      expect(valueNoise(u, v, 7, 3)).toBeCloseTo(valueNoise(u + 1, v - 1, 7, 3), 9);
      expect(fbm(u, v, 5, 4, 9)).toBeGreaterThanOrEqual(0);
      expect(fbm(u, v, 5, 4, 9)).toBeLessThanOrEqual(1);
    }
  });

  it('differs between seeds and is the same for one', () => {
    expect(valueNoise(0.3, 0.7, 9, 1)).toBe(valueNoise(0.3, 0.7, 9, 1));
    expect(valueNoise(0.3, 0.7, 9, 1)).not.toBe(valueNoise(0.3, 0.7, 9, 2));
  });
});
