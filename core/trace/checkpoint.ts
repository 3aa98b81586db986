/** A path-traced picture that was left half way, as one block of bytes: rendering goes on from it to the same bits. */
import { KeyedReader, packKeyed } from '../keyedBytes';

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

/** @param key names what is being rendered: only the same may go on from it; at most 64 ASCII letters */
export function packCheckpoint(c: Checkpoint, key: string): Uint8Array {
  const arrays = [c.paths, c.depth, c.normal, c.objectId, c.settled];
  return packKeyed({ magic: MAGIC, counts: [c.samples, c.depth.length, c.settled.length], arrays }, key);
}

/**
 * @param numbers a pixel in `paths`
 * @throws BadFileError when it is cut short or belongs to another picture
 */
export function unpackCheckpoint(bytes: Uint8Array, key: string, pathSums: number): Checkpoint {
  const size = ([, pixels, blocks]: number[]): number => pixels * (pathSums + 5) * 4 + blocks;
  const reader = KeyedReader.open(bytes, MAGIC, key, size);
  const [samples, pixels, blocks] = reader.counts;
  return {
    samples,
    paths: reader.floats(pixels * pathSums),
    depth: reader.floats(pixels),
    normal: reader.floats(pixels * 3),
    objectId: reader.integers(pixels),
    settled: reader.bytes(blocks),
  };
}
