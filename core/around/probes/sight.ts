/** What a probe sees of surfaces: how far away the solid ones are, and from which side. */
import { octahedralDecode } from '../../math/octahedron';
import type { ShadowRays } from '../../trace/traceShadow';
import { lookAlong } from '../lookAlong';
import { fillBorder, MAP_SIDE, texelAt } from './octMap';

/** Rays along a side of a texel. */
const FINE = 4;
const direction = new Float64Array(3);

/**
 * Writes mean distance and mean square of it by direction (Majercik et al. 2019, Dynamic Diffuse Global Illumination with
 * Ray-Traced Irradiance Fields, after the moments of Donnelly & Lauritzen 2006, Variance Shadow Maps).
 * @param far distances count as this at most, metres
 * @param out MAP_STRIDE² pairs
 */
export function writeDepth(rays: ShadowRays, p: ArrayLike<number>, far: number, out: Float32Array): void {
  for (let v = 0; v < MAP_SIDE; v++)
    for (let u = 0; u < MAP_SIDE; u++) {
      let [sum, squares] = [0, 0];
      for (let k = 0; k < FINE * FINE; k++) {
        const [i, j] = [(k % FINE) + 0.5, Math.floor(k / FINE) + 0.5];
        octahedralDecode((u + i / FINE) / MAP_SIDE, (v + j / FINE) / MAP_SIDE, direction);
        const distance = Math.min(far, lookAlong(rays, p[0], p[1], p[2], direction).distance);
        sum += distance;
        squares += distance * distance;
      }
      const at = texelAt(u, v) * 2;
      out[at] = sum / (FINE * FINE);
      out[at + 1] = squares / (FINE * FINE);
    }
  fillBorder(out, 2);
}
