/**
 * Levels of detail and draw distance: which triangles of each instance a frame draws.
 *
 * A level replaces the triangles of an instance by fewer ones on the same vertices. The choice is a function of the
 * scene's pose, the camera and the recipe at the frame's own instant alone: no frame depends on the one before it, all
 * instants of a shutter and all threads see the same triangles. What glows is always drawn in full, so that light does
 * not change with the distance of the eye.
 */
import { tan } from '../math/exact';
import { hashWords } from '../math/hash';
import type { Mat4 } from '../math/mat4';
import type { CameraView } from './camera';
import {
  INSTANCE_FIRST_TRIANGLE,
  INSTANCE_NODE,
  INSTANCE_STRIDE,
  INSTANCE_TRIANGLE_COUNT,
  type CompiledScene,
} from './compiled';

/** Simplified levels beside the full one. */
export const COARSER_LEVELS = 3;
/** Numbers a level in `CompiledScene.levels`: first triangle in `levelTriangles`, how many. */
export const LEVEL_STRIDE = 2;
/** Not drawn. */
export const HIDDEN = 255;

/** Kinds of objects that have a draw distance of their own, as `CompiledScene.drawClasses` counts them. */
export const DRAW_CLASSES = ['large', 'medium', 'small', 'foliage', 'glowing'] as const;
export type DrawClass = (typeof DRAW_CLASSES)[number];
/** Diameters from which an object is large or medium, metres. */
const LARGE = 2;
const MEDIUM = 0.3;

/** Fewer triangles on the same vertices. */
export interface SimplifiedLevel {
  /** Three vertex indices per triangle. */
  indices: Uint32Array;
}

/** Makes the coarser levels of a mesh, finest first; none where nothing is gained. */
export type Simplifier = (mesh: {
  /** xyz per vertex. */
  positions: Float32Array;
  /** xyz per vertex, unit. */
  normals: Float32Array;
  /** Three vertex indices per triangle. */
  indices: Uint32Array;
}) => SimplifiedLevel[];

/** What a recipe asks of detail. */
export interface DetailOptions {
  /** Share of the picture's height from which an object has all its triangles; 0 for all, always. */
  fullFrom: number;
  /** Metres beyond which a class is not drawn; Infinity for never. */
  reach: Record<DrawClass, number>;
}

/** @param diameter of the sphere around it, metres @param masked its material is cut out by a picture */
export function drawClassOf(diameter: number, masked: boolean, glows: boolean): DrawClass {
  if (glows) return 'glowing';
  if (masked) return 'foliage';
  return diameter >= LARGE ? 'large' : diameter >= MEDIUM ? 'medium' : 'small';
}

/**
 * Level of each instance: 0 for full, HIDDEN beyond its draw distance. Full from `fullFrom` of the picture's height on,
 * and one level coarser at every halving below; where an instance has no such level, the coarsest that it has.
 * @param world matrix per node, at the frame's own instant
 */
export function chooseLevels(
  scene: CompiledScene,
  world: readonly Mat4[],
  camera: CameraView,
  { fullFrom, reach }: DetailOptions,
): Uint8Array {
  const { instances, instanceSpheres, drawClasses, levels } = scene;
  const count = instances.length / INSTANCE_STRIDE;
  const chosen = new Uint8Array(count);
  const reaches = DRAW_CLASSES.map((c) => reach[c]);
  const glowing = DRAW_CLASSES.indexOf('glowing');
  const [ex, ey, ez] = [camera.world[12], camera.world[13], camera.world[14]];
  const perspective = camera.lens.kind === 'perspective';
  const halfHeight = perspective ? tan(camera.lens.yfovRad / 2) : camera.lens.ymag;
  for (let i = 0; i < count; i++) {
    if (drawClasses[i] === glowing) continue;
    const m = world[instances[i * INSTANCE_STRIDE + INSTANCE_NODE]];
    const s = i * 4;
    const [x, y, z] = [instanceSpheres[s], instanceSpheres[s + 1], instanceSpheres[s + 2]];
    const dx = m[0] * x + m[4] * y + m[8] * z + m[12] - ex;
    const dy = m[1] * x + m[5] * y + m[9] * z + m[13] - ey;
    const dz = m[2] * x + m[6] * y + m[10] * z + m[14] - ez;
    const distance = Math.sqrt(dx * dx + dy * dy + dz * dz);
    const radius = instanceSpheres[s + 3] * largestScale(m);
    if (distance - radius > reaches[drawClasses[i]]) {
      chosen[i] = HIDDEN;
      continue;
    }
    let least = perspective ? fullFrom * halfHeight * distance : fullFrom * halfHeight;
    if (perspective && distance <= radius) continue;
    let level = 0;
    while (level < COARSER_LEVELS && radius < least && levelCount(levels, i, level + 1) > 0) {
      level++;
      least /= 2;
    }
    chosen[i] = level;
  }
  return chosen;
}

