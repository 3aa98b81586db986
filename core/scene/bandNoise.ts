/** Band-limited noise as a sum of tones (Shinozuka & Deodatis 1991, Simulation of Stochastic Processes by Spectral Representation). */
import { cos, exp2 } from '../math/exact';
import { random01 } from '../math/random';

const TONES = 12;

/** Noise of unit variance in the octave about `hertz`. @param stream tells noises of one take apart */
export function bandNoise(take: number, stream: number, hertz: number, timeSeconds: number): number {
  let sum = 0;
  for (let k = 0; k < TONES; k++) {
    // one frequency in each twelfth of the octave, so that the band is filled evenly and never repeats
    const octave = (k + random01(take, stream, k, 0)) / TONES - 0.5;
    const turns = hertz * exp2(octave) * timeSeconds + random01(take, stream, k, 1);
    sum += cos(2 * Math.PI * (turns - Math.floor(turns)));
  }
  return sum * Math.sqrt(2 / TONES);
}
