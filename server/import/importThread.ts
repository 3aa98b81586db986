/** Entry of the thread that reads one file. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { parentPort, workerData } from 'node:worker_threads';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import { sceneRig } from '@daxel/core/light/rig';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, toShared } from '@daxel/core/scene/packScene';
import { INSTANCE_STRIDE } from '@daxel/core/scene/compiled';
import { readGlb } from '@daxel/formats/gltf/readGlb';
import { meshSimplifier } from '@daxel/formats/simplify';
import { loadDecoders } from './decoders';
import { previewShots } from './previewShots';
import type { ImportedScene, ImportReply, PreviewOptions } from './importFile';

const { path, name, preview } = workerData as { path: string; name: string; preview: PreviewOptions | null };

async function read(): Promise<ImportedScene> {
  const bytes = readFileSync(path);
  const source = await readGlb(bytes, name, await loadDecoders(bytes));
  const scene = compileScene(source, await meshSimplifier());
  if (scene.triangleMaterial.length === 0)
    throw new BadFileError(name, 'it contains no triangle to draw', 'Export meshes with the scene.');
  const packed = packScene(scene);
  const buffer = toShared(packed);
  return {
    buffer,
    hash: createHash('sha256').update(packed).digest('hex'),
    meta: scene.meta,
    rig: sceneRig(scene),
    shots: preview ? await previewShots(buffer, scene.meta, preview) : [],
    counts: {
      triangles: scene.triangleMaterial.length,
      vertices: scene.positions.length / 3,
      objects: scene.instances.length / INSTANCE_STRIDE,
      materials: scene.meta.materials.length - 1,
      textures: scene.meta.images.length,
      textureBytes: scene.texels.length,
      lights: scene.meta.lights.length,
    },
  };
}

read()
  .then((scene): ImportReply => ({ ok: true, scene }))
  .catch((error: unknown): ImportReply => {
    const known = error instanceof DaxelError;
    const message = known ? error.message : `${name}: it cannot be read (${(error as Error).message}).`;
    return { ok: false, message };
  })
  .then((reply) => parentPort?.postMessage(reply));
