/** A shot over time as the command line and sequences render it. */
import { seeThroughInstances } from '@daxel/core/frame/materialRules';
import { motionVectors } from '@daxel/core/frame/motion';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { geometryView } from '@daxel/core/frame/shutter';
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
