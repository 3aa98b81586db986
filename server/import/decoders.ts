/** Decoders of compressed geometry, loaded when a file may need them. */
import draco3d from 'draco3dgltf';
import { MeshoptDecoder } from 'meshoptimizer';
import type { Decoders } from '@daxel/formats/gltf/readGlb';

export async function loadDecoders(bytes: Uint8Array): Promise<Decoders> {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, Math.min(bytes.length, 4_000_000)));
  const decoders: Decoders = {};
  if (head.includes('KHR_draco_mesh_compression')) decoders['draco3d.decoder'] = await draco3d.createDecoderModule();
  if (head.includes('EXT_meshopt_compression')) {
    await MeshoptDecoder.ready;
    decoders['meshopt.decoder'] = MeshoptDecoder;
  }
  return decoders;
}
