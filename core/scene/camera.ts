/** Camera and picture plane: world space to pixels in homogeneous coordinates, and back to rays. */
import { tan } from '../math/exact';
import { invertAffine, type Mat4 } from '../math/mat4';
import type { Aperture } from './aperture';
import type { CameraPath } from './cameraPath';
import type { CameraSource } from './source';
import type { ShotTake } from './take';

/** A camera as one frame uses it. */
export interface CameraView {
  /** Camera to world; the camera looks along its −Z. */
  world: Mat4;
  lens: Pick<CameraSource, 'kind' | 'yfovRad' | 'ymag' | 'near'>;
  /** An opening with extent: what is out of focus is blurred. Parallel lenses have none. */
  aperture?: Aperture;
  /** Seconds from the frame's instant at which the shutter opens and closes. */
  shutter?: { opens: number; closes: number };
  /** Node that carries the camera while the shutter is open; absent for one that stands still. */
  ride?: number;
  /** Which course of what is random in the scene is seen; shakes the camera if it rides on a node. */
  take?: ShotTake;
  /** Carries it instead of a node; its place is `world` at the frame's own instant. */
  path?: CameraPath;
  /** Place on the lens that light is let through, metres to the right and up from its middle. */
  offset?: readonly [number, number];
}

/** Metres over which the depth of a parallel lens falls from 1 to 0. */
export const PARALLEL_RANGE = 1e4;

/**
 * Row-wise 4×4 matrix from world space to (X, Y, Z, W): pixel position is (X / W, Y / W) from the picture's upper left
 * corner, depth is Z / W: 1 at the near plane and 0 at infinity (reversed), for an orthographic lens 1 at the near plane
 * falling by 1 / `orthoRange` a metre.
 */
export function worldToPixels(
  view: CameraView,
  width: number,
  height: number,
  orthoRange = PARALLEL_RANGE,
): Float64Array {
  const v = invertAffine(view.world);
  const row = (r: number): number[] => [v[r], v[4 + r], v[8 + r], v[12 + r]];
  const [x, y, z] = [row(0), row(1), row(2)];
  const out = new Float64Array(16);
  if (view.lens.kind === 'perspective') {
    const focal = height / (2 * tan(view.lens.yfovRad / 2));
    for (let c = 0; c < 4; c++) {
      out[c] = focal * x[c] - (width / 2) * z[c];
      out[4 + c] = -focal * y[c] - (height / 2) * z[c];
      out[12 + c] = -z[c];
    }
    out[11] = view.lens.near;
    if (view.offset && view.aperture) {
      // seen from beside the middle, and shifted so that what is in focus stays where it is
      const { focus } = view.aperture;
      view.offset.forEach((by, r) => {
        const shift = (r === 0 ? focal : -focal) * by;
        out[r * 4 + 3] -= shift;
        for (let c = 0; c < 4; c++) out[r * 4 + c] -= (shift / focus) * z[c];
      });
    }
  } else {
    const scale = height / (2 * view.lens.ymag);
    for (let c = 0; c < 4; c++) {
      out[c] = scale * x[c];
      out[4 + c] = -scale * y[c];
      out[8 + c] = z[c] / orthoRange;
    }
    out[3] += width / 2;
    out[7] += height / 2;
    out[11] += 1 + view.lens.near / orthoRange;
    out[15] = 1;
  }
  return out;
}

/**
 * The rays of a picture: direction = base + x · right + y · down at pixel position (x, y), not normalised;
 * for an orthographic lens the same three vectors give the origin and `forward` the direction.
 */
export interface RayFrame {
  perspective: boolean;
  origin: number[];
  forward: number[];
  base: number[];
  right: number[];
  down: number[];
}

export function rayFrame(view: CameraView, width: number, height: number): RayFrame {
  const m = view.world;
  const half = view.lens.kind === 'perspective' ? tan(view.lens.yfovRad / 2) : view.lens.ymag;
  const step = (2 * half) / height;
  const perspective = view.lens.kind === 'perspective';
  const right = [0, 1, 2].map((k) => m[k] * step);
  const down = [0, 1, 2].map((k) => -m[4 + k] * step);
  const forward = [0, 1, 2].map((k) => -m[8 + k]);
  const origin = [m[12], m[13], m[14]];
  const base = [0, 1, 2].map(
    (k) => (perspective ? forward[k] : origin[k]) - (width / 2) * right[k] - (height / 2) * down[k],
  );
  if (perspective && view.offset && view.aperture) {
    const [x, y] = view.offset;
    for (let k = 0; k < 3; k++) {
      const aside = m[k] * x + m[4 + k] * y;
      origin[k] += aside;
      base[k] -= aside / view.aperture.focus;
    }
  }
  return { perspective, origin, forward, base, right, down };
}
