/** What the face of an area light gives a matte surface, in closed form. */
import { acos, cos, sin } from '../math/exact';
import type { FrameLight } from './frameLight';

const CORNERS = 16;
/** Corners of a regular polygon with the area of the unit circle, so that a disc's light is kept. */
export const POLYGON = Float64Array.from({ length: CORNERS * 2 }, (_, i) => {
  const angle = (2 * Math.PI * (i >> 1)) / CORNERS;
  const scale = Math.sqrt(Math.PI / (CORNERS / 2) / sin((2 * Math.PI) / CORNERS));
  return scale * (i % 2 === 0 ? cos(angle) : sin(angle));
});
export const RECTANGLE = Float64Array.of(-1, -1, 1, -1, 1, 1, -1, 1);

const corners = new Float64Array((CORNERS + 2) * 3);
const clipped = new Float64Array((CORNERS + 2) * 3);

/**
 * Irradiance over luminance (sr) of an unshadowed area light at a point with a unit normal: Lambert's polygon formula,
 * ½ Σ θᵢ (γᵢ · n), after cutting off what lies below the horizon (Lambert 1760, Photometria; Baum et al. 1989,
 * Improving Radiosity Solutions Through the Use of Analytically Determined Form-Factors). A disc counts as a polygon
 * of equal area and 16 corners.
 */
export function faceIrradiance(
  light: FrameLight,
  x: number,
  y: number,
  z: number,
  nx: number,
  ny: number,
  nz: number,
): number {
  const shape = light.round ? POLYGON : RECTANGLE;
  const count = shape.length / 2;
  for (let i = 0; i < count; i++) {
    const a = shape[i * 2];
    const b = shape[i * 2 + 1];
    corners[i * 3] = light.px + light.ux * a + light.vx * b - x;
    corners[i * 3 + 1] = light.py + light.uy * a + light.vy * b - y;
    corners[i * 3 + 2] = light.pz + light.uz * a + light.vz * b - z;
  }
  const left = clipToHorizon(count, nx, ny, nz);
  if (left < 3) return 0;
  let sum = 0;
  let from = (left - 1) * 3;
  let fromLength = lengthAt(from);
  for (let i = 0; i < left; i++) {
    const to = i * 3;
    const toLength = lengthAt(to);
    const cx = clipped[from + 1] * clipped[to + 2] - clipped[from + 2] * clipped[to + 1];
    const cy = clipped[from + 2] * clipped[to] - clipped[from] * clipped[to + 2];
    const cz = clipped[from] * clipped[to + 1] - clipped[from + 1] * clipped[to];
    const across = Math.sqrt(cx * cx + cy * cy + cz * cz);
    if (across > 0 && fromLength > 0 && toLength > 0) {
      const cosine =
        (clipped[from] * clipped[to] + clipped[from + 1] * clipped[to + 1] + clipped[from + 2] * clipped[to + 2]) /
        (fromLength * toLength);
      const angle = acos(cosine < -1 ? -1 : cosine > 1 ? 1 : cosine);
      sum += (angle * (cx * nx + cy * ny + cz * nz)) / across;
    }
    from = to;
    fromLength = toLength;
  }
  return Math.abs(sum) / 2;
}

function lengthAt(i: number): number {
  const x = clipped[i];
  const y = clipped[i + 1];
  const z = clipped[i + 2];
  return Math.sqrt(x * x + y * y + z * z);
}

/** Sutherland & Hodgman 1974, Reentrant Polygon Clipping, against the plane through the origin. @returns corners left */
function clipToHorizon(count: number, nx: number, ny: number, nz: number): number {
  let left = 0;
  let a = (count - 1) * 3;
  let da = corners[a] * nx + corners[a + 1] * ny + corners[a + 2] * nz;
  for (let i = 0; i < count; i++) {
    const b = i * 3;
    const db = corners[b] * nx + corners[b + 1] * ny + corners[b + 2] * nz;
    if (da < 0 !== db < 0) {
      const t = da / (da - db);
      for (let c = 0; c < 3; c++) clipped[left * 3 + c] = corners[a + c] + (corners[b + c] - corners[a + c]) * t;
      left++;
    }
    if (db >= 0) {
      for (let c = 0; c < 3; c++) clipped[left * 3 + c] = corners[b + c];
      left++;
    }
    a = b;
    da = db;
  }
  return left;
}
