/**
 * A compiled scene as one block of bytes, so that it is stored, sent and shared between threads without copying parts.
 *
 * Layout: magic 'DXS5', header length (uint32, little-endian), header JSON {meta, arrays: [name, type, offset, length],
 * sketch}, then the arrays, each at a multiple of 64 bytes from the start; `sketch` says how many of these bytes, from the
 * first array on, a sketch needs: all arrays but for the fine levels of textures, which are most of a scene and stand last.
 */
import { BadFileError } from '../errors';
import { namedParts } from '../namedParts';
import type { CompiledScene } from './compiled';
import { coarseBytes, coarseTextures } from './textureTable';

/** Letters and a digit that is counted up whenever the layout of any array changes. */
const MAGIC = 0x35535844;
const TYPES = { f32: Float32Array, u32: Uint32Array, i32: Int32Array, u16: Uint16Array, u8: Uint8Array } as const;
type TypeName = keyof typeof TYPES;
const ARRAYS: Record<Exclude<keyof CompiledScene, 'meta'>, TypeName> = {
  positions: 'f32',
  normals: 'f32',
  tangents: 'f32',
  uvs: 'f32',
  colors: 'f32',
  triangles: 'u32',
  triangleMaterial: 'u16',
  triangleInstance: 'u32',
  instances: 'u32',
  instanceSpheres: 'f32',
  drawClasses: 'u8',
  levels: 'u32',
  levelTriangles: 'u32',
  materials: 'f32',
  nodeParents: 'i32',
  nodeTransforms: 'f32',
  textures: 'i32',
  keys: 'f32',
  environmentPicture: 'f32',
  texels: 'u8',
};
const NAMES = Object.keys(ARRAYS) as (keyof typeof ARRAYS)[];
const align = (n: number): number => Math.ceil(n / 64) * 64;

export function packScene(scene: CompiledScene): Uint8Array {
  let size = 0;
  const arrays = NAMES.map((name) => {
    const offset = align(size);
    size = offset + scene[name].byteLength;
    return [name, ARRAYS[name], offset, scene[name].length] as const;
  });
  const sketch = arrays.at(-1)![2] + coarseBytes(scene.textures);
  const header = new TextEncoder().encode(JSON.stringify({ meta: scene.meta, arrays, sketch } satisfies Header));
  const base = align(8 + header.length);
  // shared from the start where it can be: large scenes would lie in memory twice
  const bytes = new Uint8Array(
    typeof SharedArrayBuffer === 'undefined' ? new ArrayBuffer(base + size) : new SharedArrayBuffer(base + size),
  );
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, header.length, true);
  bytes.set(header, 8);
  for (const [name, , offset] of arrays) {
    const part = scene[name];
    bytes.set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength), base + offset);
  }
  return bytes;
}

interface Header {
  meta: CompiledScene['meta'];
  arrays: (readonly [name: keyof typeof ARRAYS, type: TypeName, offset: number, length: number])[];
  sketch: number;
}

/** @returns the header and where the arrays start in the buffer; null when this is no packed scene or cut short in it */
function readHeader(buffer: ArrayBufferLike, start: number, arrived: number): { header: Header; base: number } | null {
  if (arrived < 8) return null;
  const view = new DataView(buffer, start);
  const length = view.getUint32(4, true);
  if (view.getUint32(0, true) !== MAGIC || arrived < 8 + length) return null;
  // TextDecoder refuses shared memory, so the header alone is copied
  const text = new TextDecoder().decode(new Uint8Array(buffer, start + 8, length).slice());
  return { header: JSON.parse(text) as Header, base: start + align(8 + length) };
}

/**
 * How many of a packed scene's bytes a sketch of it needs; null while too few arrived to tell.
 * @param bytes room for all of them @param arrived so many from the beginning are there
 */
export function sketchBytes(bytes: Uint8Array, arrived: number): number | null {
  const read = readHeader(bytes.buffer, bytes.byteOffset, arrived);
  return read && read.base - bytes.byteOffset + read.header.sketch;
}

/** The same scene without the fine levels of its textures, packed. @param bytes of which `sketchBytes` are there */
export function packSketch(bytes: Uint8Array): Uint8Array {
  const scene = unpackScene(bytes.buffer, bytes.byteOffset);
  const texels = scene.texels.subarray(0, coarseBytes(scene.textures));
  return packScene({ ...scene, texels, textures: coarseTextures(scene.textures) });
}

/** A copy of packed bytes in memory that threads can share. */
export function toShared(packed: Uint8Array): SharedArrayBuffer {
  const own = packed.buffer;
  if (typeof SharedArrayBuffer !== 'undefined' && own instanceof SharedArrayBuffer && own.byteLength === packed.length)
    return own;
  const buffer = new SharedArrayBuffer(packed.length);
  new Uint8Array(buffer).set(packed);
  return buffer;
}

/** Were these bytes, of which the first four are enough, packed by this version? */
export function isCurrentPack(head: Uint8Array): boolean {
  return head.length >= 4 && new DataView(head.buffer, head.byteOffset, 4).getUint32(0, true) === MAGIC;
}

/**
 * Views of a packed scene; nothing is copied but the header.
 * @param buffer plain or shared
 * @param start where in it the packed bytes start, a multiple of 64
 * @throws BadFileError when it is not a packed scene or is cut short
 */
export function unpackScene(buffer: ArrayBufferLike, start = 0): CompiledScene {
  const fail = (): never => {
    throw new BadFileError('compiled scene', 'the data is damaged or of another version', 'Import the scene again.');
  };
  const { header, base } = readHeader(buffer, start, buffer.byteLength - start) ?? fail();
  const scene = namedParts(['meta', ...NAMES]);
  scene.meta = header.meta;
  for (const [name, type, offset, length] of header.arrays) {
    const Type = TYPES[type];
    if (base + offset + length * Type.BYTES_PER_ELEMENT > buffer.byteLength) fail();
    scene[name] = new Type(buffer as ArrayBuffer, base + offset, length);
  }
  // infinite ranges do not survive JSON
  for (const light of header.meta.lights) light.range ??= Infinity;
  return scene as unknown as CompiledScene;
}
