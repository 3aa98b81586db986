/** The cones that leave each face of a voxel. */
import { WAY_DIRECTION, WAY_STRIDE, WAY_WIDE } from '@daxel/kernel/generated/layouts/voxelWay';
import { cos, sin } from '../../math/exact';

/** So many directions spiral around without two of them in line (Vogel 1979, A Better Way to Construct the Sunflower Head). */
const TURN = Math.PI * (3 - Math.sqrt(5));
/** Cones near the surface would be wider than the half space. */
const LEAST_COSINE = 0.3;

/**
 * Writes the cones of a face: spread by the cosine, so that each brings the same part of irradiance.
 * @param face 2·axis looks up along it, 2·axis + 1 down @param out WAY_STRIDE numbers a cone
 */
export function writeWays(face: number, count: number, out: Float32Array): void {
  const axis = face >> 1;
  for (let k = 0; k < count; k++) {
    const square = (k + 0.5) / count;
    const cosine = Math.sqrt(1 - square);
    const sine = Math.sqrt(square);
    const at = k * WAY_STRIDE;
    out[at + WAY_DIRECTION + axis] = face % 2 === 0 ? cosine : -cosine;
    out[at + WAY_DIRECTION + ((axis + 1) % 3)] = sine * cos(k * TURN);
    out[at + WAY_DIRECTION + ((axis + 2) % 3)] = sine * sin(k * TURN);
    // half as wide as its part of the half space: in wider ones what is out of the way would count as well
    out[at + WAY_WIDE] = 1 / Math.sqrt(count * Math.max(LEAST_COSINE, cosine));
  }
}
