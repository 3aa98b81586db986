/** Baked probes as a file of their own, named by what they depend on: how pages, stills and sequences share them. */
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { BAKE_VERSION } from '../around/probes/bake';
import { hashText } from '../math/hash';
import { PROBE_KEY_PARTS } from './probeStore';

/** Begins the file: "DXPB". */
const MAGIC = 0x42505844;
/** Bytes before the key: the magic, the version, the length of the key. */
const HEAD = 12;
const FLOAT = 4;

/** Sixteen digits. @param key of all that they depend on */
export function probeFileName(key: string): string {
  return hashText(`${BAKE_VERSION} ${key}`);
}

/** Fewer rays than these are baked anew sooner than they are fetched: those of a coarse picture. */
const FEW_RAYS = 64;

export function isWorthKeeping(key: string): boolean {
  const rays = (JSON.parse(key) as unknown[])[PROBE_KEY_PARTS.indexOf('rays')];
  return typeof rays === 'number' && rays >= FEW_RAYS;
}

export function packProbes(key: string, probes: Float32Array): Uint8Array {
  const text = new TextEncoder().encode(key);
  const at = Math.ceil((HEAD + text.length) / FLOAT) * FLOAT;
  const file = new Uint8Array(at + probes.byteLength);
  new Uint32Array(file.buffer, 0, 3).set([MAGIC, BAKE_VERSION, text.length]);
  file.set(text, HEAD);
  file.set(new Uint8Array(probes.buffer, probes.byteOffset, probes.byteLength), at);
  return file;
}

/** @returns null where it is no such file, is not whole, or of another version */
export function unpackProbes(file: Uint8Array): { key: string; probes: Float32Array } | null {
  if (file.length < HEAD) return null;
  const bytes = file.slice();
  const [magic, version, length] = new Uint32Array(bytes.buffer, 0, 3);
  const at = Math.ceil((HEAD + length) / FLOAT) * FLOAT;
  if (magic !== MAGIC || version !== BAKE_VERSION || at > bytes.length) return null;
  const floats = (bytes.length - at) / FLOAT;
  if (floats === 0 || floats % PROBE_STRIDE !== 0) return null;
  const probes = new Float32Array(bytes.buffer, at, floats);
  if (!probes.every(Number.isFinite)) return null;
  return { key: new TextDecoder().decode(bytes.subarray(HEAD, HEAD + length)), probes };
}
