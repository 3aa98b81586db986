import type { FrameRequest } from '@daxel/core/frame/renderPool';

/** The same for two requests that give the same picture, whatever objects they are made of. */
export function requestKey(request: FrameRequest): string {
  const { recipe, camera, timeSeconds, lighting } = request;
  return JSON.stringify([recipe, { ...camera, world: [...camera.world] }, timeSeconds, lighting]);
}
