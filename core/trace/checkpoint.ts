/** A path-traced picture that was left half way, as one block of bytes: rendering goes on from it to the same bits. */
import { BadFileError } from '../errors';

export interface Checkpoint {
  /** Samples that every pixel not yet settled has. */
  samples: number;
  paths: Float32Array;
  settled: Uint8Array;
  depth: Float32Array;
  normal: Float32Array;
  objectId: Uint32Array;
}

/** 'DXC1' */
const MAGIC = 0x31435844;
const HEADER = 16;
const KEY_BYTES = 64;

/**
 * Layout: magic, samples, pixels, blocks (uint32, little-endian), 64 bytes of key, then the arrays one after the other.
 * @param key names what is being rendered: only the same may go on from it; at most 64 ASCII letters
 */
export function packCheckpoint(c: Checkpoint, key: string): Uint8Array {
  const arrays = [c.paths, c.depth, c.normal, c.objectId, c.settled];
  const size = arrays.reduce((sum, a) => sum + a.byteLength, HEADER + KEY_BYTES);
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  [MAGIC, c.samples, c.depth.length, c.settled.length].forEach((n, i) => view.setUint32(i * 4, n, true));
  bytes.set(new TextEncoder().encode(key).subarray(0, KEY_BYTES), HEADER);
  let at = HEADER + KEY_BYTES;
  for (const a of arrays) {
    bytes.set(new Uint8Array(a.buffer, a.byteOffset, a.byteLength), at);
    at += a.byteLength;
  }
  return bytes;
}

/**
 * @param numbers a pixel in `paths`
 * @throws BadFileError when it is cut short or belongs to another picture
 */
export function unpackCheckpoint(bytes: Uint8Array, key: string, pathSums: number): Checkpoint {
  const wrong = (why: string): BadFileError =>
    new BadFileError('checkpoint', why, 'Delete it and render from the start.');
  if (bytes.length < HEADER + KEY_BYTES) throw wrong('it is cut short');
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  if (view.getUint32(0, true) !== MAGIC) throw wrong('it is none, or of another version');
  const [samples, pixels, blocks] = [4, 8, 12].map((o) => view.getUint32(o, true));
  if (bytes.length !== HEADER + KEY_BYTES + pixels * (pathSums + 5) * 4 + blocks) throw wrong('it is cut short');
  const own = new TextDecoder().decode(bytes.subarray(HEADER, HEADER + KEY_BYTES)).replace(/\0+$/, '');
  if (own !== key.slice(0, KEY_BYTES)) throw wrong('it belongs to another picture');
  // a copy, so that the numbers lie at a multiple of four bytes
  const data = Uint8Array.from(bytes.subarray(HEADER + KEY_BYTES)).buffer;
  let at = 0;
  const floats = (n: number): Float32Array => {
    const a = new Float32Array(data, at, n);
    at += n * 4;
    return a;
  };
  const paths = floats(pixels * pathSums);
  const depth = floats(pixels);
  const normal = floats(pixels * 3);
  const objectId = new Uint32Array(data, at, pixels);
  at += pixels * 4;
  return { samples, paths, depth, normal, objectId, settled: new Uint8Array(data, at, blocks) };
}
