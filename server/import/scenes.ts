/** Compiled scenes in the store: made again from the file they came from when they are lost, damaged or of an older version. */
import { open, stat } from 'node:fs/promises';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { isCurrentPack, unpackScene } from '@daxel/core/scene/packScene';
import type { Database } from '../db/database';
import { loadScene } from '../render/loadScene';
import { sceneFiles, setCompiled, type SceneFiles } from '../sql/projects';
import type { FileStore } from '../store/fileStore';
import { importFile } from './importFile';

/** After an upgrade or a loss: every scene that needs it is compiled again. */
export async function refreshScenes(db: Database, files: FileStore, log: (line: string) => void): Promise<void> {
  for (const scene of await sceneFiles(db)) {
    try {
      await soundScene(db, files, scene);
    } catch (error) {
      log(`scene ${scene.name} could not be compiled again: ${(error as Error).message}`);
    }
  }
}

/**
 * Looks whether a compiled scene is whole, and compiles it again where it is not.
 * @returns the hash of what is whole
 * @throws BadFileError when what it came from is lost or damaged as well
 */
export async function soundScene(db: Database, files: FileStore, scene: SceneFiles): Promise<string> {
  if (await isWhole(files, scene)) return scene.compiledHash;
  const imported = await importFile(files.path(scene.sourceHash), scene.name, files.temporary);
  const { hash, bytes } = await files.adopt(imported.packed, imported.hash);
  await setCompiled(db, scene.id, hash, bytes);
  return hash;
}

/** The same of a scene that is about to be rendered or sent. */
export async function soundCompiled(db: Database, files: FileStore, compiledHash: string): Promise<string> {
  const [scene] = await sceneFiles(db, compiledHash);
  return scene ? soundScene(db, files, scene) : compiledHash;
}

/** The same, opened. */
export async function openCompiled(db: Database, files: FileStore, compiledHash: string): Promise<CompiledScene> {
  return unpackScene(await loadScene(files.path(await soundCompiled(db, files, compiledHash))));
}

async function isWhole(files: FileStore, { compiledHash, compiledBytes }: SceneFiles): Promise<boolean> {
  const path = files.path(compiledHash);
  const found = await stat(path).catch(() => null);
  if (found?.size !== compiledBytes) return false;
  const file = await open(path);
  try {
    const head = new Uint8Array(4);
    await file.read(head, 0, 4, 0);
    return isCurrentPack(head);
  } finally {
    await file.close();
  }
}
