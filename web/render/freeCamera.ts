/** Looking around from the shot's camera: turns of a camera about a point, in world space, metres and radians. */
import { lookAt } from '@daxel/core/math/mat4';
import type { CameraView } from '@daxel/core/scene/camera';

export interface FreeCamera {
  lens: CameraView['lens'];
  /** What moves is blurred as in the shot; the camera itself stands still. */
  film: Pick<CameraView, 'aperture' | 'shutter' | 'take'>;
  eye: number[];
  /** The point that orbiting turns about. */
  pivot: number[];
}

const STEEPEST = Math.PI / 2 - 0.02;

/** @param distance of the pivot along the view axis, metres */
export function freeFrom(view: CameraView, distance: number): FreeCamera {
  const m = view.world;
  const d = Math.max(0.05, distance);
  return {
    lens: view.lens,
    film: { aperture: view.aperture, shutter: view.shutter, take: view.take },
    eye: [m[12], m[13], m[14]],
    pivot: [m[12] - m[8] * d, m[13] - m[9] * d, m[14] - m[10] * d],
  };
}

export function viewOf(camera: FreeCamera): CameraView {
  return { ...camera.film, world: lookAt(camera.eye, camera.pivot), lens: camera.lens };
}

/** Turns about the pivot: `yaw` about the vertical, `pitch` upwards. */
export function orbit(camera: FreeCamera, yaw: number, pitch: number): FreeCamera {
  const [x, y, z] = offset(camera);
  const distance = Math.hypot(x, y, z);
  const azimuth = Math.atan2(x, z) + yaw;
  const altitude = Math.min(STEEPEST, Math.max(-STEEPEST, Math.asin(y / distance) + pitch));
  const flat = Math.cos(altitude) * distance;
  const to = [Math.sin(azimuth) * flat, Math.sin(altitude) * distance, Math.cos(azimuth) * flat];
  return { ...camera, eye: camera.pivot.map((p, c) => p + to[c]) };
}

/** Moves sideways and up by shares of the picture's height, as seen at the pivot. */
export function pan(camera: FreeCamera, right: number, up: number): FreeCamera {
  const m = viewOf(camera).world;
  const { lens } = camera;
  const height =
    lens.kind === 'perspective' ? 2 * Math.hypot(...offset(camera)) * Math.tan(lens.yfovRad / 2) : 2 * lens.ymag;
  const move = [0, 1, 2].map((c) => (m[c] * right + m[4 + c] * up) * height);
  return { ...camera, eye: camera.eye.map((e, c) => e + move[c]), pivot: camera.pivot.map((p, c) => p + move[c]) };
}

/** Moves towards the pivot by a factor of the distance; above 1 goes away. An orthographic lens changes its size instead. */
export function dolly(camera: FreeCamera, factor: number): FreeCamera {
  if (camera.lens.kind === 'orthographic')
    return { ...camera, lens: { ...camera.lens, ymag: camera.lens.ymag * factor } };
  const o = offset(camera);
  const distance = Math.hypot(...o);
  const next = Math.max(0.05, distance * factor);
  return { ...camera, eye: camera.pivot.map((p, c) => p + (o[c] / distance) * next) };
}

function offset(camera: FreeCamera): [number, number, number] {
  return [0, 1, 2].map((c) => camera.eye[c] - camera.pivot[c]) as [number, number, number];
}
