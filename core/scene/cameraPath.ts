/** A camera path by keys: places to stand and to look at, passed through by a spline, eased from key to key. */
import { z } from 'zod';
import { cos, sin } from '../math/exact';
import { lookAt, type Mat4 } from '../math/mat4';

const place = z.tuple([z.number(), z.number(), z.number()]).refine((p) => p.every((v) => Math.abs(v) <= 1e6), {
  message: 'a place lies within a thousand kilometres',
});
export const EASES = ['smooth', 'linear', 'hold'] as const;

export const pathKey = z
  .strictObject({
    frame: z.int().min(-1_000_000).max(1_000_000),
    eye: place,
    target: place,
    /** On the way to the next key: slow at both ends, even, or not at all until it jumps. */
    ease: z.enum(EASES).default('smooth'),
  })
  .refine((k) => k.eye.some((v, c) => v !== k.target[c]), 'a camera cannot look at where it stands');
export type PathKey = z.infer<typeof pathKey>;

export const MOST_PATH_KEYS = 200;
export const cameraPath = z.strictObject({
  /** Frames a second that the keys count. */
  rate: z.number().min(1).max(240),
  keys: z
    .array(pathKey)
    .min(1)
    .max(MOST_PATH_KEYS)
    .refine((keys) => keys.every((k, i) => i === 0 || k.frame > keys[i - 1].frame), 'keys follow one another by frame'),
});
export type CameraPath = z.infer<typeof cameraPath>;

/** Camera to world; before the first and after the last key it stands. */
export function pathWorld({ rate, keys }: CameraPath, timeSeconds: number): Mat4 {
  const frame = timeSeconds * rate;
  let k = 0;
  while (k + 1 < keys.length && frame >= keys[k + 1].frame) k++;
  const [key, next] = [keys[k], keys[k + 1]];
  if (!next || frame <= key.frame) return lookAt(key.eye, key.target);
  const t = (frame - key.frame) / (next.frame - key.frame);
  const u = key.ease === 'hold' ? 0 : key.ease === 'smooth' ? t * t * (3 - 2 * t) : t;
  const span = next.frame - key.frame;
  const at = (of: (k: PathKey) => readonly number[]): number[] =>
    of(key).map((b, i) => {
      const value = (n: number): number => of(keys[n])[i];
      return hermite(b, value(k + 1), slope(keys, k, value) * span, slope(keys, k + 1, value) * span, u);
    });
  return lookAt(
    at((p) => p.eye),
    at((p) => p.target),
  );
}

/** Change per frame at a key: between its neighbours, or to the only one it has (Catmull & Rom 1974, with uneven steps). */
function slope(keys: readonly PathKey[], k: number, value: (n: number) => number): number {
  const [a, b] = [Math.max(0, k - 1), Math.min(keys.length - 1, k + 1)];
  return (value(b) - value(a)) / (keys[b].frame - keys[a].frame);
}

/** From `b` to `c` with given slopes at both, over u from 0 to 1. */
function hermite(b: number, c: number, from: number, to: number, u: number): number {
  const [u2, u3] = [u * u, u * u * u];
  return (2 * u3 - 3 * u2 + 1) * b + (u3 - 2 * u2 + u) * from + (3 * u2 - 2 * u3) * c + (u3 - u2) * to;
}

/** A path with one key more; one of the same frame gives way. */
export function withKey(path: CameraPath | null, rate: number, key: PathKey): CameraPath {
  const others = path?.keys.filter((k) => k.frame !== key.frame) ?? [];
  return { rate, keys: [...others, key].sort((a, b) => a.frame - b.frame) };
}

export interface PathStart {
  eye: readonly number[];
  target: readonly number[];
  first: number;
  last: number;
  rate: number;
}
type Place = [number, number, number];

/** Degrees between the keys of an orbit: the spline leaves the circle by about a thousandth of its radius. */
const ORBIT_STEP = 10;

/** Around the target at even speed. @param angleDeg to the right when positive */
export function orbitPath({ eye, target, first, last, rate }: PathStart, angleDeg: number): CameraPath {
  const [x, z] = [eye[0] - target[0], eye[2] - target[2]];
  const steps = Math.max(1, Math.min(last - first, MOST_PATH_KEYS - 1, Math.ceil(Math.abs(angleDeg) / ORBIT_STEP)));
  const keys = Array.from({ length: steps + 1 }, (_, i): PathKey => {
    const angle = (-((angleDeg * i) / steps) * Math.PI) / 180;
    const [c, s] = [cos(angle), sin(angle)];
    const place: Place = [target[0] + x * c - z * s, eye[1], target[2] + x * s + z * c];
    const frame = Math.round(first + ((last - first) * i) / steps);
    return { frame, eye: place, target: [...target] as Place, ease: 'linear' };
  });
  return { rate, keys };
}

/** Towards the target. @param share of the distance, negative for away from it; below 1 */
export function dollyPath(start: PathStart, share: number): CameraPath {
  const eye = start.eye.map((v, c) => v + (start.target[c] - v) * share);
  return between(start, eye, start.target);
}

/** To the side, looking the same way. @param metres to the right when positive */
export function railPath(start: PathStart, metres: number): CameraPath {
  const right = lookAt(start.eye, start.target).subarray(0, 3);
  const moved = (p: readonly number[]): number[] => p.map((v, c) => v + right[c] * metres);
  return between(start, moved(start.eye), moved(start.target));
}

function between(
  { eye, target, first, last, rate }: PathStart,
  to: readonly number[],
  look: readonly number[],
): CameraPath {
  const key = (frame: number, e: readonly number[], t: readonly number[]): PathKey => ({
    frame,
    eye: [...e] as Place,
    target: [...t] as Place,
    ease: 'smooth',
  });
  return { rate, keys: [key(first, eye, target), key(Math.max(first + 1, last), to, look)] };
}
