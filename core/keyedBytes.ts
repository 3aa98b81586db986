/** Arrays of one thing that was left half way, as one block of bytes that says what it belongs to. */
import { BadFileError } from './errors';

const KEY_BYTES = 64;
/** Numbers that stand before the key, the first of which tells the kind of block. */
const NUMBERS = 4;
const HEADER = NUMBERS * 4 + KEY_BYTES;

export interface KeyedBytes {
  /** Tells the kind and version of the block. */
  magic: number;
  /** Three counts, each from 0 to 2³² − 1. */
  counts: readonly [number, number, number];
  arrays: readonly (Float32Array | Uint32Array | Uint8Array)[];
}

/**
 * Layout: magic and counts (uint32, little-endian), 64 bytes of key, then the arrays one after the other.
 * @param key at most 64 ASCII letters: only who names the same may read the block
 */
export function packKeyed({ magic, counts, arrays }: KeyedBytes, key: string): Uint8Array {
  const bytes = new Uint8Array(arrays.reduce((sum, a) => sum + a.byteLength, HEADER));
  const view = new DataView(bytes.buffer);
  [magic, ...counts].forEach((n, i) => view.setUint32(i * 4, n, true));
  bytes.set(new TextEncoder().encode(key).subarray(0, KEY_BYTES), NUMBERS * 4);
  let at = HEADER;
  for (const a of arrays) {
    bytes.set(new Uint8Array(a.buffer, a.byteOffset, a.byteLength), at);
    at += a.byteLength;
  }
  return bytes;
}

/** Reads the arrays of a block in the order they were written. */
export class KeyedReader {
  private at = 0;
  private constructor(
    readonly counts: [number, number, number],
    private readonly data: ArrayBuffer,
  ) {}

  /**
   * @param size bytes of the arrays, by the counts
   * @throws BadFileError when it is cut short, of another kind, or belongs to something else
   */
  static open(bytes: Uint8Array, magic: number, key: string, size: (counts: number[]) => number): KeyedReader {
    const wrong = (why: string): BadFileError =>
      new BadFileError('unfinished render', why, 'Delete it and render from the start.');
    if (bytes.length < HEADER) throw wrong('it is cut short');
    const view = new DataView(bytes.buffer, bytes.byteOffset);
    if (view.getUint32(0, true) !== magic) throw wrong('it is none, or of another version');
    const counts = [1, 2, 3].map((i) => view.getUint32(i * 4, true)) as [number, number, number];
    if (bytes.length !== HEADER + size(counts)) throw wrong('it is cut short');
    const own = new TextDecoder().decode(bytes.subarray(NUMBERS * 4, HEADER)).replace(/\0+$/, '');
    if (own !== key.slice(0, KEY_BYTES)) throw wrong('it belongs to another picture');
    // a copy, so that the numbers lie at a multiple of four bytes
    return new KeyedReader(counts, Uint8Array.from(bytes.subarray(HEADER)).buffer);
  }

  floats(length: number): Float32Array {
    return new Float32Array(this.data, this.take(length * 4), length);
  }
  integers(length: number): Uint32Array {
    return new Uint32Array(this.data, this.take(length * 4), length);
  }
  bytes(length: number): Uint8Array {
    return new Uint8Array(this.data, this.take(length), length);
  }
  private take(bytes: number): number {
    const at = this.at;
    this.at += bytes;
    return at;
  }
}
