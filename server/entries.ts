/** Where the other entries of the built server lie. */
import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

/** The repository, found from any built or source file. */
export const ROOT = findRoot(dirname(fileURLToPath(import.meta.url)));
export const BUILD = join(ROOT, 'build');

export function entryUrl(name: string): URL {
  return pathToFileURL(join(BUILD, 'server', `${name}.js`));
}

function findRoot(from: string): string {
  for (let dir = from; dir !== dirname(dir); dir = dirname(dir)) {
    if (existsSync(join(dir, 'package-lock.json'))) return dir;
  }
  return process.cwd();
}
