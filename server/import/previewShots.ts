/** A recipe and a small picture for every shot of a scene that came in. */
import { createLocalPort } from '@daxel/core/frame/localPort';
import { RenderPool } from '@daxel/core/frame/renderPool';
import { meteredExposure } from '@daxel/core/measure/exposure';
import { resolveRecipe, withValue, type Recipe } from '@daxel/core/recipe/recipe';
import { startingRecipe } from '@daxel/core/recipe/startingRecipes';
import type { SceneMeta } from '@daxel/core/scene/compiled';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { encodePng8 } from '@daxel/formats/png/displayPng';
import type { PreviewOptions, ShotPreview } from './importFile';

const WIDTH = 320;
const HEIGHT = 180;
const FOREIGN_RECIPE = 'Dailies';
/** A file with very many cameras is not held up for the pictures of all of them. */
const TIME_FOR_PICTURES_MS = 25_000;

export async function previewShots(
  buffer: SharedArrayBuffer,
  meta: SceneMeta,
  options: PreviewOptions,
): Promise<ShotPreview[]> {
  const pool = new RenderPool([createLocalPort(() => performance.now())]);
  const scene = pool.setScene('preview', buffer);
  const previews: ShotPreview[] = [];
  const started = performance.now();
  let ev = 0;
  for (const shot of meta.shots) {
    const timeSeconds = shot.firstFrame / shot.rate;
    const camera = shotCamera(scene, shot, timeSeconds);
    const draw = (recipe: Recipe, width: number, height: number, samples: number) => {
      const small = {
        ...resolveRecipe(recipe, 'draft'),
        'output.width': width,
        'output.height': height,
        'samples.pixel': samples,
        'samples.shutter': 1,
        'shadows.resolution': 1024,
        'shadows.localResolution': 256,
      };
      return pool.render({ sceneId: 'preview', recipe: small, camera, timeSeconds, seed: shot.seed }).promise;
    };
    const late = performance.now() - started > TIME_FOR_PICTURES_MS;
    let recipe = options.recipes[shot.name];
    if (!recipe) {
      recipe = startingRecipe(FOREIGN_RECIPE) as Recipe;
      if (!late) {
        const metered = await draw(recipe, WIDTH / 2, HEIGHT / 2, 1);
        ev = meteredExposure(metered.views.sums, metered.views.objectId, 1);
      }
      recipe = withValue(withValue(recipe, 'draft', 'lens.exposure', ev), 'final', 'lens.exposure', ev);
    }
    const picture = late ? null : await draw(recipe, WIDTH, HEIGHT, 2);
    previews.push({ recipe, thumbnail: picture && encodePng8(picture.views.display, WIDTH, HEIGHT) });
  }
  pool.terminate();
  return previews;
}
