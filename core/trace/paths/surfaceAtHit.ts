/** The surface that a path has hit. */
import { S_FACE, S_POSITION, S_VIEW, materialAt } from '../../raster/surface';
import {
  direction,
  footprint,
  hitDistance,
  hitTriangle,
  hitU,
  hitV,
  slopes,
  spread,
  surface,
  type PathInput,
} from './pathState';

/** The surface record where a path has hit. */
export function surfaceAtHit(input: PathInput, i: number): void {
  const { scene, posed } = input.surface;
  const P = posed.positions;
  const t = hitTriangle[i];
  const o = i * 3;
  const i0 = scene.triangles[t * 3] * 3;
  const i1 = scene.triangles[t * 3 + 1] * 3;
  const i2 = scene.triangles[t * 3 + 2] * 3;
  const b1 = hitU[i];
  const b2 = hitV[i];
  const b0 = 1 - b1 - b2;
  const ux = P[i1] - P[i0];
  const uy = P[i1 + 1] - P[i0 + 1];
  const uz = P[i1 + 2] - P[i0 + 2];
  const vx = P[i2] - P[i0];
  const vy = P[i2 + 1] - P[i0 + 1];
  const vz = P[i2 + 2] - P[i0 + 2];
  let fx = uy * vz - uz * vy;
  let fy = uz * vx - ux * vz;
  let fz = ux * vy - uy * vx;
  const area2 = fx * fx + fy * fy + fz * fz;
  const dx = direction[o];
  const dy = direction[o + 1];
  const dz = direction[o + 2];
  const side = dx * fx + dy * fy + dz * fz < 0 ? 1 : -1;
  for (let k = 0; k < 3; k++) {
    surface[S_POSITION + k] = P[i0 + k] * b0 + P[i1 + k] * b1 + P[i2 + k] * b2;
    surface[S_VIEW + k] = -direction[o + k];
  }
  // slopes of the barycentrics along the footprint's short side, across the ray, and along its long one
  const width = footprint[i] + spread[i] * hitDistance[i];
  let ax = dy * fz - dz * fy;
  let ay = dz * fx - dx * fz;
  let az = dx * fy - dy * fx;
  const al = Math.sqrt(ax * ax + ay * ay + az * az);
  const fl = Math.sqrt(area2);
  if (al > 1e-9 * fl) {
    ax /= al;
    ay /= al;
    az /= al;
  } else {
    const ul = Math.sqrt(ux * ux + uy * uy + uz * uz);
    ax = ux / ul;
    ay = uy / ul;
    az = uz / ul;
  }
  fx /= fl;
  fy /= fl;
  fz /= fl;
  const long = width / Math.max(0.05, Math.abs(dx * fx + dy * fy + dz * fz));
  const bx = ay * fz - az * fy;
  const by = az * fx - ax * fz;
  const bz = ax * fy - ay * fx;
  // gradients in the plane: b1 grows along v × n, b2 along n × u, over twice the area
  const g1x = (vy * fz - vz * fy) / fl;
  const g1y = (vz * fx - vx * fz) / fl;
  const g1z = (vx * fy - vy * fx) / fl;
  const g2x = (fy * uz - fz * uy) / fl;
  const g2y = (fz * ux - fx * uz) / fl;
  const g2z = (fx * uy - fy * ux) / fl;
  slopes[0] = (g1x * ax + g1y * ay + g1z * az) * width;
  slopes[1] = (g2x * ax + g2y * ay + g2z * az) * width;
  slopes[2] = (g1x * bx + g1y * by + g1z * bz) * long;
  slopes[3] = (g2x * bx + g2y * by + g2z * bz) * long;
  surface[S_FACE] = fx * side;
  surface[S_FACE + 1] = fy * side;
  surface[S_FACE + 2] = fz * side;
  materialAt(input.surface, t, side, false, b1, b2, slopes, surface);
}
