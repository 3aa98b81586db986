/** Instants of the open shutter, in the order in which a frame renders them. */
import { shuffledIndex, thirdDimension } from '../math/sobol';
import { hash32 } from '../math/random';
import type { CameraView } from '../scene/camera';
import type { FrameSettings } from './frameSettings';

type Shuttered = Pick<CameraView, 'shutter'>;

/** Share of the time between frames for which the shutter is open, 0…1. */
export function openShare({ shutter }: Shuttered, rate: number): number {
  return shutter ? (shutter.closes - shutter.opens) * rate : 0;
}

/** Seconds of instant `index` of `count`: the middles of equal parts of the open time. One alone is the frame's own. */
function instant(timeSeconds: number, { shutter }: Shuttered, index: number, count: number): number {
  if (count === 1 || !shutter) return timeSeconds;
  return timeSeconds + shutter.opens + ((index + 0.5) / count) * (shutter.closes - shutter.opens);
}

/** The instant that depth, normals, objects and motion are given for: the one in the middle of the open time. */
export function geometryInstant(timeSeconds: number, camera: Shuttered, count: number): number {
  return instant(timeSeconds, camera, count >> 1, count);
}

/** When and from where depth, normals, objects and motion of a frame are seen. */
export function geometryView(
  cameraAt: (timeSeconds: number) => CameraView,
  frameSeconds: number,
  count: number,
): { timeSeconds: number; camera: CameraView } {
  const timeSeconds = geometryInstant(frameSeconds, cameraAt(frameSeconds), count);
  return { timeSeconds, camera: cameraAt(timeSeconds) };
}

/**
 * All instants of a frame in seconds, the middle one first. Each takes the next `perInstant` samples of the pixel's
 * sequence; the order follows that sequence in its third dimension, so that places in the pixel and instants are
 * stratified together (Burley 2020, Practical Hash-based Owen Scrambling; dimension 3 of Joe & Kuo 2008) and one total
 * can be split in any way.
 */
export function shutterInstants(
  timeSeconds: number,
  camera: Shuttered,
  count: number,
  perInstant: number,
  seed: number,
): number[] {
  const keys = Array.from({ length: count }, (_, k) =>
    thirdDimension(Math.floor((shuffledIndex(k * perInstant, hash32(seed)) >>> 0) / perInstant)),
  );
  const ranks = new Int32Array(count);
  [...keys.keys()].sort((a, b) => keys[a] - keys[b] || a - b).forEach((k, rank) => (ranks[k] = rank));
  const middle = count >> 1;
  // flipping the same digits of all keeps a power of two stratified; others are turned round
  const flips = (count & (count - 1)) === 0;
  return Array.from(ranks, (rank) => {
    const index = flips ? rank ^ ranks[0] ^ middle : (rank - ranks[0] + middle + count) % count;
    return instant(timeSeconds, camera, index, count);
  });
}

/** The instants of a frame as its recipe asks for them. */
export function frameInstants(
  { timeSeconds, camera, seed }: { timeSeconds: number; camera: CameraView; seed: number },
  { shutter, perInstant }: Pick<FrameSettings, 'shutter' | 'perInstant'>,
): number[] {
  return shutterInstants(timeSeconds, camera, shutter, perInstant, seed);
}
