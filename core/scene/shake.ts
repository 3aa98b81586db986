/**
 * Camera shake: a sum of two band-limited noises, a large slow one (the body that sways) and a small quick one (the hand
 * that trembles), about and along all three axes of the camera. Each noise is a sum of tones with random phases whose
 * frequencies fill an octave (Shinozuka & Deodatis 1991, Simulation of Stochastic Processes by Spectral Representation),
 * so that it is a function of take and time alone: the same in every render, at any instant of the open shutter.
 */
import { cos, sin } from '../math/exact';
import { multiply, type Mat4 } from '../math/mat4';
import { cubicWeights } from '../measure/stability/sample';
import { bandNoise } from './bandNoise';
import { MOST_KEYS, type ShakeKeys, type ShotTake } from './take';

export function shakes({ large, small, keys }: ShotTake): boolean {
  return keys !== null || [large, small].some((b) => b.angleDeg > 0 || b.shift > 0);
}

const AXES = 6;
/** Share of a band's amplitude that each of the axes has. */
const SHARES = [1, 1, 0.5, 1, 1, 0.5];

/** Pitch, yaw, roll in radians and x, y, z in metres. */
export function shakeAt(take: ShotTake, timeSeconds: number): Float64Array {
  if (take.keys) return take.keys.of ? noiseAt(take.keys.of, timeSeconds) : keyedAt(take.keys, timeSeconds);
  return noiseAt(take, timeSeconds);
}

function noiseAt(take: Pick<ShotTake, 'number' | 'large' | 'small'>, timeSeconds: number): Float64Array {
  const out = new Float64Array(AXES);
  [take.large, take.small].forEach(({ angleDeg, shift, hertz }, band) => {
    const amplitudes = [(angleDeg * Math.PI) / 180, shift];
    for (let axis = 0; axis < AXES; axis++) {
      const amplitude = amplitudes[axis < 3 ? 0 : 1] * SHARES[axis];
      if (amplitude > 0) out[axis] += amplitude * bandNoise(take.number, band * AXES + axis, hertz, timeSeconds);
    }
  });
  return out;
}

/** A camera that shakes. @param world where it would be without */
export function shaken(world: Mat4, take: ShotTake | undefined, timeSeconds: number): Mat4 {
  if (!take || !shakes(take)) return world;
  const [pitch, yaw, roll, x, y, z] = shakeAt(take, timeSeconds);
  const [cp, sp, cy, sy, cr, sr] = [cos(pitch), sin(pitch), cos(yaw), sin(yaw), cos(roll), sin(roll)];
  // yaw · pitch · roll, after the way aside
  return multiply(
    world,
    Float64Array.of(
      ...[cy * cr + sy * sp * sr, cp * sr, -sy * cr + cy * sp * sr, 0],
      ...[-cy * sr + sy * sp * cr, cp * cr, sy * sr + cy * sp * cr, 0],
      ...[sy * cp, -sp, cy * cp, 0],
      ...[x, y, z, 1],
    ),
  );
}

/** Keys for each quarter of a frame, so that whoever reads them alone follows the noise within the open shutter as well. */
const KEYS_A_FRAME = 4;

/**
 * The course of a take as keys, with the noise that they are of: frames stay as they were, to the bit. @param first @param last frames that it is for; one more on either side is kept
 * @throws RangeError when there would be more than MOST_KEYS
 */
export function freezeShake(take: ShotTake, first: number, last: number, rate: number): ShakeKeys {
  const count = (last - first + 2) * KEYS_A_FRAME + 1;
  if (count > MOST_KEYS) throw new RangeError(`at most ${Math.floor(MOST_KEYS / KEYS_A_FRAME) - 2} frames are frozen`);
  const start = (first - 1) / rate;
  const perSecond = rate * KEYS_A_FRAME;
  const values: number[] = [];
  for (let k = 0; k < count; k++) values.push(...shakeAt({ ...take, keys: null }, start + k / perSecond));
  const { number, large, small } = take.keys?.of ?? take;
  return { start, perSecond, values, of: { number, large, small } };
}

const weights = new Float64Array(4);

/** A cubic through them; before the first and after the last key it holds. */
function keyedAt({ start, perSecond, values }: ShakeKeys, timeSeconds: number): Float64Array {
  const count = values.length / AXES;
  const at = Math.min(count - 1, Math.max(0, (timeSeconds - start) * perSecond));
  const k = Math.min(Math.max(0, count - 2), Math.floor(at));
  cubicWeights(at - k, weights, 0);
  const out = new Float64Array(AXES);
  weights.forEach((w, i) => {
    const key = Math.min(count - 1, Math.max(0, k + i - 1)) * AXES;
    for (let axis = 0; axis < AXES; axis++) out[axis] += w * values[key + axis];
  });
  return out;
}
