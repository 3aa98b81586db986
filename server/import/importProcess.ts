/** Entry of the process that reads one file. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import { MOST_LIGHTS, sceneRig } from '@daxel/core/light/rig';
import type { ImportProgress } from '@daxel/api/schemas';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, packSketch, toShared } from '@daxel/core/scene/packScene';
import { INSTANCE_STRIDE } from '@daxel/core/scene/compiled';
import type { SceneSource } from '@daxel/core/scene/source';
import { readGlb } from '@daxel/formats/gltf/readGlb';
import { meshSimplifier } from '@daxel/formats/simplify';
import { answerOnce } from './answerOnce';
import { loadUnpackers } from './unpackers';
import { previewShots } from './previewShots';
import type { ImportedScene, ImportOrder, ImportReply, SceneCounts } from './importFile';

type Tell = (progress: ImportProgress) => void;
/** No more often than this: a scene of a thousand meshes has them done in no time. */
const TELL_MS = 100;

/** Bytes of a scene. */
const LARGE = 2 ** 29;

async function read({ path, name, preview, packed: to }: ImportOrder, tell: Tell): Promise<ImportedScene> {
  tell({ step: 'reading', done: 0, of: 1 });
  const { bytes, ...scene } = await compile(path, name, tell);
  tell({ step: 'keeping', done: 0, of: 1 });
  const written = writeFile(to, bytes);
  const hash = createHash('sha256').update(bytes).digest('hex');
  tell({ step: 'drawing', done: 0, of: scene.meta.shots.length });
  // small pictures do without the fine levels of textures, which would be copied
  const drawn = bytes.length > LARGE ? packSketch(bytes) : bytes;
  const pictures = preview ? previewShots(toShared(drawn), scene.meta, preview) : [];
  const [shots] = await Promise.all([pictures, written]);
  return { packed: to, hash, shots, ...scene };
}

/** All that is left of a file in memory is what this returns: file and scene would take as much again. */
async function compile(path: string, name: string, tell: Tell) {
  const scene = compileScene(await source(path, name), await meshSimplifier(), tell);
  if (scene.triangleMaterial.length === 0)
    throw new BadFileError(name, 'it contains no triangle to draw', 'Export meshes with the scene.');
  const rig = sceneRig(scene);
  const left = scene.meta.lights.slice(rig.lights.length).map((l) => l.name);
  if (left.length > 0)
    scene.meta.warnings.push(
      `A rig holds at most ${MOST_LIGHTS} lights: ${left.length} give no light in it, from "${left[0]}" to "${left[left.length - 1]}".`,
    );
  const counts: SceneCounts = {
    triangles: scene.triangleMaterial.length,
    vertices: scene.positions.length / 3,
    objects: scene.instances.length / INSTANCE_STRIDE,
    materials: scene.meta.materials.length - 1,
    textures: scene.meta.images.length,
    textureBytes: scene.texels.length,
    lights: scene.meta.lights.length,
  };
  // file and pictures lie outside of the engine's own memory, which alone it looks at when it is about to clean up
  globalThis.gc?.();
  return { bytes: packScene(scene), meta: scene.meta, rig, counts };
}

async function source(path: string, name: string): Promise<SceneSource> {
  const bytes = readFileSync(path);
  return readGlb(bytes, name, await loadUnpackers(bytes));
}

answerOnce((order: ImportOrder, tell: Tell) =>
  read(order, sparingly(tell))
    .then((scene): ImportReply => ({ ok: true, scene }))
    .catch((error: unknown): ImportReply => {
      const known = error instanceof DaxelError;
      const message = known ? error.message : `${order.name}: it cannot be read (${(error as Error).message}).`;
      return { ok: false, message };
    }),
);

/** Leaves out what follows too soon, but for the beginning of another step. */
function sparingly(tell: Tell): Tell {
  let [step, at] = ['', -Infinity];
  return (progress) => {
    const now = performance.now();
    if (progress.step === step && now - at < TELL_MS) return;
    [step, at] = [progress.step, now];
    tell(progress);
  };
}
