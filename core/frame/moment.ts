/** Scene and camera at one instant of the open shutter. */
import { hashWords } from '../math/hash';
import type { Mat4 } from '../math/mat4';
import type { CameraView } from '../scene/camera';
import { pathWorld } from '../scene/cameraPath';
import { INSTANCE_NODE, INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import { chooseLevels, type DetailOptions } from '../scene/detail';
import { poseNodes } from '../scene/pose';
import { shaken } from '../scene/shake';
import type { ShadowPlan } from '../shadows/planShadows';

export interface Moment {
  /** World matrix of every node. */
  world: Mat4[];
  camera: CameraView;
  /** The same for moments at which everything that is drawn lies in the same place. */
  poseKey: string;
}

/** @param camera as it is at the frame's own instant, `frameSeconds` */
export function momentAt(scene: CompiledScene, camera: CameraView, frameSeconds: number, timeSeconds: number): Moment {
  const world = poseNodes(scene, timeSeconds, camera.take?.number);
  const rides = camera.ride !== undefined && timeSeconds !== frameSeconds;
  return {
    world,
    camera: rides ? { ...camera, world: carried(camera, world, timeSeconds) } : camera,
    poseKey: poseKey(scene, world),
  };
}

/** Level of each instance in a frame: see `chooseLevels`. */
export function detailOf(
  scene: CompiledScene,
  { camera, timeSeconds }: { camera: CameraView; timeSeconds: number },
  options: DetailOptions,
): Uint8Array {
  return chooseLevels(scene, poseNodes(scene, timeSeconds, camera.take?.number), camera, options);
}

function carried({ ride, path, take }: CameraView, world: readonly Mat4[], timeSeconds: number): Mat4 {
  return shaken(path ? pathWorld(path, timeSeconds) : world[ride!], take, timeSeconds);
}

function poseKey({ instances }: CompiledScene, world: readonly Mat4[]): string {
  const count = instances.length / INSTANCE_STRIDE;
  const all = new Float64Array(count * 16);
  for (let i = 0; i < count; i++) all.set(world[instances[i * INSTANCE_STRIDE + INSTANCE_NODE]], i * 16);
  return hashWords(new Uint32Array(all.buffer));
}

/** The same for plans whose kept maps look from the same places, at the same size, into the same memory. */
export function mapsKey(plan: ShadowPlan): string {
  return plan.lights
    .flatMap((l) => l.maps.map((m) => [...m.matrix, m.resolution, m.depthCodes, m.offset].join()))
    .join('|');
}
