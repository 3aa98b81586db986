/** What each pixel of a tile sends on to the rest of the scene: its glow, direct light that it scatters, and light from around. */
import { SENDER_LIGHT, SENDER_MATTE, SENDER_STRIDE } from '@daxel/kernel/generated/layouts/sender';
import { luminance } from '../math/color';
import { createTriangleCache, S_ALPHA, S_DIFFUSE, S_NORMAL, SURFACE_SIZE, surfaceAt } from '../raster/surface';
import { NO_TRIANGLE, takenOf, type PixelBox } from '../raster/tile';
import { L_BOUNCE, L_DIRECT, L_EMISSION, LIGHT_SIZE, lightSurface } from './lighting';
import type { ShadeInput } from './shadeTile';

/** Where it goes. */
export interface SentLight {
  /** Pixels across the picture with its margin; of so many across and down one is taken. */
  width: number;
  step: number;
  /** What those see through their middles, or NO_TRIANGLE. */
  triangle: Int32Array;
  /** Of each that is taken a record: see the layout sender. */
  senders: Float32Array;
  /** Normals by which surfaces are shaded, xyz. */
  smooth: Float32Array;
  /** After the first that light may meet: from none glow alone is sent. */
  surfaces: number;
  /** Luminance that a pixel sends at most, nit. */
  most: number;
}

/** Width of highlights: what is sent is not what the eye sees of them, but is sent all around. */
const BLUNT = 0.64;

const surface = new Float64Array(SURFACE_SIZE);
const light = new Float64Array(LIGHT_SIZE);
const sum = new Float64Array(3);

/** @param share part of a whole sample that this adds: lights are that much weaker already @param begins nothing is there yet */
export function sendTile(input: ShadeInput, box: PixelBox, to: SentLight, share: number, begins: boolean): void {
  const { rays } = input;
  const { width } = to;
  const cache = createTriangleCache();
  const parallel = !rays.perspective;
  const [ex, ey, ez] = parallel ? rays.forward.map((v) => -v) : rays.origin;
  const layers = [L_EMISSION, L_DIRECT, L_BOUNCE].slice(0, 1 + to.surfaces);
  const across = takenOf(width, to.step);
  for (let y = box.y0; y < box.y1; y += to.step)
    for (let x = box.x0; x < box.x1; x += to.step) {
      const at = (y / to.step) * across + x / to.step;
      const t = to.triangle[at];
      if (t === NO_TRIANGLE) continue;
      surfaceAt(input.surface, cache, t, x + 0.5, y + 0.5, ex, ey, ez, parallel, surface);
      surface[S_ALPHA] = Math.max(BLUNT, surface[S_ALPHA]);
      lightSurface(input.lighting, surface, false, y * width + x, share, light);
      to.senders[at * SENDER_STRIDE + SENDER_MATTE] =
        surface[S_DIFFUSE] + surface[S_DIFFUSE + 1] + surface[S_DIFFUSE + 2];
      for (let c = 0; c < 3; c++) sum[c] = layers.reduce((all, layer) => all + light[layer + c], 0);
      const size = Math.abs(luminance(sum[0], sum[1], sum[2]));
      const kept = size > to.most ? to.most / size : 1;
      for (let c = 0; c < 3; c++) {
        const o = at * SENDER_STRIDE + SENDER_LIGHT + c;
        to.senders[o] = sum[c] * kept + (begins ? 0 : to.senders[o]);
        to.smooth[at * 3 + c] = surface[S_NORMAL + c];
      }
    }
}
