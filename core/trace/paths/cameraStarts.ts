/** Paths that start at a camera: one through every pixel, all over its lens. */
import { samplePosition, type FilterName } from '../../film/pixelFilter';
import { hashCombine } from '../../math/random';
import { lensSample, type Aperture } from '../../scene/aperture';
import type { RayFrame } from '../../scene/camera';
import { BLOCK } from '../pathSums';
import { START_DIRECTION, START_FOOTPRINT, START_ORIGIN, START_SKY, START_SPREAD, type PathStarts } from './pathStarts';

/** What a camera is to paths, and the picture it takes. */
export interface PathCamera {
  rays: RayFrame;
  /** Rays start all over it; null for a pinhole. */
  aperture: Aperture | null;
  width: number;
  height: number;
  /** For sample positions inside the pixel. */
  samples: number;
  filter: FilterName;
  filterRadius: number;
  /** 1 per block that takes no more samples. */
  done: Uint8Array;
  /** Written by the first sample, or by `lookThroughMiddle` where there is an aperture. */
  depth: Float32Array;
  normal: Float32Array;
  objectId: Uint32Array;
}

const pair = new Float64Array(2);

/** @param sampleBase added to the number of a sample wherever random numbers are drawn @param sky of START_SKY */
export function cameraStarts(camera: PathCamera, seed: number, sampleBase: number, sky: number): PathStarts {
  const { rays, aperture, width, done, depth, normal, objectId } = camera;
  const across = Math.ceil(width / BLOCK);
  const step = Math.sqrt(rays.right[0] ** 2 + rays.right[1] ** 2 + rays.right[2] ** 2);
  return {
    count: width * camera.height,
    start(at, sample, ray) {
      const x = at % width;
      const y = (at - x) / width;
      if (done[((y / BLOCK) | 0) * across + ((x / BLOCK) | 0)] === 1) return false;
      const own = hashCombine(seed, at);
      samplePosition(sampleBase + sample, camera.samples, camera.filter, camera.filterRadius, own, pair);
      const px = x + pair[0];
      const py = y + pair[1];
      if (aperture) lensSample(aperture, sampleBase + sample, own, pair);
      for (let k = 0; k < 3; k++) {
        const seen = rays.base[k] + px * rays.right[k] + py * rays.down[k];
        let from = rays.perspective ? rays.origin[k] : seen;
        let to = rays.perspective ? seen : rays.forward[k];
        if (aperture) {
          // one pixel's step to the right and down, turned into metres on the lens
          const aside = (rays.right[k] * pair[0] - rays.down[k] * pair[1]) / step;
          from += aside;
          to -= aside / aperture.focus;
        }
        ray[START_ORIGIN + k] = from;
        ray[START_DIRECTION + k] = to;
      }
      const l = Math.sqrt(ray[START_DIRECTION] ** 2 + ray[START_DIRECTION + 1] ** 2 + ray[START_DIRECTION + 2] ** 2);
      for (let k = 0; k < 3; k++) ray[START_DIRECTION + k] /= l;
      ray[START_SKY] = sky;
      ray[START_FOOTPRINT] = rays.perspective ? 0 : step;
      ray[START_SPREAD] = rays.perspective ? step / l : 0;
      if (sample === 0 && !aperture) {
        depth[at] = 0;
        objectId[at] = 0;
        normal.fill(0, at * 3, at * 3 + 3);
      }
      return true;
    },
  };
}
