/** A packed scene file in memory that threads can share. */
import { readFile } from 'node:fs/promises';
import { toShared } from '@daxel/core/scene/packScene';

export async function loadScene(path: string): Promise<SharedArrayBuffer> {
  return toShared(await readFile(path));
}
