/** The camera of a shot at a frame. */
import { BadInputError } from '../errors';
import { atan } from '../math/exact';
import { apertureOf, PICTURE_HEIGHT } from './aperture';
import type { CameraView } from './camera';
import type { CompiledScene } from './compiled';
import { pathWorld, type CameraPath } from './cameraPath';
import { distanceTo } from './focus';
import { poseNodes } from './pose';
import { shaken } from './shake';
import { DEFAULT_OPTICS, type ShotOptics, type ShotSource } from './source';
import type { ShotTake } from './take';

export function shotCamera(scene: CompiledScene, shot: ShotSource, timeSeconds: number): CameraView {
  const lens = scene.meta.cameras.find((c) => c.node === shot.cameraNode);
  if (!lens) throw new BadInputError(`Shot "${shot.name}" has no camera.`);
  const { take, path, optics = DEFAULT_OPTICS } = shot;
  const { kind, ymag, near } = lens;
  const { focalLength } = optics;
  const yfovRad = focalLength === null ? lens.yfovRad : 2 * atan((PICTURE_HEIGHT * 500) / focalLength);
  const nodes = path && !optics.focusOn ? [] : poseNodes(scene, timeSeconds, take?.number);
  const world = shaken(path ? pathWorld(path, timeSeconds) : nodes[shot.cameraNode], take, timeSeconds);
  const followed = optics.focusOn ? distanceTo(optics.focusOn, scene, nodes, world) : null;
  const focused = followed === null ? optics : { ...optics, focusDistance: followed };
  const aperture = kind === 'perspective' ? apertureOf(focused, yfovRad) : undefined;
  return {
    world,
    lens: { kind, yfovRad, ymag, near },
    shutter: shutterOf(optics, shot.rate),
    ride: shot.cameraNode,
    ...(take && { take }),
    ...(path && { path }),
    ...(aperture && { aperture }),
  };
}

/** What of a shot is not as its file says; null where it is. */
export interface ShotSetup {
  optics: ShotOptics | null;
  take: ShotTake | null;
  path: CameraPath | null;
  /** Frames a second. */
  rate: number;
}

/** A shot of a file with what was changed of it; null where nothing was. */
export function withSetup(source: ShotSource, { optics, take, path, rate }: ShotSetup): ShotSource {
  return { ...source, rate, optics: optics ?? source.optics, take: take ?? source.take, path: path ?? source.path };
}

/** Seconds from the frame's instant at which the shutter opens and closes. */
export function shutterOf(
  { shutterAngleDeg, shutterPhase }: Pick<ShotOptics, 'shutterAngleDeg' | 'shutterPhase'>,
  rate: number,
): { opens: number; closes: number } {
  const open = shutterAngleDeg / 360 / rate;
  const before = { opens: 0, centred: open / 2, closes: open }[shutterPhase];
  return { opens: -before, closes: open - before };
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
