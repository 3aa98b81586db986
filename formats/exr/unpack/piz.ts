/**
 * PIZ blocks of OpenEXR: 16-bit words, renumbered so that those that occur are dense, as a Haar wavelet in two dimensions,
 * Huffman coded. Lossless. (Layout after "OpenEXR File Layout"; the wavelet after Kolb, Wavelet coding of 16-bit data, in
 * the format's reference library.)
 */
import { HALF, type ExrFileChannel } from '../exrHeader';
import { unpackHuffman } from './huffman';
import type { BlockSize } from './unpackBlock';

const BITMAP_BYTES = 8192;

/** @throws RangeError when the data is damaged */
export function unpackPiz(packed: Uint8Array, channels: readonly ExrFileChannel[], size: BlockSize): Uint8Array {
  const { width, height } = size;
  const words = channels.map((c) => (c.type === HALF ? 1 : 2));
  const all = new Uint16Array(words.reduce((sum, w) => sum + w, 0) * width * height);
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  const [low, high] = [view.getUint16(0, true), view.getUint16(2, true)];
  const bitmap = new Uint8Array(BITMAP_BYTES);
  let at = 4;
  if (high >= BITMAP_BYTES) throw new RangeError('values out of range');
  if (low <= high) {
    bitmap.set(packed.subarray(at, at + high - low + 1), low);
    at += high - low + 1;
  }
  const length = view.getUint32(at, true);
  if (at + 4 + length > packed.length) throw new RangeError('too short');
  unpackHuffman(packed.subarray(at + 4, at + 4 + length), all);
  const { values, last } = occurring(bitmap);
  let start = 0;
  for (const w of words) {
    for (let j = 0; j < w; j++) unwave(all, start + j, width, w, height, width * w, last);
    start += width * height * w;
  }
  for (let i = 0; i < all.length; i++) all[i] = values[all[i]];
  return inLines(all, words, size);
}

/** The values that occur, in order; zero always does. */
function occurring(bitmap: Uint8Array): { values: Uint16Array; last: number } {
  const values = new Uint16Array(65536);
  let n = 0;
  for (let v = 0; v < 65536; v++) if (v === 0 || bitmap[v >> 3] & (1 << (v & 7))) values[n++] = v;
  return { values, last: n - 1 };
}

/** From planes, one a channel, to lines. */
function inLines(all: Uint16Array, words: readonly number[], { width, height }: BlockSize): Uint8Array {
  const out = new Uint16Array(all.length);
  let to = 0;
  for (let y = 0; y < height; y++) {
    let start = 0;
    for (const w of words) {
      const from = start + y * width * w;
      out.set(all.subarray(from, from + width * w), to);
      to += width * w;
      start += width * height * w;
    }
  }
  return new Uint8Array(out.buffer);
}

/**
 * Undoes the wavelet of one plane, in place.
 * @param nx, ny size of the plane; `ox`, `oy` words from one place to the next, across and down
 * @param largest value that occurs: below 2^14 sums and differences cannot overflow, and another base is used
 */
function unwave(
  data: Uint16Array,
  start: number,
  nx: number,
  ox: number,
  ny: number,
  oy: number,
  largest: number,
): void {
  const undo = largest < 1 << 14 ? undoNarrow : undoWide;
  const n = Math.min(nx, ny);
  let p2 = 1;
  while (p2 * 2 <= n) p2 *= 2;
  for (let p = p2 >> 1; p >= 1; p2 = p, p >>= 1) {
    const [ox1, oy1] = [ox * p, oy * p];
    for (let y = 0; y + p2 <= ny; y += p2) {
      const row = start + y * oy;
      let x = 0;
      for (; x + p2 <= nx; x += p2) {
        const at = row + x * ox;
        undo(data, at, at + oy1);
        undo(data, at + ox1, at + oy1 + ox1);
        undo(data, at, at + ox1);
        undo(data, at + oy1, at + oy1 + ox1);
      }
      // an odd column has no neighbour across
      if (nx & p) undo(data, row + x * ox, row + x * ox + oy1);
    }
    if (ny & p) {
      const row = start + (ny - (ny % p2)) * oy;
      for (let x = 0; x + p2 <= nx; x += p2) undo(data, row + x * ox, row + x * ox + ox1);
    }
  }
}

/** Mean and difference of two numbers back to the two; as 16-bit numbers with a sign. */
function undoNarrow(data: Uint16Array, low: number, high: number): void {
  const difference = (data[high] << 16) >> 16;
  const a = ((data[low] << 16) >> 16) + (difference & 1) + (difference >> 1);
  data[low] = a;
  data[high] = a - difference;
}

/** The same modulo 2^16. */
function undoWide(data: Uint16Array, low: number, high: number): void {
  const [m, d] = [data[low], data[high]];
  const b = (m - (d >> 1)) & 65535;
  data[high] = b;
  data[low] = d + b - 32768;
}
