/** A shot over time as the command line and sequences render it. */
import type { ToneCurve } from '@daxel/core/film/tone';
import { seeThroughInstances } from '@daxel/core/frame/materialRules';
import { motionVectors } from '@daxel/core/frame/motion';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { geometryView, openShare } from '@daxel/core/frame/shutter';
import { displayLuminance } from '@daxel/core/measure/imageError';
import { flickerIn } from '@daxel/core/measure/stability/flicker';
import { LEAST_SIDE, StabilityMeter } from '@daxel/core/measure/stability/meter';
import type { Rect } from '@daxel/core/measure/rect';
import { measureStepping, type SteppingFigures } from '@daxel/core/measure/stepping';
import { isPathTraced } from '@daxel/core/recipe/pathSettings';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';

/** Gives the motion layer of a frame: pixels from each point to where it is in the next frame. */
export function motionLayer(
  scene: CompiledScene,
  frame: RenderedFrame,
  recipe: ResolvedRecipe,
  cameraAt: (timeSeconds: number) => CameraView,
  number: number,
  rate: number,
): () => Float32Array {
  const instants = recipe['samples.shutter'] as number;
  const [seen, next] = [number, number + 1].map((k) => geometryView(cameraAt, k / rate, instants));
  return () =>
    motionVectors({
      ...frame,
      ...frame.views,
      scene,
      seeThrough: seeThroughInstances(scene),
      behind: isPathTraced(recipe) ? 'unknown' : 'background',
      ...seen,
      nextCamera: next.camera,
      nextTimeSeconds: next.timeSeconds,
    });
}

/** Frames on each side of one whose flicker is measured. */
const AROUND = 2;
export const FLICKER_FRAMES = 2 * AROUND + 1;

/**
 * Flicker of a frame in parts of the picture, from it and the two before and after.
 * @param renderAt renders a frame of the shot; null when it was cancelled
 * @returns one a rectangle, null where nothing could be measured; null when cancelled
 */
export async function flickerAround(
  number: number,
  rects: readonly Rect[],
  tone: ToneCurve,
  renderAt: (n: number) => Promise<{ frame: RenderedFrame; motion: () => Float32Array } | null>,
): Promise<(number | null)[] | null> {
  let meter: StabilityMeter | null = null;
  let out: (number | null)[] = rects.map(() => null);
  for (let n = number - AROUND; n <= number + AROUND; n++) {
    const rendered = await renderAt(n);
    if (!rendered) return null;
    const { width, height, views } = rendered.frame;
    if (width < LEAST_SIDE || height < LEAST_SIDE) return out;
    if (!meter) {
      meter = new StabilityMeter({ width, height });
      meter.onMap = (_found, map, valid) => (out = rects.map((r) => flickerIn(map, valid, width, r)));
    }
    const rgb = views.beauty.subarray(0, width * height * 3);
    const luminance = displayLuminance({ name: `frame ${n}`, width, height, rgb, tone });
    meter.add({ number: n, luminance, motion: rendered.motion(), ids: views.objectId.slice() });
  }
  meter?.end();
  return out;
}

/** How much the motion blur of a frame steps; null where nothing moves far enough. */
export function frameStepping(
  { width, height, views }: RenderedFrame,
  recipe: ResolvedRecipe,
  camera: CameraView,
  rate: number,
  motion: Float32Array,
): SteppingFigures | null {
  const rgb = views.beauty.subarray(0, width * height * 3);
  const luminance = displayLuminance({ name: 'frame', width, height, rgb, tone: recipe['lens.tone'] as ToneCurve });
  const open = openShare(camera, rate);
  return measureStepping({ width, height, luminance, motion, open, instants: recipe['samples.shutter'] as number });
}
