/** A shot over time as the command line and sequences render it. */
import type { ToneCurve } from '@daxel/core/film/tone';
import { seeThroughInstances } from '@daxel/core/frame/materialRules';
import { motionVectors } from '@daxel/core/frame/motion';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { geometryView, openShare } from '@daxel/core/frame/shutter';
import { displayLuminance } from '@daxel/core/measure/imageError';
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
