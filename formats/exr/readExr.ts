/**
 * OpenEXR files in: flat pictures in scan lines or tiles, with every kind of compression; half, float or whole-number
 * channels. Layout after "OpenEXR File Layout", openexr.com technical documentation. Lines are handed out as they are
 * unpacked, so that a reader who reduces them never holds the whole picture.
 */
import { BadFileError } from '@daxel/core/errors';
import { FLOAT, HALF, UINT, type ExrHeader } from './exrHeader';
import { halfTable } from './half';
import type { Inflate } from '../inflate';
import { linesPerBlock, unpackBlock } from './unpack/unpackBlock';

/**
 * Unpacks line by line.
 * @param inflate zlib-format; must not give more than `limit` bytes
 * @param wanted by channel, in the order of the header: those of which no number is asked for are passed over
 * @param onLine called from the top with one array of numbers a channel, empty for those passed over; they are reused
 * @throws BadFileError naming the line where the data is damaged
 */
export function readExrLines(
  bytes: Uint8Array,
  name: string,
  header: ExrHeader,
  inflate: Inflate,
  wanted: readonly boolean[],
  onLine: (y: number, channels: Float32Array[]) => void,
): void {
  const { width, height, channels, tile } = header;
  const rows = channels.map((_, c) => new Float32Array(wanted[c] ? width : 0));
  const columns = tile ? Math.ceil(width / tile.width) : 1;
  const [blockWidth, blockHeight] = tile ? [tile.width, tile.height] : [width, linesPerBlock(header.compression)];
  // the blocks beside each other, unpacked, until their lines are whole
  const beside: Uint8Array[] = [];
  for (let y0 = 0; y0 < height; y0 += blockHeight) {
    const lines = Math.min(blockHeight, height - y0);
    for (let k = 0; k < columns; k++) {
      const size = { width: Math.min(blockWidth, width - k * blockWidth), height: lines };
      const packed = blockAt(bytes, header, k, y0 / blockHeight, blockHeight);
      const raw = packed && unpackBlock(packed, header, size, inflate);
      if (!raw)
        throw new BadFileError(
          name,
          `its data is cut short or damaged at line ${y0 + 1} of ${height}`,
          'Copy or save it again.',
        );
      // what one block is unpacked into may be used again for the next
      beside[k] = columns > 1 ? raw.slice() : raw;
    }
    for (let line = 0; line < lines; line++) {
      for (let k = 0; k < columns; k++) {
        const x0 = k * blockWidth;
        const n = Math.min(blockWidth, width - x0);
        let p = (line * beside[k].length) / lines;
        for (let c = 0; c < channels.length; c++) {
          const size = bytesOf(channels[c].type) * n;
          if (wanted[c]) readRow(beside[k].subarray(p, p + size), channels[c].type, rows[c].subarray(x0, x0 + n));
          p += size;
        }
      }
      onLine(y0 + line, rows);
    }
  }
}

/** Of one number of a channel. */
function bytesOf(type: number): number {
  return type === HALF ? 2 : 4;
}

/**
 * What is packed in a block. Those of the full size stand first in the table, whatever smaller ones there are.
 * @returns null when it is not where the table says
 */
function blockAt(bytes: Uint8Array, header: ExrHeader, column: number, row: number, lines: number): Uint8Array | null {
  const { tile, part, firstLine } = header;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const columns = tile ? Math.ceil(header.width / tile.width) : 1;
  const entry = header.table + (row * columns + column) * 8;
  if (entry + 8 > bytes.length) return null;
  let at = Number(view.getBigUint64(entry, true));
  const words = (part < 0 ? 0 : 1) + (tile ? 5 : 2);
  if (at + words * 4 > bytes.length) return null;
  const word = (): number => {
    at += 4;
    return view.getInt32(at - 4, true);
  };
  if (part >= 0 && word() !== part) return null;
  if (tile) {
    if (word() !== column || word() !== row || word() !== 0 || word() !== 0) return null;
  } else if (word() !== firstLine + row * lines) return null;
  const size = word();
  return size >= 0 && at + size <= bytes.length ? bytes.subarray(at, at + size) : null;
}

/** Numbers of a channel in one line; typed arrays have the file's order of bytes wherever this runs. */
function readRow(bytes: Uint8Array, type: number, out: Float32Array): void {
  // only what lies at a multiple of its size can be looked at as numbers
  // (a Buffer's own slice would look at the same memory)
  const { buffer, byteOffset } = bytes.byteOffset % 4 === 0 ? bytes : new Uint8Array(bytes);
  if (type === FLOAT) out.set(new Float32Array(buffer, byteOffset, out.length));
  else if (type === UINT) out.set(new Uint32Array(buffer, byteOffset, out.length));
  else {
    const halves = new Uint16Array(buffer, byteOffset, out.length);
    const table = halfTable();
    for (let x = 0; x < out.length; x++) out[x] = table[halves[x]];
  }
}
