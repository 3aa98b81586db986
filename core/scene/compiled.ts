/**
 * The scene as the renderers see it: flat typed arrays that can lie in one shared buffer, and a small JSON part.
 *
 * Vertices are in their object's space. An *instance* is a node that draws one primitive; its vertices and triangles
 * are contiguous, and posing a frame transforms each vertex once by its instance's node (`poseScene`).
 */
import type { PlacedSparks, PlacedSway } from './randomParts';
import type { CameraSource, ChannelSource, PlacedLight, PlacedPortal, ShotSource } from './source';
import type { EnvironmentSource } from '../light/surroundings/document';

export interface CompiledScene {
  meta: SceneMeta;
  /** xyz per vertex, object space, metres. */
  positions: Float32Array;
  /** xyz per vertex, object space, unit. */
  normals: Float32Array;
  /** xyzw per vertex, object space; zero where the material has no normal map. */
  tangents: Float32Array;
  /** uv per vertex. */
  uvs: Float32Array;
  /** rgba per vertex, linear. */
  colors: Float32Array;
  /** Three vertex indices per triangle. */
  triangles: Uint32Array;
  /** Material per triangle. */
  triangleMaterial: Uint16Array;
  /** Instance per triangle. */
  triangleInstance: Uint32Array;
  /** See INSTANCE_* below, INSTANCE_STRIDE numbers an instance. */
  instances: Uint32Array;
  /** Ball around each instance in its object's space: centre xyz, radius. */
  instanceSpheres: Float32Array;
  /** Index into DRAW_CLASSES per instance: see detail.ts. */
  drawClasses: Uint8Array;
  /** COARSER_LEVELS × LEVEL_STRIDE numbers an instance, zeros where it has no such level: see detail.ts. */
  levels: Uint32Array;
  /** Three vertex indices per triangle of the coarser levels. */
  levelTriangles: Uint32Array;
  /** See MATERIAL_* in materialTable.ts. */
  materials: Float32Array;
  /** Parent per node, −1 at a root; parents come before their children. */
  nodeParents: Int32Array;
  /** Translation xyz, rotation xyzw, scale xyz: ten numbers a node. */
  nodeTransforms: Float32Array;
  /** rgba texels, 8 bit, of all images and their mips. */
  texels: Uint8Array;
  /** See TEXTURE_* in textureTable.ts. */
  textures: Int32Array;
  /** Key times and values of all animation channels. */
  keys: Float32Array;
  /** rgb per pixel of the environment picture that came with the file; empty when there is none. */
  environmentPicture: Float32Array;
}

export interface SceneMeta {
  name: string;
  nodes: { name: string }[];
  instances: { name: string }[];
  materials: { name: string }[];
  images: { name: string; width: number; height: number; bytes: number }[];
  lights: PlacedLight[];
  /** Absent when there are none. */
  portals?: PlacedPortal[];
  /** What sways, and emitters of sparks; absent when there are none. */
  sways?: PlacedSway[];
  sparks?: PlacedSparks[];
  cameras: (CameraSource & { node: number })[];
  channels: (Omit<ChannelSource, 'times' | 'values'> & { keys: number; timesAt: number; valuesAt: number })[];
  environment: EnvironmentSource;
  /** Size of `environmentPicture`, or null. */
  environmentPicture: { width: number; height: number } | null;
  shots: ShotSource[];
  /** Box of everything at rest, world space. */
  bounds: { min: [number, number, number]; max: [number, number, number] };
  warnings: string[];
  usesStudioLight: boolean;
}

export const INSTANCE_STRIDE = 5;
export const INSTANCE_NODE = 0;
export const INSTANCE_FIRST_VERTEX = 1;
export const INSTANCE_VERTEX_COUNT = 2;
export const INSTANCE_FIRST_TRIANGLE = 3;
export const INSTANCE_TRIANGLE_COUNT = 4;

export const ENVIRONMENT_SIDE = 48;
/** Roughness 0, 0.2, … 1; level 0 is not read for the background, which is evaluated exactly. */
export const ENVIRONMENT_LEVELS = 6;
