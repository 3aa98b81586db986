/**
 * Environment pictures as Daxel keeps and sends them.
 * Layout: magic 'DXE1', width, height, 0 (uint32 each, little-endian), then rgb as 32-bit floats, rows from the zenith.
 */
import { BadFileError } from '@daxel/core/errors';
import type { EnvironmentPicture } from '@daxel/core/scene/source';

const MAGIC = 0x31455844;
const HEADER = 16;

export function packPicture({ width, height, rgb }: EnvironmentPicture): Uint8Array {
  const bytes = new Uint8Array(HEADER + rgb.byteLength);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, width, true);
  view.setUint32(8, height, true);
  bytes.set(new Uint8Array(rgb.buffer, rgb.byteOffset, rgb.byteLength), HEADER);
  return bytes;
}

/** A view of packed bytes, without copying. @throws BadFileError when they are cut short or something else */
export function unpackPicture(buffer: ArrayBufferLike): EnvironmentPicture {
  const view = new DataView(buffer);
  const ok = buffer.byteLength >= HEADER && view.getUint32(0, true) === MAGIC;
  const width = ok ? view.getUint32(4, true) : 0;
  const height = ok ? view.getUint32(8, true) : 0;
  if (!ok || buffer.byteLength !== HEADER + width * height * 12)
    throw new BadFileError('environment picture', 'the stored data is damaged', 'Drop the picture again.');
  return { width, height, rgb: new Float32Array(buffer as ArrayBuffer, HEADER, width * height * 3) };
}
