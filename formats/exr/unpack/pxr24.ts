/**
 * PXR24 blocks of OpenEXR: differences from pixel to pixel, byte by byte in planes, deflated; floats without their last
 * byte. Lossless for halves and whole numbers. (Layout after "OpenEXR File Layout", openexr.com technical documentation.)
 */
import { FLOAT, HALF, type ExrFileChannel } from '../exrHeader';
import type { Inflate } from '../../inflate';
import type { BlockSize } from './unpackBlock';

/** @throws RangeError when the data is damaged */
export function unpackPxr24(
  packed: Uint8Array,
  channels: readonly ExrFileChannel[],
  { width, height }: BlockSize,
  inflate: Inflate,
): Uint8Array {
  const planes = channels.map((c) => (c.type === HALF ? 2 : c.type === FLOAT ? 3 : 4));
  const total = planes.reduce((sum, n) => sum + n, 0) * width * height;
  const raw = inflate(packed, total);
  if (raw.length !== total) throw new RangeError('too short');
  const out = new Uint8Array(channels.reduce((sum, c) => sum + (c.type === HALF ? 2 : 4), 0) * width * height);
  const view = new DataView(out.buffer);
  let [from, to] = [0, 0];
  for (let y = 0; y < height; y++) {
    for (const n of planes) {
      // the highest byte first; what a float lost is zero
      const lowest = n === 3 ? 8 : 0;
      let value = 0;
      for (let x = 0; x < width; x++) {
        let difference = 0;
        for (let k = 0; k < n; k++) difference |= raw[from + k * width + x] << (lowest + 8 * (n - 1 - k));
        value = (value + difference) | 0;
        if (n === 2) view.setUint16(to + x * 2, value & 65535, true);
        else view.setInt32(to + x * 4, value, true);
      }
      from += n * width;
      to += width * (n === 2 ? 2 : 4);
    }
  }
  return out;
}
