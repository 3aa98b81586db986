/** Scenes that benchmarks render. */
import { rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FrameRequest, RenderedFrame, RenderPool } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import type { SettingValue } from '@daxel/core/recipe/settings';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, toShared } from '@daxel/core/scene/packScene';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { Mesh } from '@daxel/demo/shapes/mesh';
import { box, turned, turnedShape, WORLD } from '@daxel/demo/shapes/solids';
import { SceneKit, shining } from '@daxel/demo/sceneKit';
import { DEMO_DIR } from '@daxel/server/demoProject';
import { importFile } from '@daxel/server/import/importFile';
import { loadScene } from '@daxel/server/render/loadScene';

export const lampRoom = (): Promise<SharedArrayBuffer> => demoScene('lamp-room.glb');

export async function demoScene(file: string): Promise<SharedArrayBuffer> {
  const { packed } = await importFile(join(DEMO_DIR, file), file, tmpdir());
  return loadScene(packed).finally(() => rmSync(packed));
}

/** 100 000 triangles in the open under a sun: a field of turned shapes on a plane, no textures, no glass. */
export function openField(): { kit: SceneKit; buffer: SharedArrayBuffer } {
  const kit = new SceneKit('open field');
  const metal = kit.material('metal', { baseColor: [0.8, 0.6, 0.35, 1], metallic: 1, roughness: 0.35 });
  const matte = kit.material('matte', { baseColor: [0.5, 0.48, 0.45, 1], roughness: 0.8 });
  const ground = new Mesh();
  box(ground, WORLD, [0, -0.1, 0], [60, 0.2, 60]);
  kit.object('ground', ground, matte);
  // downwards, so that faces look outwards
  const profile = Array.from({ length: 21 }, (_, i) => {
    const a = (0.5 - i / 20) * Math.PI;
    return [Math.cos(a) * 0.42 * (1 + 0.25 * Math.sin(6 * a)), 0.5 + 0.5 * Math.sin(a)] as const;
  });
  for (let i = 0; i < 60; i++) {
    const mesh = new Mesh();
    turnedShape(mesh, { ...turned(i), origin: [(i % 10) * 1.3 - 5.85, 0, -Math.floor(i / 10) * 1.3] }, profile, 42);
    kit.object(`shape ${i}`, mesh, i % 2 === 0 ? metal : matte);
  }
  kit.light(
    'sun',
    { kind: 'sun', intensity: 40000, angularDiameterRad: 0.0093 },
    { rotation: shining([0.5, -0.7, -0.5]) },
  );
  kit.shot('field', [0.6, 2.2, 4.6], [0, 0.4, -1.6], 30, [0, 0]);
  const buffer = toShared(packScene(compileScene(kit.scene)));
  return { kit, buffer };
}

/** Loads a scene into a pool. @returns a function that renders its first shot with settings laid over the initial ones */
export function frameOf(
  pool: RenderPool,
  buffer: SharedArrayBuffer,
  id = 'bench',
): (settings: Record<string, SettingValue>) => Promise<RenderedFrame> {
  const scene = pool.setScene(id, buffer);
  const shot = scene.meta.shots[0];
  const camera = shotCamera(scene, shot, 0);
  return (settings) => {
    const recipe = { ...resolveRecipe({ name: 'bench', draft: {}, final: {} }, 'draft'), ...settings };
    const request: FrameRequest = { sceneId: id, recipe, camera, timeSeconds: 0, seed: 1 };
    return pool.render(request).promise;
  };
}
