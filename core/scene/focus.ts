/** Focus that stays on a place of an object while it or the camera moves. */
import { invertAffine, transformPoint, type Mat4 } from '../math/mat4';
import { rayFrame, type CameraView } from './camera';
import { INSTANCE_NODE, INSTANCE_STRIDE, type CompiledScene } from './compiled';
import { poseNodes } from './pose';

/** A place on an object, where the object has it at rest. */
export interface FocusOn {
  /** Node that carries the object: its number, and its name in case the scene came in again with others. */
  node: number;
  name: string;
  /** In the node's space, metres. */
  point: [number, number, number];
}

/** What was found around a pixel: a few of them, row by row, objects as `objectId` numbers them. */
export interface Around {
  width: number;
  height: number;
  /** Metres along the camera's axis, 0 where nothing is. */
  depth: ArrayLike<number>;
  objects: ArrayLike<number>;
}

/**
 * The object under a pointer and how far it is: that of the middle pixel, or the nearest one where the middle is background;
 * of its pixels the median distance, for a single one may lie on an edge or a thread.
 * @returns null where there is only background
 */
export function objectUnder({ width, height, depth, objects }: Around): { object: number; depth: number } | null {
  const middle = (height >> 1) * width + (width >> 1);
  let object = depth[middle] > 0 ? objects[middle] : 0;
  if (object === 0) {
    let least = Infinity;
    for (let i = 0; i < width * height; i++) {
      const away = ((i % width) - (width >> 1)) ** 2 + (Math.floor(i / width) - (height >> 1)) ** 2;
      if (depth[i] > 0 && objects[i] > 0 && away < least) [least, object] = [away, objects[i]];
    }
  }
  if (object === 0) return null;
  const depths: number[] = [];
  for (let i = 0; i < width * height; i++) if (objects[i] === object && depth[i] > 0) depths.push(depth[i]);
  depths.sort((a, b) => a - b);
  return { object, depth: depths[depths.length >> 1] };
}

/** Where on its object a pixel's place lies. @param object as in `objectId`, from 1 on */
export function focusOn(
  scene: CompiledScene,
  camera: CameraView,
  picture: { width: number; height: number },
  pixel: { x: number; y: number },
  under: { object: number; depth: number },
  timeSeconds: number,
): FocusOn {
  const { origin, forward, base, right, down, perspective } = rayFrame(camera, picture.width, picture.height);
  const place = [0, 1, 2].map((k) => {
    const across = base[k] + right[k] * (pixel.x + 0.5) + down[k] * (pixel.y + 0.5);
    return perspective ? origin[k] + across * under.depth : across + forward[k] * under.depth;
  });
  const node = scene.instances[(under.object - 1) * INSTANCE_STRIDE + INSTANCE_NODE];
  const world = poseNodes(scene, timeSeconds, camera.take?.number)[node];
  const point = transformPoint(invertAffine(world), place) as FocusOn['point'];
  return { node, name: scene.meta.nodes[node].name, point };
}

/** Metres along the camera's axis to a place on an object; null when the object is gone or behind the camera. */
export function distanceTo(on: FocusOn, scene: CompiledScene, world: readonly Mat4[], camera: Mat4): number | null {
  const { nodes } = scene.meta;
  const node = nodes[on.node]?.name === on.name ? on.node : nodes.findIndex((n) => n.name === on.name);
  if (node < 0) return null;
  const p = transformPoint(world[node], on.point);
  const metres = -[0, 1, 2].reduce((sum, k) => sum + (p[k] - camera[12 + k]) * camera[8 + k], 0);
  return metres > 0.001 ? metres : null;
}
