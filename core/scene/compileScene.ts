/** SceneSource → CompiledScene: checks, completes and flattens. */
import { BadFileError } from '../errors';
import { length, lookAt, transformPoint, type Mat4 } from '../math/mat4';
import { tan } from '../math/exact';
import {
  INSTANCE_FIRST_TRIANGLE,
  INSTANCE_NODE,
  INSTANCE_STRIDE,
  type CompiledScene,
  type SceneMeta,
} from './compiled';
import { cleanMaterial } from './cleanMaterial';
import { flattenGeometry } from './flattenGeometry';
import { flattenTextures } from './flattenTextures';
import { poseNodes } from './pose';
import { placeSparks, withSparks } from './randomParts';
import { COARSER_LEVELS, DRAW_CLASSES, drawClassOf, largestScale, LEVEL_STRIDE, type Simplifier } from './detail';
import { ALPHA_MASK, M_ALPHA_MODE, M_EMISSIVE_R, MATERIAL_STRIDE } from './materialTable';
import { DEFAULT_MATERIAL, STUDIO_ENVIRONMENT, type NodeSource, type SceneSource } from './source';
import type { EnvironmentSource } from '../light/surroundings/document';
import { mipChainBytes } from './textureTable';

const BLACK: EnvironmentSource = {
  kind: 'constant',
  stops: [{ y: 0, radiance: [0, 0, 0] }],
  rotationDeg: 0,
  strength: 1,
  seenByCamera: true,
  lightsSurfaces: true,
  seenInReflections: true,
};

/** How far compiling is: meshes first, then pictures. */
export interface CompileProgress {
  step: 'meshes' | 'pictures';
  /** Of `of` so many are done. */
  done: number;
  of: number;
}

/**
 * Flattens a scene. A scene without lights gets the neutral studio environment, one without cameras a framing of
 * everything; both are said in `meta.warnings`.
 * @param simplify makes the levels of detail; without it there are none
 * @param told before each mesh and picture
 * @throws BadFileError when a position is not a finite number or the hierarchy has a loop
 */
export function compileScene(
  given: SceneSource,
  simplify: Simplifier | null = null,
  told: (progress: CompileProgress) => void = () => undefined,
): CompiledScene {
  const source = withSparks(given, DEFAULT_MATERIAL);
  const warnings = [...source.warnings];
  const { order, indexOf } = parentsFirst(source);
  const nodes = order.map((n) => source.nodes[n]);
  const nodeParents = Int32Array.from(nodes, (n) => (n.parent < 0 ? -1 : indexOf[n.parent]));
  const nodeTransforms = new Float32Array(nodes.length * 10);
  nodes.forEach((n, i) => nodeTransforms.set([...n.translation, ...n.rotation, ...n.scale], i * 10));

  const geometry = flattenGeometry(source, nodes, warnings, simplify, (done, of) => told({ step: 'meshes', done, of }));
  const materials = [...source.materials, DEFAULT_MATERIAL].map((m) => {
    const { material, changed } = cleanMaterial(m);
    if (changed) warnings.push(`Material "${m.name}" has values out of range; they were brought into it.`);
    return material;
  });
  const textures = flattenTextures(source, materials, warnings, {
    told: (done, of) => told({ step: 'pictures', done, of }),
  });
  const { keys, channels } = flattenAnimation(source, indexOf);
  const usesStudioLight = !source.environment && source.lights.length === 0 && !nodesGlow(source);
  if (usesStudioLight) warnings.push('The scene has no light: it is lit by the neutral studio environment.');
  const environment = source.environment ?? (usesStudioLight ? STUDIO_ENVIRONMENT : BLACK);

  const portals = nodes.flatMap((n, node) => (n.portal ? [{ ...n.portal, node }] : []));
  const sways = nodes.flatMap((n, node) => (n.sway ? [{ ...n.sway, node }] : []));
  const sparks = placeSparks(source, given.nodes.length, indexOf);
  const picture = source.environmentPicture;
  const meta: SceneMeta = {
    name: source.name,
    nodes: nodes.map((n) => ({ name: n.name })),
    instances: geometry.names.map((name) => ({ name })),
    materials: materials.map((m) => ({ name: m.name })),
    images: source.images.map(({ name }, i) => {
      const [width, height] = textures.sizes[i];
      return { name, width, height, bytes: mipChainBytes(width, height) };
    }),
    lights: nodes.flatMap((n, i) => (n.light === undefined ? [] : [{ ...source.lights[n.light], node: i }])),
    ...(portals.length > 0 && { portals }),
    ...(sways.length > 0 && { sways }),
    ...(sparks.length > 0 && { sparks }),
    cameras: nodes.flatMap((n, i) => (n.camera === undefined ? [] : [{ ...source.cameras[n.camera], node: i }])),
    channels,
    environment,
    environmentPicture: picture ? { width: picture.width, height: picture.height } : null,
    shots: source.shots.map((s) => ({ ...s, cameraNode: indexOf[s.cameraNode] })),
    bounds: { min: [0, 0, 0], max: [0, 0, 0] },
    warnings,
    usesStudioLight,
  };
  const scene: CompiledScene = {
    meta,
    ...geometry.arrays,
    ...textures.arrays,
    nodeParents,
    nodeTransforms,
    keys,
    environmentPicture: picture?.rgb ?? new Float32Array(0),
  };
  const world = poseNodes(scene, 0);
  meta.bounds = worldBounds(scene, world);
  orientMirroredInstances(scene, world);
  classifyInstances(scene, nodes, world);
  return completeShots(scene);
}

