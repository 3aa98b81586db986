/** The motion layer: where what a pixel sees will be in the next frame. */
import { invertAffine, multiply, type Mat4 } from '../math/mat4';
import type { Rect } from '../measure/rect';
import { rayFrame, worldToPixels, type CameraView } from '../scene/camera';
import { INSTANCE_NODE, INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import { poseNodes } from '../scene/pose';

/** What of a scene tells where things will be. */
export type MovingScene = Pick<CompiledScene, 'meta' | 'instances' | 'nodeParents' | 'nodeTransforms' | 'keys'>;

export interface MotionInput {
  scene: MovingScene;
  /** Of the picture, pixels. */
  width: number;
  height: number;
  /** The arrays hold this part of it only; absent for all. */
  part?: Rect;
  /** Metres along the view axis, 0 where nothing is. */
  depth: Float32Array;
  /** Drawn instance + 1, 0 for the background. */
  objectId: Uint32Array;
  /** Instances that are looked through, see `seeThroughInstances`; and what is seen behind them. */
  seeThrough: Uint8Array;
  /** Instance + 1 of what is looked through first at each pixel; empty when that is not known. */
  overlaid: Uint32Array;
  behind: 'background' | 'unknown';
  camera: CameraView;
  timeSeconds: number;
  nextCamera: CameraView;
  nextTimeSeconds: number;
}

/**
 * Motion of what one pixel shows.
 * @param i its number in the arrays
 * @param px, py its middle in the picture
 * @param out pixels to the right and down, and the metres along the axis at which it lies then (0 at infinity)
 */
export type PointMotion = (i: number, px: number, py: number, out: Float64Array) => void;

/**
 * Vectors to the next frame, pixels to the right and down, two numbers a pixel. What moves is carried along by the node
 * that draws it; the background lies at infinity and follows the camera's turning alone. Where a point comes to lie
 * behind the next camera the vector is 0.
 *
 * Rasterised, a see-through surface is what a pixel shows only where nothing else is behind it: what is seen there is the
 * background. Path traced, it may be anything: such vectors are NaN. So are those behind glass that itself moves: what is
 * seen there follows neither.
 */
export function motionVectors(input: MotionInput): Float32Array {
  const { width, height } = input;
  const part = input.part ?? { x: 0, y: 0, width, height };
  const pixels = part.width * part.height;
  const motionAt = pointMotion(input.overlaid.length === pixels ? input : { ...input, overlaid: new Uint32Array(0) });
  const out = new Float32Array(pixels * 2);
  const vector = new Float64Array(3);
  for (let y = 0; y < part.height; y++)
    for (let x = 0; x < part.width; x++) {
      const i = y * part.width + x;
      motionAt(i, x + part.x + 0.5, y + part.y + 0.5, vector);
      out[i * 2] = vector[0];
      out[i * 2 + 1] = vector[1];
    }
  return out;
}

/** The same for single pixels. */
export function pointMotion(input: MotionInput): PointMotion {
  const { scene, width, height, depth, objectId, overlaid, camera, nextCamera } = input;
  const rays = rayFrame(camera, width, height);
  const { origin: o, forward: f, base, right, down } = rays;
  const next = worldToPixels(nextCamera, width, height);
  const [from, to] = [
    poseNodes(scene, input.timeSeconds, camera.take?.number),
    poseNodes(scene, input.nextTimeSeconds, nextCamera.take?.number),
  ];
  const carried = carriers(scene, from, to, next);
  return (i, px, py, out) => {
    out[0] = out[1] = out[2] = 0;
    const rx = base[0] + px * right[0] + py * down[0];
    const ry = base[1] + px * right[1] + py * down[1];
    const rz = base[2] + px * right[2] + py * down[2];
    const id = objectId[i];
    const d = depth[i];
    const through = id > 0 && input.seeThrough[id - 1] === 1;
    const over = overlaid.length > 0 ? overlaid[i] : 0;
    if ((through && input.behind === 'unknown') || (over > 0 && carried[over - 1] !== next)) {
      out[0] = out[1] = NaN;
      return;
    }
    const far = id === 0 || through || !(d > 0);
    if (far && !rays.perspective) return;
    const m = far ? next : carried[id - 1];
    // a direction at infinity has no place: the fourth column does not count
    const w1 = far ? 0 : 1;
    // `rays` are not of unit length: along the axis they are 1, so depth scales them
    const wx = far ? rx : rays.perspective ? o[0] + rx * d : rx + f[0] * d;
    const wy = far ? ry : rays.perspective ? o[1] + ry * d : ry + f[1] * d;
    const wz = far ? rz : rays.perspective ? o[2] + rz * d : rz + f[2] * d;
    const w = m[12] * wx + m[13] * wy + m[14] * wz + m[15] * w1;
    if (!(w > 0)) return;
    out[0] = (m[0] * wx + m[1] * wy + m[2] * wz + m[3] * w1) / w - px;
    out[1] = (m[4] * wx + m[5] * wy + m[6] * wz + m[7] * w1) / w - py;
    // of a parallel lens w is 1 everywhere: there the distance is taken to stay
    out[2] = far ? 0 : rays.perspective ? w : d;
  };
}

/** Per instance the row-wise matrix from where a point is now to the next frame's pixels. */
function carriers(scene: MovingScene, from: Mat4[], to: Mat4[], toPixels: Float64Array): Float64Array[] {
  const perNode = from.map((world, n) => {
    // column-wise: forth · back, the identity for what stands still
    const same = world.every((v, k) => v === to[n][k]);
    return same ? null : multiply(to[n], invertAffine(world));
  });
  return Array.from({ length: scene.instances.length / INSTANCE_STRIDE }, (_, i) => {
    const move = perNode[scene.instances[i * INSTANCE_STRIDE + INSTANCE_NODE]];
    if (!move) return toPixels;
    const out = new Float64Array(16);
    for (let r = 0; r < 4; r++)
      for (let c = 0; c < 4; c++) for (let k = 0; k < 4; k++) out[r * 4 + c] += toPixels[r * 4 + k] * move[c * 4 + k];
    return out;
  });
}
