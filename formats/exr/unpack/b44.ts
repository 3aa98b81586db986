/**
 * B44 and B44A blocks of OpenEXR: halves in squares of 4×4, each as its first value, a shift and fifteen differences of six
 * bits, or as one value where all are alike; other numbers as they are. (Layout after the format's reference library.)
 */
import { HALF, type ExrFileChannel } from '../exrHeader';
import { fromHalf, toHalf } from '../half';
import type { BlockSize } from './unpackBlock';

/** Which value of the square each difference leads to, and from which. */
const TO = [4, 8, 12, 1, 5, 9, 13, 2, 6, 10, 14, 3, 7, 11, 15];
const FROM = [0, 4, 8, 0, 4, 8, 12, 1, 5, 9, 13, 2, 6, 10, 14];
/** A shift that cannot be says that all values are alike. */
const FLAT = 13 << 2;

/** @throws RangeError when the data is damaged */
export function unpackB44(
  packed: Uint8Array,
  channels: readonly ExrFileChannel[],
  { width, height }: BlockSize,
): Uint8Array {
  const sizes = channels.map((c) => (c.type === HALF ? 2 : 4) * width);
  const lineBytes = sizes.reduce((sum, s) => sum + s, 0);
  const out = new Uint8Array(lineBytes * height);
  const view = new DataView(out.buffer);
  const square = new Uint16Array(16);
  let at = 0;
  const take = (n: number): number => {
    at += n;
    if (at > packed.length) throw new RangeError('too short');
    return at - n;
  };
  let start = 0;
  channels.forEach((channel, c) => {
    if (channel.type !== HALF) {
      for (let y = 0; y < height; y++) {
        const from = take(sizes[c]);
        out.set(packed.subarray(from, from + sizes[c]), start + y * lineBytes);
      }
    } else {
      for (let y0 = 0; y0 < height; y0 += 4) {
        for (let x0 = 0; x0 < width; x0 += 4) {
          const from = take(3);
          if (packed[from + 2] < FLAT) take(11);
          readSquare(packed, from, square);
          for (let y = y0; y < Math.min(height, y0 + 4); y++)
            for (let x = x0; x < Math.min(width, x0 + 4); x++) {
              const half = square[(y - y0) * 4 + x - x0];
              view.setUint16(start + y * lineBytes + x * 2, channel.perceptual ? asLight(half) : half, true);
            }
        }
      }
    }
    start += sizes[c];
  });
  return out;
}

function readSquare(packed: Uint8Array, at: number, square: Uint16Array): void {
  square[0] = (packed[at] << 8) | packed[at + 1];
  const shift = packed[at + 2] >> 2;
  if (packed[at + 2] >= FLAT) square.fill(square[0]);
  else {
    // six bits each, behind those of the shift
    for (let k = 0; k < 15; k++) {
      const bit = 22 + k * 6;
      const pair = (packed[at + (bit >> 3)] << 8) | (packed[at + (bit >> 3) + 1] ?? 0);
      const difference = (pair >> (10 - (bit & 7))) & 63;
      square[TO[k]] = square[FROM[k]] + ((difference - 32) << shift);
    }
  }
  // ordered as numbers: what is negative counts down
  for (let i = 0; i < 16; i++) square[i] = square[i] & 0x8000 ? square[i] & 0x7fff : ~square[i];
}

/** Channels that are stored as the eye sees them are kept as e to an eighth of themselves. */
function asLight(half: number): number {
  const value = fromHalf(half);
  return value >= 0 && value < Infinity ? toHalf(8 * Math.log(value)) : 0;
}
