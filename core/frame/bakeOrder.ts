/** A pass before a frame that bakes what the frame reads: it takes no picture. */
import type { FrameRequest } from './renderPool';

/** Pixels a side: no picture is taken, but its arrays are laid out. */
const SIDE = 16;

/** @param timeSeconds of the scene as it is baked */
export function bakeOrder(
  { sceneId, recipe, camera, lighting, seed }: FrameRequest,
  timeSeconds: number,
): FrameRequest {
  return {
    ...{ sceneId, camera, lighting, seed, timeSeconds },
    recipe: {
      ...recipe,
      // instruments of a path-traced recipe are rasterised
      'samples.method': 'raster',
      ...{ 'output.width': SIDE, 'output.height': SIDE, 'samples.scale': 100 },
      ...{ 'samples.pixel': 1, 'samples.shutter': 1, 'samples.history': 1 },
      // whatever a camera leaves out of its picture is there for the light
      ...{ 'geometry.levels': false, 'geometry.drawLarge': 0, 'geometry.drawMedium': 0 },
      ...{ 'geometry.drawSmall': 0, 'geometry.drawFoliage': 0 },
    },
  };
}
