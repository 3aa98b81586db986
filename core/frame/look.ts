/** Where and when a frame is looked at: an instant of the open shutter, a place on the lens. */
import { rayFrame, worldToPixels, type CameraView, type RayFrame } from '../scene/camera';
import type { CompiledScene } from '../scene/compiled';
import { planShadows, type ShadowPlan } from '../shadows/planShadows';
import type { PlannedFrame } from './frameJob';
import type { WideSize } from './frameSettings';
import { momentAt, type Moment } from './moment';
import type { LitLook } from './stages/shadowMaps';

/** The picture with a margin on every side: see `FrameSettings.wide`. */
export interface WideEye extends WideSize {
  rays: RayFrame;
  toPixels: Float64Array;
}

export interface Eye {
  camera: CameraView;
  rays: RayFrame;
  /** From the world to pixels of the computed picture: see `worldToPixels`. */
  toPixels: Float64Array;
  wide: WideEye;
}

export interface Look {
  /** Counts those of the shutter. */
  instant: number;
  moment: Moment;
  /** The shadow maps that it needs. */
  maps: ShadowPlan;
  eye: Eye;
  /** The lights as samples are lit by them; made by the stage of shadow maps, null where there is none. */
  lit: LitLook | null;
}

export function eyeOf(camera: CameraView, { render: { width, height }, wide }: PlannedFrame['settings']): Eye {
  const rays = rayFrame(camera, width, height);
  const toPixels = worldToPixels(camera, width, height);
  if (wide.margin === 0) return { camera, rays, toPixels, wide: { ...wide, rays, toPixels } };
  // its pixels are those of the picture, told from its own corner
  const base = rays.base.map((v, c) => v - wide.margin * (rays.right[c] + rays.down[c]));
  const shifted = Float64Array.from(toPixels);
  for (let c = 0; c < 8; c++) shifted[c] += wide.margin * toPixels[12 + (c & 3)];
  return { camera, rays, toPixels, wide: { ...wide, rays: { ...rays, base }, toPixels: shifted } };
}

/** @param frame with the camera as it is at its own instant, `timeSeconds` */
export function lookAt(
  scene: CompiledScene,
  frame: PlannedFrame & { camera: CameraView; timeSeconds: number },
  instant: number,
): Look {
  const { settings, lighting, camera, timeSeconds, instants } = frame;
  const { render, shadows } = settings;
  const moment = momentAt(scene, camera, timeSeconds, instants[instant]);
  const aspect = render.width / render.height;
  const maps = planShadows(lighting.lights, scene.meta.bounds, moment.world, moment.camera, aspect, shadows);
  return { instant, moment, maps, eye: eyeOf(moment.camera, settings), lit: null };
}

/** How often the picture is drawn for a sample: the maps of all positions on soft lights do not lie in memory at once. */
export function roundsOf({ maps }: Look): number {
  return Math.ceil(maps.positions / maps.slots);
}
