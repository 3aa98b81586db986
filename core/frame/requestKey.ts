/** What a picture depends on, as one text: equal texts, equal pictures. */
import { findSetting } from '../recipe/settings';
import type { FrameRequest } from './renderPool';

/** The same for two requests that give the same picture, whatever objects they are made of. */
export function requestKey({ recipe, ...rest }: FrameRequest): string {
  return JSON.stringify([recipe, seenBy(rest)]);
}

/** The same for two requests that give the same samples, which are then developed in different ways. */
export function samplesKey({ recipe, ...rest }: FrameRequest): string {
  const drawn = Object.entries(recipe).filter(([id]) => !findSetting(id)?.develops);
  return JSON.stringify([drawn, seenBy(rest)]);
}

/** All but the recipe; what only says how the frame is made (anew, from where it stood) is no part of the picture. */
function seenBy({
  sceneId,
  camera,
  timeSeconds,
  seed,
  lighting,
  view,
  regions,
  history,
}: Omit<FrameRequest, 'recipe'>) {
  const world = [...camera.world];
  return [
    sceneId,
    { ...camera, world },
    timeSeconds,
    seed,
    lighting,
    view ?? 'picture',
    regions ?? null,
    history ?? null,
  ];
}
