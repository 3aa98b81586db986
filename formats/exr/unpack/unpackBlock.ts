/** One block of an OpenEXR file, by whatever it was compressed with. */
import type { Inflate } from '../../inflate';
import { HALF, type ExrFileChannel, type ExrHeader } from '../exrHeader';
import { restoreBytes } from '../restoreBytes';
import { unpackB44 } from './b44';
import { unpackDwa } from './dwa';
import { unpackPiz } from './piz';
import { unpackPxr24 } from './pxr24';
import { unrun } from './unrun';

export interface BlockSize {
  width: number;
  height: number;
}

const [NONE, RLE, ZIPS, ZIP, PIZ, PXR24, B44, B44A] = [0, 1, 2, 3, 4, 5, 6, 7];
const LINES = [1, 1, 1, 16, 32, 16, 32, 32, 32, 256];

/** In a file without tiles. */
export function linesPerBlock(compression: number): number {
  return LINES[compression];
}

/**
 * @returns the lines one after another, in each the channels one after another, little-endian; valid until the next
 * call; null when the block does not give the bytes it must
 */
export function unpackBlock(
  packed: Uint8Array,
  { channels, compression }: Pick<ExrHeader, 'channels' | 'compression'>,
  size: BlockSize,
  inflate: Inflate,
): Uint8Array | null {
  const expected = channels.reduce((sum, c) => sum + (c.type === HALF ? 2 : 4), 0) * size.width * size.height;
  // a block that compression would have made larger is stored as it is
  if (packed.length === expected) return packed;
  try {
    const raw = unpack(packed, compression, channels, size, expected, inflate);
    return raw?.length === expected ? raw : null;
  } catch {
    return null;
  }
}

function unpack(
  packed: Uint8Array,
  compression: number,
  channels: readonly ExrFileChannel[],
  size: BlockSize,
  expected: number,
  inflate: Inflate,
): Uint8Array | null {
  switch (compression) {
    case NONE:
      return null;
    case RLE:
      return restored(unrun(packed, expected), expected);
    case ZIPS:
    case ZIP:
      return restored(inflate(packed, expected), expected);
    case PIZ:
      return unpackPiz(packed, channels, size);
    case PXR24:
      return unpackPxr24(packed, channels, size, inflate);
    case B44:
    case B44A:
      return unpackB44(packed, channels, size);
    default:
      return unpackDwa(packed, channels, size, inflate);
  }
}

function restored(packed: Uint8Array, expected: number): Uint8Array | null {
  return packed.length === expected ? restoreBytes(packed) : null;
}