function nodesGlow(source: SceneSource): boolean {
  return source.materials.some((m) => m.emissive.some((e) => e > 0));
}

/** Order of the nodes in which parents come before their children, and each node's place in it. */
function parentsFirst(source: SceneSource): { order: number[]; indexOf: number[] } {
  const order: number[] = [];
  const indexOf = source.nodes.map(() => -1);
  const children: number[][] = source.nodes.map(() => []);
  const roots: number[] = [];
  source.nodes.forEach((n, i) => (n.parent < 0 ? roots : (children[n.parent] ?? roots)).push(i));
  const stack = roots.reverse();
  for (let n = stack.pop(); n !== undefined; n = stack.pop()) {
    indexOf[n] = order.length;
    order.push(n);
    stack.push(...children[n].reverse());
  }
  if (order.length !== source.nodes.length)
    throw new BadFileError(source.name, 'the node hierarchy contains a loop', 'Export the scene again.');
  return { order, indexOf };
}

function flattenAnimation(
  source: SceneSource,
  indexOf: number[],
): { keys: Float32Array; channels: SceneMeta['channels'] } {
  let at = 0;
  const parts: Float32Array[] = [];
  const channels = source.animations.map((c) => {
    const { times, values, ...rest } = c;
    const timesAt = at;
    const valuesAt = at + times.length;
    at = valuesAt + values.length;
    parts.push(times, values);
    return { ...rest, node: indexOf[c.node], keys: times.length, timesAt, valuesAt };
  });
  const keys = new Float32Array(at);
  let offset = 0;
  for (const part of parts) {
    keys.set(part, offset);
    offset += part.length;
  }
  return { keys, channels };
}

function worldBounds(scene: CompiledScene, world: Mat4[]): SceneMeta['bounds'] {
  const min: [number, number, number] = [Infinity, Infinity, Infinity];
  const max: [number, number, number] = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < scene.instances.length; i += INSTANCE_STRIDE) {
    const m = world[scene.instances[i]];
    const from = scene.instances[i + 1];
    for (let v = from; v < from + scene.instances[i + 2]; v++) {
      const p = transformPoint(m, scene.positions.subarray(v * 3, v * 3 + 3));
      for (let c = 0; c < 3; c++) {
        if (p[c] < min[c]) min[c] = p[c];
        if (p[c] > max[c]) max[c] = p[c];
      }
    }
  }
  return min[0] <= max[0] ? { min, max } : { min: [-1, -1, -1], max: [1, 1, 1] };
}

/** A node of mirroring scale turns the faces of its meshes; swapping two corners turns them back. */
function orientMirroredInstances(scene: CompiledScene, world: Mat4[]): void {
  for (let i = 0; i < scene.instances.length; i += INSTANCE_STRIDE) {
    const m = world[scene.instances[i]];
    const det =
      m[0] * (m[5] * m[10] - m[6] * m[9]) - m[4] * (m[1] * m[10] - m[2] * m[9]) + m[8] * (m[1] * m[6] - m[2] * m[5]);
    if (det >= 0) continue;
    turnFaces(scene.triangles, scene.instances[i + 3], scene.instances[i + 4]);
    const at = (i / INSTANCE_STRIDE) * COARSER_LEVELS * LEVEL_STRIDE;
    for (let l = at; l < at + COARSER_LEVELS * LEVEL_STRIDE; l += LEVEL_STRIDE)
      turnFaces(scene.levelTriangles, scene.levels[l], scene.levels[l + 1]);
  }
}

function turnFaces(triangles: Uint32Array, first: number, count: number): void {
  for (let t = first * 3; t < (first + count) * 3; t += 3) {
    const swap = triangles[t + 1];
    triangles[t + 1] = triangles[t + 2];
    triangles[t + 2] = swap;
  }
}

