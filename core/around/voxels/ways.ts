/** The cones that leave each face of a voxel, and what of the surroundings each of them sees. */
import { WAY_DIRECTION, WAY_SKY, WAY_STRIDE, WAY_WIDE } from '@daxel/kernel/generated/layouts/voxelWay';
import { cos, sin } from '../../math/exact';
import type { RadianceFunction } from '../../light/surroundings/kind';

/** So many directions spiral around without two of them in line (Vogel 1979, A Better Way to Construct the Sunflower Head). */
const TURN = Math.PI * (3 - Math.sqrt(5));
/** Cones near the surface would be wider than the half space. */
const LEAST_COSINE = 0.3;
/** They go through voxels of half their width: mixing between voxels widens them again. */
const FINE = 0.5;
/** Directions by which a cone looks at the surroundings. */
const SKY_RAYS = 48;

/** Writes tangents of a unit direction: at right angles to it and to each other. */
function tangents(d: ArrayLike<number>, u: Float64Array, v: Float64Array): void {
  const k = Math.abs(d[1]) < 0.9 ? 1 : 0;
  const [x, y, z] = k === 1 ? [d[2], 0, -d[0]] : [0, d[2], -d[1]];
  const size = Math.sqrt(x * x + y * y + z * z);
  u.set([x / size, y / size, z / size]);
  v.set([d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]]);
}

const axis = new Float64Array(3);
const u = new Float64Array(3);
const v = new Float64Array(3);
const way = new Float64Array(3);
const seen = new Float64Array(3);

/**
 * Writes the cones of a face: spread by the cosine, so that each brings the same part of irradiance.
 * @param face 2·axis looks up along it, 2·axis + 1 down
 * @param sky null where there is none @param out WAY_STRIDE numbers a cone
 */
export function writeWays(face: number, count: number, sky: RadianceFunction | null, out: Float32Array): void {
  for (let k = 0; k < count; k++) {
    axis.fill(0);
    axis[face >> 1] = face % 2 === 0 ? 1 : -1;
    tangents(axis, u, v);
    const square = (k + 0.5) / count;
    lean(axis, Math.sqrt(1 - square), Math.sqrt(square), k * TURN, way);
    const at = k * WAY_STRIDE;
    out.set(way, at + WAY_DIRECTION);
    // a cone that covers as much of the sphere as its part of the half space
    const half = 1 / Math.sqrt(count * Math.max(LEAST_COSINE, Math.sqrt(1 - square)));
    out[at + WAY_WIDE] = 2 * half * FINE;
    out.fill(0, at + WAY_SKY, at + WAY_SKY + 3);
    if (sky) lookAtSky(sky, half, out.subarray(at + WAY_SKY, at + WAY_SKY + 3));
  }
}

/** Mean over the cone around `way`. @param half tangent of half its angle */
function lookAtSky(sky: RadianceFunction, half: number, out: Float32Array): void {
  axis.set(way);
  tangents(axis, u, v);
  const least = 1 / Math.sqrt(1 + half * half);
  for (let k = 0; k < SKY_RAYS; k++) {
    const cosine = 1 - ((k + 0.5) / SKY_RAYS) * (1 - least);
    lean(axis, cosine, Math.sqrt(1 - cosine * cosine), k * TURN, way);
    sky(way[0], way[1], way[2], seen);
    for (let c = 0; c < 3; c++) out[c] += seen[c] / SKY_RAYS;
  }
}

/** The direction that leans so far from another. `u` and `v` are the tangents of that. */
function lean(from: Float64Array, cosine: number, sine: number, turn: number, out: Float64Array): void {
  const [a, b] = [sine * cos(turn), sine * sin(turn)];
  for (let c = 0; c < 3; c++) out[c] = from[c] * cosine + u[c] * a + v[c] * b;
}
