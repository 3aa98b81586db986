/** Camera rays of a tile. */
import { samplePosition } from '../../film/pixelFilter';
import { hashCombine } from '../../math/random';
import { lensSample } from '../../scene/aperture';
import { BLOCK, PATH_SUMS } from '../pathSums';
import {
  HOME,
  active,
  carried,
  crossed,
  density,
  direction,
  ending,
  footprint,
  gathered,
  glossCount,
  home,
  inside,
  matteCount,
  origin,
  pair,
  pixel,
  scattered,
  seenColor,
  split,
  spread,
  throughCount,
  type PathInput,
  useOfSky,
} from './pathState';

/** Camera rays into slots 0 … count − 1. */
export function start(input: PathInput, x0: number, y0: number, x1: number, y1: number, sample: number): number {
  const { rays, aperture, width, done, seed, paths } = input;
  const across = Math.ceil(width / BLOCK);
  const step = Math.sqrt(rays.right[0] ** 2 + rays.right[1] ** 2 + rays.right[2] ** 2);
  let n = 0;
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      if (done[((y / BLOCK) | 0) * across + ((x / BLOCK) | 0)] === 1) continue;
      const at = y * width + x;
      const i = n++;
      pixel[i] = at;
      active[i] = i;
      samplePosition(
        input.sampleBase + sample,
        input.samples,
        input.filter,
        input.filterRadius,
        hashCombine(seed, at),
        pair,
      );
      const px = x + pair[0];
      const py = y + pair[1];
      const o = i * 3;
      for (let k = 0; k < 3; k++) {
        const across3 = rays.base[k] + px * rays.right[k] + py * rays.down[k];
        origin[o + k] = rays.perspective ? rays.origin[k] : across3;
        direction[o + k] = rays.perspective ? across3 : rays.forward[k];
        carried[o + k] = 1;
        inside[o + k] = 0;
        useOfSky[o + k] = input.emitters.surroundings?.camera ?? 0;
        split[o + k] = 0;
      }
      if (aperture) {
        lensSample(aperture, input.sampleBase + sample, hashCombine(seed, at), pair);
        // one pixel's step to the right and down, turned into metres on the lens
        for (let k = 0; k < 3; k++) {
          const aside = (rays.right[k] * pair[0] - rays.down[k] * pair[1]) / step;
          origin[o + k] += aside;
          direction[o + k] -= aside / aperture.focus;
        }
      }
      const l = Math.sqrt(direction[o] ** 2 + direction[o + 1] ** 2 + direction[o + 2] ** 2);
      for (let k = 0; k < 3; k++) direction[o + k] /= l;
      footprint[i] = rays.perspective ? 0 : step;
      spread[i] = rays.perspective ? step / l : 0;
      density[i] = 0;
      scattered[i] = matteCount[i] = glossCount[i] = throughCount[i] = crossed[i] = gathered[i] = ending[i] = 0;
      home.fill(0, i * HOME, i * HOME + HOME);
      seenColor.fill(0, i * 6, i * 6 + 6);
      if (sample === 0) paths.fill(0, at * PATH_SUMS, at * PATH_SUMS + PATH_SUMS);
      if (sample === 0 && !aperture) {
        input.depth[at] = 0;
        input.objectId[at] = 0;
        input.normal.fill(0, at * 3, at * 3 + 3);
      }
    }
  }
  return n;
}
