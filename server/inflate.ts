/** What unpacks zlib's format on this side: see formats/inflate. */
import { inflateSync } from 'node:zlib';

export function inflate(packed: Uint8Array, limit: number): Uint8Array {
  return inflateSync(packed, { maxOutputLength: limit });
}

/** The same into one piece, where so much comes out: many pieces would have to be joined. */
export function inflateWhole(packed: Uint8Array, size: number): Uint8Array {
  const chunkSize = Math.max(64, size);
  return inflateSync(packed, { chunkSize, maxOutputLength: chunkSize });
}
