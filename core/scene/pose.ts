/** A scene at one instant: node matrices from the animation, then every vertex in world space. */
import { cofactors3, fromTrs, multiply, type Mat4 } from '../math/mat4';
import { acos, sin } from '../math/exact';
import {
  INSTANCE_FIRST_VERTEX,
  INSTANCE_NODE,
  INSTANCE_STRIDE,
  INSTANCE_VERTEX_COUNT,
  type CompiledScene,
} from './compiled';
import { sparkMatrix, swayMatrix } from './randomParts';
import { STILL_TAKE } from './take';

/**
 * World matrix of every node at a time in seconds.
 * @param take of what is random: the number of a shot's take
 */
export function poseNodes(
  scene: Pick<CompiledScene, 'meta' | 'nodeParents' | 'nodeTransforms' | 'keys'>,
  timeSeconds: number,
  take = STILL_TAKE.number,
): Mat4[] {
  const { sways, sparks } = scene.meta;
  const swayOf = new Map(sways?.map((s) => [s.node, s]));
  const local = scene.nodeTransforms.slice();
  for (const channel of scene.meta.channels) sampleChannel(scene.keys, channel, timeSeconds, local);
  const world: Mat4[] = [];
  for (let n = 0; n < scene.nodeParents.length; n++) {
    const t = n * 10;
    const rest = fromTrs(local.subarray(t, t + 3), local.subarray(t + 3, t + 7), local.subarray(t + 7, t + 10));
    const sway = swayOf.get(n);
    const m = sway ? multiply(rest, swayMatrix(sway, take, timeSeconds)) : rest;
    const parent = scene.nodeParents[n];
    world.push(parent < 0 ? m : multiply(world[parent], m));
  }
  for (const s of sparks ?? [])
    for (let k = 0; k < s.count; k++) world[s.first + k] = sparkMatrix(s, world[s.node], take, k, timeSeconds);
  return world;
}

type Channel = CompiledScene['meta']['channels'][number];
const PATH_AT = { translation: 0, rotation: 3, scale: 7 } as const;

/** Writes a channel's value at a time into the local transforms; before the first and after the last key it holds. */
export function sampleChannel(keys: Float32Array, channel: Channel, time: number, local: Float32Array): void {
  const size = channel.path === 'rotation' ? 4 : 3;
  const at = channel.node * 10 + PATH_AT[channel.path];
  const times = keys.subarray(channel.timesAt, channel.timesAt + channel.keys);
  const last = channel.keys - 1;
  let k = 0;
  while (k < last && time >= times[k + 1]) k++;
  const cubic = channel.interpolation === 'cubic';
  const stride = cubic ? size * 3 : size;
  const value = (key: number, part: number): number => channel.valuesAt + key * stride + (cubic ? size * part : 0);
  const span = k < last ? times[k + 1] - times[k] : 0;
  const t = span > 0 ? Math.max(0, (time - times[k]) / span) : 0;
  const a = value(k, 1);
  if (t === 0 || channel.interpolation === 'step') {
    for (let c = 0; c < size; c++) local[at + c] = keys[a + c];
  } else if (cubic) {
    // glTF 2.0 specification, appendix C.5
    const b = value(k + 1, 1);
    const out = value(k, 2);
    const into = value(k + 1, 0);
    const [t2, t3] = [t * t, t * t * t];
    for (let c = 0; c < size; c++) {
      local[at + c] =
        (2 * t3 - 3 * t2 + 1) * keys[a + c] +
        span * (t3 - 2 * t2 + t) * keys[out + c] +
        (-2 * t3 + 3 * t2) * keys[b + c] +
        span * (t3 - t2) * keys[into + c];
    }
  } else {
    const b = value(k + 1, 1);
    if (size === 4) slerp(keys, a, b, t, local, at);
    else for (let c = 0; c < 3; c++) local[at + c] = keys[a + c] + (keys[b + c] - keys[a + c]) * t;
  }
  if (size === 4) {
    const l = Math.sqrt(local[at] ** 2 + local[at + 1] ** 2 + local[at + 2] ** 2 + local[at + 3] ** 2) || 1;
    for (let c = 0; c < 4; c++) local[at + c] /= l;
  }
}

/** Shoemake 1985, Animating Rotation with Quaternion Curves. */
function slerp(keys: Float32Array, a: number, b: number, t: number, out: Float32Array, at: number): void {
  let d = 0;
  for (let c = 0; c < 4; c++) d += keys[a + c] * keys[b + c];
  const sign = d < 0 ? -1 : 1;
  d = Math.abs(d);
  let wa = 1 - t;
  let wb = t;
  if (d < 0.9995) {
    const angle = acos(d);
    wa = sin(angle * (1 - t)) / sin(angle);
    wb = sin(angle * t) / sin(angle);
  }
  for (let c = 0; c < 4; c++) out[at + c] = keys[a + c] * wa + sign * keys[b + c] * wb;
}

/** World-space vertices of one instant. */
export interface PosedScene {
  /** xyz per vertex, metres. */
  positions: Float32Array;
  /** xyz per vertex, unit. */
  normals: Float32Array;
  /** xyzw per vertex. */
  tangents: Float32Array;
}

/** Transforms the vertices of instances `first` … `end − 1`; disjoint ranges may run on different threads. */
export function poseInstances(
  scene: CompiledScene,
  world: readonly Mat4[],
  first: number,
  end: number,
  out: PosedScene,
): void {
  for (let i = first; i < end; i++) {
    const at = i * INSTANCE_STRIDE;
    const node = scene.instances[at + INSTANCE_NODE];
    const from = scene.instances[at + INSTANCE_FIRST_VERTEX];
    poseVertices(scene, world[node], from, from + scene.instances[at + INSTANCE_VERTEX_COUNT], out);
  }
}

function poseVertices(scene: CompiledScene, m: Mat4, from: number, to: number, out: PosedScene): void {
  const { positions, normals, tangents } = scene;
  const n = cofactors3(m);
  const flip = m[0] * n[0] + m[1] * n[1] + m[2] * n[2] < 0 ? -1 : 1;
  for (let v = from; v < to; v++) {
    const p = v * 3;
    const x = positions[p];
    const y = positions[p + 1];
    const z = positions[p + 2];
    out.positions[p] = m[0] * x + m[4] * y + m[8] * z + m[12];
    out.positions[p + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    out.positions[p + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
    const nx = normals[p];
    const ny = normals[p + 1];
    const nz = normals[p + 2];
    const wx = n[0] * nx + n[3] * ny + n[6] * nz;
    const wy = n[1] * nx + n[4] * ny + n[7] * nz;
    const wz = n[2] * nx + n[5] * ny + n[8] * nz;
    const s = flip / (Math.sqrt(wx * wx + wy * wy + wz * wz) || 1);
    out.normals[p] = wx * s;
    out.normals[p + 1] = wy * s;
    out.normals[p + 2] = wz * s;
    const q = v * 4;
    const tx = tangents[q];
    const ty = tangents[q + 1];
    const tz = tangents[q + 2];
    const ux = m[0] * tx + m[4] * ty + m[8] * tz;
    const uy = m[1] * tx + m[5] * ty + m[9] * tz;
    const uz = m[2] * tx + m[6] * ty + m[10] * tz;
    const l = 1 / (Math.sqrt(ux * ux + uy * uy + uz * uz) || 1);
    out.tangents[q] = ux * l;
    out.tangents[q + 1] = uy * l;
    out.tangents[q + 2] = uz * l;
    out.tangents[q + 3] = tangents[q + 3] * flip;
  }
}
