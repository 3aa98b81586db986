/** A packed scene file in memory that threads can share. */
import { readFile } from 'node:fs/promises';

export async function loadScene(path: string): Promise<SharedArrayBuffer> {
  const bytes = await readFile(path);
  const buffer = new SharedArrayBuffer(bytes.length);
  new Uint8Array(buffer).set(bytes);
  return buffer;
}
