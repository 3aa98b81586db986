/** What unpacks parts of a file on this side; decoders of geometry are loaded when a file may need them. */
import type { Unpackers } from '@daxel/formats/gltf/readGlb';
import { inflateWhole } from '../inflate';

export async function loadUnpackers(bytes: Uint8Array): Promise<Unpackers> {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, Math.min(bytes.length, 4_000_000)));
  const decoders: Unpackers['decoders'] = {};
  if (head.includes('KHR_draco_mesh_compression')) {
    const { default: draco3d } = await import('draco3dgltf');
    decoders['draco3d.decoder'] = await draco3d.createDecoderModule();
  }
  if (head.includes('EXT_meshopt_compression')) {
    const { MeshoptDecoder } = await import('meshoptimizer');
    await MeshoptDecoder.ready;
    decoders['meshopt.decoder'] = MeshoptDecoder;
  }
  return { decoders, inflate: inflateWhole };
}