/** Says whose draw distance each instance has: by its node's word, else by its size at rest and its material. */
function classifyInstances(scene: CompiledScene, nodes: readonly NodeSource[], world: Mat4[]): void {
  const { instances, instanceSpheres, materials, triangleMaterial } = scene;
  for (let i = 0; i < scene.drawClasses.length; i++) {
    const node = instances[i * INSTANCE_STRIDE + INSTANCE_NODE];
    const m = triangleMaterial[instances[i * INSTANCE_STRIDE + INSTANCE_FIRST_TRIANGLE]] * MATERIAL_STRIDE;
    const glows = [0, 1, 2].some((c) => materials[m + M_EMISSIVE_R + c] > 0);
    const masked = materials[m + M_ALPHA_MODE] === ALPHA_MASK;
    const own = drawClassOf(2 * instanceSpheres[i * 4 + 3] * largestScale(world[node]), masked, glows);
    const named = own === 'glowing' ? own : (nodes[node]?.drawClass ?? own);
    scene.drawClasses[i] = DRAW_CLASSES.indexOf(named);
  }
}

/** Every camera without a shot gets one; a scene without cameras gets one that sees everything. */
function completeShots(scene: CompiledScene): CompiledScene {
  const { meta } = scene;
  const keys = meta.channels.flatMap((c) => Array.from(scene.keys.subarray(c.timesAt, c.timesAt + c.keys)));
  const lastFrame = Math.max(0, Math.floor(keys.reduce((a, b) => Math.max(a, b), 0) * 24 + 1e-6));
  if (meta.cameras.length === 0) {
    addFramingCamera(scene);
    meta.warnings.push('The scene has no camera: one was placed to see all of it.');
  }
  for (const camera of meta.cameras) {
    if (meta.shots.some((s) => s.cameraNode === camera.node)) continue;
    const wanted = camera.name || meta.nodes[camera.node].name || `camera ${meta.shots.length + 1}`;
    let name = wanted;
    for (let n = 2; meta.shots.some((s) => s.name === name); n++) name = `${wanted} ${n}`;
    meta.shots.push({ name, cameraNode: camera.node, firstFrame: 0, lastFrame, rate: 24, seed: 1 });
  }
  return scene;
}

function addFramingCamera(scene: CompiledScene): void {
  const { min, max } = scene.meta.bounds;
  const centre = [0, 1, 2].map((c) => (min[c] + max[c]) / 2);
  const radius = Math.max(1e-3, length([0, 1, 2].map((c) => (max[c] - min[c]) / 2)));
  const yfovRad = (32 * Math.PI) / 180;
  const distance = (radius * 1.02) / tan(yfovRad / 2);
  const eye = [centre[0] + distance * 0.52, centre[1] + distance * 0.34, centre[2] + distance * 0.783];
  const m = lookAt(eye, centre);
  const node = scene.nodeParents.length;
  scene.nodeParents = Int32Array.of(...scene.nodeParents, -1);
  const transforms = new Float32Array((node + 1) * 10);
  transforms.set(scene.nodeTransforms);
  transforms.set([m[12], m[13], m[14], ...rotationOf(m), 1, 1, 1], node * 10);
  scene.nodeTransforms = transforms;
  scene.meta.nodes.push({ name: 'framing' });
  scene.meta.cameras.push({ name: 'framing', kind: 'perspective', yfovRad, ymag: 1, near: radius * 0.005, node });
}

/** Unit quaternion xyzw of a rotation matrix (Shepperd 1978, Quaternion from Rotation Matrix). */
export function rotationOf(m: ArrayLike<number>): [number, number, number, number] {
  const trace = m[0] + m[5] + m[10];
  if (trace > 0) {
    const s = 2 * Math.sqrt(trace + 1);
    return [(m[6] - m[9]) / s, (m[8] - m[2]) / s, (m[1] - m[4]) / s, s / 4];
  }
  if (m[0] > m[5] && m[0] > m[10]) {
    const s = 2 * Math.sqrt(1 + m[0] - m[5] - m[10]);
    return [s / 4, (m[4] + m[1]) / s, (m[8] + m[2]) / s, (m[6] - m[9]) / s];
  }
  if (m[5] > m[10]) {
    const s = 2 * Math.sqrt(1 + m[5] - m[0] - m[10]);
    return [(m[4] + m[1]) / s, s / 4, (m[9] + m[6]) / s, (m[8] - m[2]) / s];
  }
  const s = 2 * Math.sqrt(1 + m[10] - m[0] - m[5]);
  return [(m[8] + m[2]) / s, (m[9] + m[6]) / s, s / 4, (m[1] - m[4]) / s];
}
