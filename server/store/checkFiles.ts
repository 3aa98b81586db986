/** Looks in the background whether stored files are still what they were: disks lose bits, and nobody says so. */
import { rename } from 'node:fs/promises';
import { setTimeout as wait } from 'node:timers/promises';
import { hashOfFile, type FileStore } from './fileStore';

/** So much of the disk's time is left to others. */
const PAUSE_MS = 20;

/**
 * Works out the hash of every stored file; one that is another is set aside, so that it counts as missing.
 * @returns hashes of those that are damaged
 */
export async function checkStoredFiles(files: FileStore, signal: AbortSignal): Promise<string[]> {
  const damaged: string[] = [];
  for await (const { path, hash: name } of files.entries()) {
    if (signal.aborted) return damaged;
    if (name === null) continue;
    const hash = await hashOfFile(path).catch(() => null);
    // null: it was let go of meanwhile
    if (hash !== null && hash !== name) {
      await rename(path, `${path}.damaged`);
      damaged.push(name);
    }
    await wait(PAUSE_MS, undefined, { ref: false });
  }
  return damaged;
}
