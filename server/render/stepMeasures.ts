/** What is measured of the steps of a wedge: error against the reference, stepping of motion blur, flicker. */
import { readFile } from 'node:fs/promises';
import type { ToneCurve } from '@daxel/core/film/tone';
import { momentAt } from '@daxel/core/frame/moment';
import type { FrameRequest, RenderedFrame, RenderPool, RenderTicket } from '@daxel/core/frame/renderPool';
import { FrameRun } from '@daxel/core/frame/run';
import {
  checkPair,
  errorFigures,
  pairMaps,
  type ErrorFigures,
  type MeasuredImage,
} from '@daxel/core/measure/imageError';
import { cutPlane, touchedPixels, type Rect } from '@daxel/core/measure/rect';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { readPicture } from '@daxel/formats/image/readPicture';
import { inflate } from '../inflate';
import type { StepOrder } from './renderProcess';
import { FLICKER_FRAMES, flickerAround, frameStepping, motionLayer } from './shotFrames';

/**
 * @param alone nothing else of the picture was rendered: what lies beside a part must not reach into its figures
 * @throws BadInputError when the reference is of another size
 */
export async function figuresAgainst(
  path: string,
  frame: RenderedFrame,
  recipe: ResolvedRecipe,
  rects: readonly Rect[],
  alone: boolean,
): Promise<ErrorFigures[]> {
  const tone = recipe['lens.tone'] as ToneCurve;
  const reference = { ...readPicture(await readFile(path), 'the reference', inflate), tone };
  const { width, height } = frame;
  const rgb = frame.views.beauty.slice(0, width * height * 3);
  const image: MeasuredImage = { name: 'this step', width, height, rgb, tone };
  checkPair(image, reference);
  if (alone)
    return rects.map((rect) => {
      const [mine, theirs] = [image, reference].map((picture) => partOf(picture, rect));
      return errorFigures(mine, theirs, pairMaps(mine, theirs));
    });
  const maps = pairMaps(image, reference);
  return rects.map((rect) => errorFigures(image, reference, maps, rect));
}

function partOf(picture: MeasuredImage, part: Rect): MeasuredImage {
  const { x0, y0, x1, y1 } = touchedPixels(part, picture.width, picture.height);
  const rect = { x: x0, y: y0, width: x1 - x0, height: y1 - y0 };
  const error = picture.error && cutPlane(picture.error, picture.width, rect);
  return { ...picture, ...rect, rgb: cutPlane(picture.rgb, picture.width, rect, 3), error };
}

/**
 * Renders the frames around a step as a run, and it with them: accumulation has something to take over then.
 * @param onFrame called as each frame begins, with the share that is done
 * @returns flicker of each rectangle, null where it could not be measured; null when cancelled
 */
export async function flickerOf(
  { frame: number, rate, rects }: Pick<StepOrder, 'frame' | 'rate' | 'rects'>,
  request: FrameRequest,
  scene: CompiledScene,
  threads: RenderPool,
  onFrame: (ticket: RenderTicket, progress: number) => void,
): Promise<(number | null)[] | null> {
  const { recipe, camera, timeSeconds } = request;
  const run = new FrameRun(threads, scene, rate);
  const cameraAt = (t: number): CameraView => momentAt(scene, camera, timeSeconds, t).camera;
  let done = 0;
  return flickerAround(number, rects, recipe['lens.tone'] as ToneCurve, async (n) => {
    const seconds = timeSeconds + (n - number) / rate;
    const ticket = run.frame(n, { ...request, camera: cameraAt(seconds), timeSeconds: seconds });
    onFrame(ticket, (0.99 * done++) / FLICKER_FRAMES);
    const frame = await ticket.promise;
    if (!frame.finished) return null;
    return { frame, motion: motionLayer(scene, frame, recipe, cameraAt, n, rate) };
  });
}

/** Comb of a frame's motion blur, as a share of the light around; null where there is none to measure. */
export function steppingOf(
  { frame: number, rate }: Pick<StepOrder, 'frame' | 'rate'>,
  { recipe, camera, timeSeconds }: FrameRequest,
  frame: RenderedFrame,
  scene: CompiledScene,
): number | null {
  if (!camera.shutter || (recipe['samples.shutter'] as number) < 2) return null;
  const cameraAt = (t: number): CameraView => momentAt(scene, camera, timeSeconds, t).camera;
  const motion = motionLayer(scene, frame, recipe, cameraAt, number, rate)();
  return frameStepping(frame, recipe, camera, rate, motion)?.contrast ?? null;
}
