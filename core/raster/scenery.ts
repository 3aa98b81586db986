/** A scene as the compiled loops read it, rays and paths as well. */
import * as S from '@daxel/kernel/generated/layouts/sceneOrder';
import { bindKernel, type KernelUse } from '@daxel/kernel/load';
import { SRGB8_TO_LINEAR, UNIT8 } from '../math/color';
import { environmentReflectance } from './reflectance';
import type { SurfaceInput } from './surface';

/** Parts of a thread's memory, bytes from its start. */
const TABLE = 0;
const SRGB = TABLE + 64;
const LINEAR = SRGB + 1024;
const REFLECTANCE = LINEAR + 1024;
/** Bytes that the tables of a scene take at the start of a thread's memory. */
export const SCENERY_BYTES = REFLECTANCE + 8192;
/** Tells the loops where the parts of a scene lie. @param scratch this thread's, at least `SCENERY_BYTES` long */
export function bindScenery(
  memory: WebAssembly.Memory,
  scratch: Uint8Array,
  surface: SurfaceInput,
  use: KernelUse = 'frame',
): void {
  const { buffer, byteOffset: at } = scratch;
  const { scene, posed } = surface;
  new Float32Array(buffer, at + SRGB, 256).set(SRGB8_TO_LINEAR);
  new Float32Array(buffer, at + LINEAR, 256).set(UNIT8);
  const reflectance = environmentReflectance();
  new Float32Array(buffer, at + REFLECTANCE, reflectance.length).set(reflectance);
  const order = new Uint32Array(buffer, at + TABLE, S.SCENE_ORDER_STRIDE);
  const { triangles, triangleMaterial, triangleInstance, uvs, colors, materials, textures, texels } = scene;
  order[S.TRIANGLES] = triangles.byteOffset;
  order[S.TRIANGLE_MATERIAL] = triangleMaterial.byteOffset;
  order[S.TRIANGLE_INSTANCE] = triangleInstance.byteOffset;
  order[S.UVS] = uvs.byteOffset;
  order[S.COLORS] = colors.byteOffset;
  order[S.MATERIALS] = materials.byteOffset;
  order[S.TEXTURES] = textures.byteOffset;
  order[S.TEXELS] = texels.byteOffset;
  order[S.POSITIONS] = posed.positions.byteOffset;
  order[S.NORMALS] = posed.normals.byteOffset;
  order[S.TANGENTS] = posed.tangents.byteOffset;
  order[S.SRGB] = at + SRGB;
  order[S.LINEAR] = at + LINEAR;
  order[S.REFLECTANCE] = at + REFLECTANCE;
  bindKernel(memory, use).bindScene(at + TABLE, surface.textureBias, surface.steady ? 1 : 0);
}
