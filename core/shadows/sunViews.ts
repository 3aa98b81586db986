/** Shadow maps of a sun: cascades from near to far. */
import { log2, exp2, tan } from '../math/exact';
import { cross, length, transformPoint, unit } from '../math/mat4';
import type { Bounds } from '../math/bounds';
import type { CameraView } from '../scene/camera';
import type { FrameLight } from '../light/frameLight';
import type { ShadowOptions } from './planShadows';
import type { ShadowView } from '../light/shadowView';

/**
 * Distances from the camera at which cascades end: a mix of logarithmic and uniform steps
 * (Zhang et al. 2006, Parallel-Split Shadow Maps for Large-scale Virtual Environments, practical split).
 * @param mix 0 uniform … 1 logarithmic
 * @returns `count` distances, the last one `far`
 */
export function cascadeEnds(near: number, far: number, count: number, mix: number): number[] {
  return Array.from({ length: count }, (_, i) => {
    const t = (i + 1) / count;
    if (t === 1) return far;
    const even = near + (far - near) * t;
    const even2 = near * exp2(log2(far / near) * t);
    return even2 * mix + even * (1 - mix);
  });
}

/**
 * One map a cascade, each over the ball around its slice of the camera's view. A ball keeps its map's size when the
 * camera turns, and its centre moves by whole texels only, so that edges do not crawl. The first cascade that would
 * hold the whole scene is the last one and has no end.
 */
export function sunViews(
  bounds: Bounds,
  light: FrameLight,
  resolution: number,
  camera: CameraView,
  aspect: number,
  options: ShadowOptions,
): ShadowView[] {
  const { min, max } = bounds;
  const ofScene = {
    centre: [0, 1, 2].map((c) => (min[c] + max[c]) / 2),
    radius: length([0, 1, 2].map((c) => (max[c] - min[c]) / 2)) * 1.001,
  };
  const near = Math.min(options.distance / 2, Math.max(camera.lens.near, options.distance / 400, options.start));
  const ends = cascadeEnds(near, options.distance, options.cascades, options.split);
  const views: ShadowView[] = [];
  for (let i = 0; i < ends.length; i++) {
    // a slice begins where the blend with the one before it does
    const start = i === 0 ? 0 : ends[i - 1] - (ends[i - 1] - (ends[i - 2] ?? 0)) * options.blend;
    const ofSlice = viewBall(camera, aspect, start, ends[i]);
    const whole = ofScene.radius <= ofSlice.radius;
    views.push(sunView(bounds, light, whole ? ofScene : ofSlice, resolution, options.depthCodes));
    views[i].end = whole ? Infinity : ends[i];
    if (whole) break;
  }
  return views;
}

function sunView(
  { min, max }: Bounds,
  light: FrameLight,
  { centre, radius }: { centre: number[]; radius: number },
  n: number,
  depthCodes: number,
): ShadowView {
  const d = [light.dx, light.dy, light.dz];
  const right = unit(cross(Math.abs(d[1]) > 0.99 ? [0, 0, 1] : [0, 1, 0], d).map((c) => -c));
  const up = cross(right, d);
  const along = (axis: number[], p: ArrayLike<number>): number => axis[0] * p[0] + axis[1] * p[1] + axis[2] * p[2];
  // how far the scene reaches along the light, so that everything before the ball can cast into it
  let nearest = Infinity;
  for (let i = 0; i < 8; i++) {
    const corner = [i & 1 ? max[0] : min[0], i & 2 ? max[1] : min[1], i & 4 ? max[2] : min[2]];
    nearest = Math.min(nearest, along(d, corner));
  }
  const middle = along(d, centre);
  const front = Math.min(nearest, middle - radius) - 1e-3;
  const depth = middle + radius - front;
  const texelSize = (2 * radius) / (n - 2);
  const snap = (c: number): number => Math.round(c / texelSize) * texelSize;
  const cx = snap(along(right, centre));
  const cy = snap(along(up, centre));
  const matrix = new Float64Array(16);
  for (let c = 0; c < 3; c++) {
    matrix[c] = right[c] / texelSize;
    matrix[4 + c] = -up[c] / texelSize;
    matrix[8 + c] = -d[c] / depth;
  }
  matrix[3] = n / 2 - cx / texelSize;
  matrix[7] = n / 2 + cy / texelSize;
  matrix[11] = 1 + front / depth;
  matrix[15] = 1;
  return {
    matrix,
    resolution: n,
    texelSize,
    perspective: false,
    depthScale: 1 / depth,
    span: depth,
    end: Infinity,
    depthCodes,
    offset: 0,
    blockOffset: 0,
    tileOffset: 0,
  };
}

/** Smallest ball, centred on the view axis, around the camera's view between two distances. */
function viewBall(camera: CameraView, aspect: number, near: number, far: number): { centre: number[]; radius: number } {
  const { lens, world } = camera;
  if (lens.kind === 'orthographic') {
    const middle = (near + far) / 2;
    return {
      centre: transformPoint(world, [0, 0, -middle]),
      radius: length([lens.ymag * aspect, lens.ymag, (far - near) / 2]),
    };
  }
  const t = tan(lens.yfovRad / 2);
  const k2 = t * t * (1 + aspect * aspect);
  // equally far from the near and the far corners, unless the ball around the far rectangle alone holds both
  const z = Math.min(far, ((near + far) * (1 + k2)) / 2);
  return {
    centre: transformPoint(world, [0, 0, -z]),
    radius: Math.sqrt((far - z) * (far - z) + k2 * far * far),
  };
}
