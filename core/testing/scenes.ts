/** Small scenes with known answers, and a way to render them in one call. */
import { createLocalPort } from '../frame/localPort';
import { RenderPool, type FrameRequest, type RenderedFrame } from '../frame/renderPool';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import type { CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import type { Simplifier } from '../scene/detail';
import { packScene, toShared } from '../scene/packScene';
import { lookAt } from '../math/mat4';
import {
  DEFAULT_MATERIAL,
  emptyScene,
  type LightSource,
  type MaterialSource,
  type PrimitiveSource,
  type SceneSource,
} from '../scene/source';
import type { EnvironmentSource } from '../light/surroundings/document';

export const MATTE: MaterialSource = { ...DEFAULT_MATERIAL, name: 'matte', roughness: 1, specular: 0 };

/** A square in the xz plane, facing up, with uvs 0…1. */
export function quad(half: number, y = 0, material = 0): PrimitiveSource {
  return {
    positions: Float32Array.of(-half, y, half, half, y, half, half, y, -half, -half, y, -half),
    normals: Float32Array.of(0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0),
    uvs: Float32Array.of(0, 1, 1, 1, 1, 0, 0, 0),
    indices: Uint32Array.of(0, 1, 2, 0, 2, 3),
    material,
  };
}

export function environment(level: number): EnvironmentSource {
  return {
    kind: 'constant',
    stops: [{ y: 0, radiance: [level, level, level] }],
    rotationDeg: 0,
    strength: 1,
    seenByCamera: true,
    lightsSurfaces: true,
    seenInReflections: true,
  };
}

export function light(kind: LightSource['kind'], intensity: number, more: Partial<LightSource> = {}): LightSource {
  return {
    name: kind,
    kind,
    color: [1, 1, 1],
    intensity,
    range: Infinity,
    innerConeRad: 0,
    outerConeRad: Math.PI / 4,
    castsShadow: false,
    radius: 0,
    angularDiameterRad: 0,
    ...more,
  };
}

/** Adds a node; rotation as a unit quaternion. */
export function addNode(scene: SceneSource, more: Partial<SceneSource['nodes'][number]>): number {
  scene.nodes.push({
    name: `node ${scene.nodes.length}`,
    parent: -1,
    translation: [0, 0, 0],
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    ...more,
  });
  return scene.nodes.length - 1;
}

/** Turns −Z to −Y: lights that shine straight down. */
export const DOWN: [number, number, number, number] = [-Math.SQRT1_2, 0, 0, Math.SQRT1_2];

/** A scene of primitives with one matte material, black surroundings. */
export function sceneOf(primitives: PrimitiveSource[], materials: MaterialSource[] = [MATTE]): SceneSource {
  const scene = emptyScene('test');
  scene.materials = materials;
  scene.meshes = [{ name: 'mesh', primitives }];
  scene.environment = environment(0);
  addNode(scene, { mesh: 0 });
  return scene;
}

export function cameraAt(eye: number[], target: number[], yfovDeg = 40): CameraView {
  return {
    world: lookAt(eye, target),
    lens: { kind: 'perspective', yfovRad: (yfovDeg * Math.PI) / 180, ymag: 1, near: 0.01 },
  };
}

/** Looks straight down from a height with a parallel lens: `metres` from the middle to the upper edge. */
export function mapCamera(height: number, metres: number): CameraView {
  return {
    world: Float64Array.of(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, height, 0, 1),
    lens: { kind: 'orthographic', yfovRad: 1, ymag: metres, near: 0.01 },
  };
}

export interface RenderOptions extends Pick<FrameRequest, 'regions' | 'view'> {
  /** Makes levels of detail. */
  simplify?: Simplifier;
  /** Whether the compiled loops may be used. */
  kernels?: boolean;
}

export async function render(
  source: SceneSource,
  camera: CameraView,
  values: TierValues = {},
  timeSeconds = 0,
  { regions, simplify, kernels, view }: RenderOptions = {},
): Promise<RenderedFrame> {
  const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  const buffer = toShared(packScene(compileScene(source, simplify)));
  pool.setScene('s', buffer);
  const recipe = resolveRecipe(
    {
      name: 'test',
      draft: { 'output.width': 64, 'output.height': 64, 'samples.pixel': 1, 'lens.tone': 'none', ...values },
      final: {},
    },
    'draft',
  );
  return pool.render({ sceneId: 's', recipe, camera, timeSeconds, seed: 1, regions, view }).promise;
}

/** Beauty rgb of a pixel, scene-linear. */
export function beautyAt(frame: RenderedFrame, x: number, y: number): number[] {
  const o = (y * frame.width + x) * 3;
  return Array.from(frame.views.beauty.subarray(o, o + 3));
}
