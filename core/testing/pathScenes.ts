/** What paths through a scene are told where no camera takes a picture. */
import { createKernelMemory } from '@daxel/kernel/load';
import { castKinds, faceRule, rayKinds } from '../frame/materialRules';
import { arenaBytes, arenaViews } from '../frame/memory';
import { frameLight } from '../light/frameLight';
import { useStrength } from '../light/surroundings/kind';
import { environmentRadiance, kindOf } from '../light/surroundings/kinds';
import { compileScene } from '../scene/compileScene';
import { INSTANCE_STRIDE } from '../scene/compiled';
import { packScene, unpackScene } from '../scene/packScene';
import { poseInstances, poseNodes } from '../scene/pose';
import type { SceneSource } from '../scene/source';
import { alone, BVH_STATE, BvhBuilder, PARTS_WORDS, RECORD_WORDS } from '../trace/bvhBuilder';
import { bvhOf, NODE_WORDS, nodeLimit, PACKET_WORDS, packetLimit } from '../trace/bvhLayout';
import { createEmitters } from '../trace/emitters';
import { buildEnvironmentSampler } from '../trace/environmentSampler';
import { glowingTriangles } from '../trace/glowingTriangles';
import { PathKernel, pathScratchBytes } from '../trace/pathKernel';
import { PATH_SUMS } from '../trace/pathSums';
import { RayKernel, scratchBytes } from '../trace/rayKernel';
import type { PathInput, PathLimits } from '../trace/tracePaths';

const LIMITS: PathLimits = {
  total: 4,
  matte: 4,
  gloss: 4,
  through: 8,
  roulette: 8,
  clamp: Infinity,
  caustics: false,
};

/** @param items that paths start from @returns what `traceFrom` takes, with compiled loops or with the plain ones */
export function pathScene(
  source: SceneSource,
  items: number,
  kernels: boolean,
  limits: Partial<PathLimits> = {},
): { input: PathInput; compiled: PathKernel | null } {
  const packed = packScene(compileScene(source));
  const shape = unpackScene(packed.slice().buffer);
  const [triangles, materials, numbers] = [
    shape.triangleMaterial.length,
    shape.meta.materials.length,
    shape.positions.length,
  ];
  const plan = {
    packed: { type: 'u8', length: packed.length, stage: 'geometry' },
    positions: { type: 'f32', length: numbers, stage: 'geometry' },
    normals: { type: 'f32', length: numbers, stage: 'geometry' },
    tangents: { type: 'f32', length: (numbers / 3) * 4, stage: 'geometry' },
    bvhNodes: { type: 'f32', length: nodeLimit(triangles) * NODE_WORDS, stage: 'shadows' },
    bvhPackets: { type: 'f32', length: packetLimit(triangles) * PACKET_WORDS, stage: 'shadows' },
    bvhOrder: { type: 'u32', length: packetLimit(triangles) * 4, stage: 'shadows' },
    bvhMaterials: { type: 'u32', length: packetLimit(triangles) * 4, stage: 'shadows' },
    bvhWork: { type: 'u32', length: triangles * RECORD_WORDS, stage: 'shadows' },
    bvhParts: { type: 'u32', length: PARTS_WORDS, stage: 'shadows' },
    bvhState: { type: 'f64', length: BVH_STATE, stage: 'shadows' },
    rays: { type: 'u8', length: scratchBytes(materials), stage: 'shadows' },
    scratch: { type: 'u8', length: pathScratchBytes(materials), stage: 'samples' },
    sums: { type: 'f32', length: items * PATH_SUMS, stage: 'samples' },
  } as const;
  const memory = createKernelMemory(arenaBytes(plan))!;
  const views = arenaViews(plan, memory.buffer);
  views.packed.set(packed);
  const scene = unpackScene(memory.buffer, views.packed.byteOffset);
  const world = poseNodes(scene, 0);
  poseInstances(scene, world, 0, scene.instances.length / INSTANCE_STRIDE, views);
  const bvh = bvhOf(views);
  new BvhBuilder(
    memory,
    bvh,
    { ...views, triangles: scene.triangles, triangleMaterial: scene.triangleMaterial },
    views.rays,
  ).build(alone);
  const casts = castKinds(scene, true);
  const frontOnly = faceRule(scene).map((faces) => (faces === 1 ? 1 : 0));
  const kernel = new RayKernel(memory, bvh, views.rays);
  kernel.bind(rayKinds(casts, frontOnly));
  const { environment, lights } = scene.meta;
  const [width, height] = kindOf(environment).cells;
  const radiance = environmentRadiance(environment);
  const input: PathInput = {
    surface: { scene, posed: views, clip: new Float32Array(0), textureBias: 0, steady: false },
    bvh,
    shadows: { scene, bvh, casts, kernel: kernels ? kernel : null },
    frontOnly,
    emitters: createEmitters(
      lights.map((l, i) => frameLight(l, i, world)),
      {
        radiance,
        sampler: buildEnvironmentSampler(radiance, width, height),
        portals: null,
        camera: useStrength(environment, 'camera'),
        light: useStrength(environment, 'light'),
        reflection: useStrength(environment, 'reflection'),
      },
      glowingTriangles(scene, views.positions),
    ),
    limits: { ...LIMITS, ...limits },
    sampleBase: 0,
    seed: 7,
    paths: views.sums,
    camera: null,
    now: () => 0,
    spent: new Float64Array(4),
  };
  return { input, compiled: kernels ? new PathKernel(memory, views.scratch, input) : null };
}