/** By how much a matrix lengthens what it lengthens most, along its axes. */
export function largestScale(m: Mat4): number {
  let most = 0;
  for (let c = 0; c < 12; c += 4) most = Math.max(most, m[c] ** 2 + m[c + 1] ** 2 + m[c + 2] ** 2);
  return Math.sqrt(most);
}

function levelAt(instance: number, level: number): number {
  return (instance * COARSER_LEVELS + level - 1) * LEVEL_STRIDE;
}

/** Triangles of an instance at a level of 1 … COARSER_LEVELS; 0 where it has none. */
function levelCount(levels: Uint32Array, instance: number, level: number): number {
  return levels[levelAt(instance, level) + 1];
}

/** Triangles of an instance at any level. */
export function trianglesAt(scene: CompiledScene, instance: number, level: number): number {
  if (level === HIDDEN) return 0;
  return level === 0
    ? scene.instances[instance * INSTANCE_STRIDE + INSTANCE_TRIANGLE_COUNT]
    : levelCount(scene.levels, instance, level);
}

/** The same for choices of the same triangles. */
export function choiceKey(chosen: Uint8Array): string {
  const words = new Uint32Array(Math.ceil(chosen.length / 4) + 1);
  new Uint8Array(words.buffer).set(chosen);
  return hashWords(words);
}

/** Room for the triangles that a frame draws, as long as those of the whole scene. */
export interface DrawnTriangles {
  drawnTriangles: Uint32Array;
  drawnMaterial: Uint16Array;
  drawnInstance: Uint32Array;
}

/** The scene as a frame sees it: its triangles lie in `room`, filled or yet to be filled by `fillDrawn`. */
export function drawnScene(scene: CompiledScene, chosen: Uint8Array, room: DrawnTriangles): CompiledScene {
  let count = 0;
  for (let i = 0; i < chosen.length; i++) count += trianglesAt(scene, i, chosen[i]);
  return {
    ...scene,
    triangles: room.drawnTriangles.subarray(0, count * 3),
    triangleMaterial: room.drawnMaterial.subarray(0, count),
    triangleInstance: room.drawnInstance.subarray(0, count),
  };
}

/** Writes the triangles of a choice, instance by instance. */
export function fillDrawn(scene: CompiledScene, chosen: Uint8Array, room: DrawnTriangles): void {
  const { instances, triangles, triangleMaterial, levels, levelTriangles } = scene;
  let at = 0;
  for (let i = 0; i < chosen.length; i++) {
    const count = trianglesAt(scene, i, chosen[i]);
    if (count === 0) continue;
    const full = instances[i * INSTANCE_STRIDE + INSTANCE_FIRST_TRIANGLE];
    const first = chosen[i] === 0 ? full : levels[levelAt(i, chosen[i])];
    const from = chosen[i] === 0 ? triangles : levelTriangles;
    room.drawnTriangles.set(from.subarray(first * 3, (first + count) * 3), at * 3);
    room.drawnMaterial.fill(triangleMaterial[full], at, at + count);
    room.drawnInstance.fill(i, at, at + count);
    at += count;
  }
}
