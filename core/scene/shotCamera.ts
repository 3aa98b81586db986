/** The camera of a shot at a frame. */
import { BadInputError } from '../errors';
import type { CameraView } from './camera';
import type { CompiledScene } from './compiled';
import { poseNodes } from './pose';
import type { ShotSource } from './source';

export function shotCamera(scene: CompiledScene, shot: ShotSource, timeSeconds: number): CameraView {
  const lens = scene.meta.cameras.find((c) => c.node === shot.cameraNode);
  if (!lens) throw new BadInputError(`Shot "${shot.name}" has no camera.`);
  return { world: poseNodes(scene, timeSeconds)[shot.cameraNode], lens };
}

/** @throws BadInputError naming the shots there are */
export function findShot(scene: CompiledScene, name: string | undefined): ShotSource {
  const { shots } = scene.meta;
  if (name === undefined) return shots[0];
  const shot = shots.find((s) => s.name === name);
  if (!shot)
    throw new BadInputError(`There is no shot "${name}". The file has: ${shots.map((s) => s.name).join(', ')}.`);
  return shot;
}
