/** After an upgrade: scenes that an older version compiled are compiled again from the files they came from. */
import { open } from 'node:fs/promises';
import { isCurrentPack } from '@daxel/core/scene/packScene';
import type { Database } from '../db/database';
import { sceneFiles, setCompiled } from '../sql/projects';
import type { FileStore } from '../store/fileStore';
import { importFile } from './importFile';

export async function refreshScenes(db: Database, files: FileStore, log: (line: string) => void): Promise<void> {
  for (const scene of await sceneFiles(db)) {
    if (await isCurrent(files, scene.compiled_hash)) continue;
    try {
      const imported = await importFile(files.path(scene.source_hash), scene.name, files.temporary);
      const { hash, bytes } = await files.adopt(imported.packed, imported.hash);
      await setCompiled(db, scene.id, hash, bytes);
    } catch (error) {
      log(`scene ${scene.name} could not be compiled again: ${(error as Error).message}`);
    }
  }
}

async function isCurrent(files: FileStore, hash: string): Promise<boolean> {
  if (!files.has(hash)) return false;
  const file = await open(files.path(hash));
  try {
    const head = new Uint8Array(4);
    await file.read(head, 0, 4, 0);
    return isCurrentPack(head);
  } finally {
    await file.close();
  }
}
