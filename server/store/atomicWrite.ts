/** Files that are there whole or not at all. */
import { randomUUID } from 'node:crypto';
import { constants } from 'node:fs';
import { access, mkdir, open, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { BadInputError } from '@daxel/core/errors';

/**
 * Writes under a temporary name beside the target, flushes it to disk, then renames.
 * @param shown what an error calls the place
 */
export async function atomicWrite(path: string, bytes: Uint8Array | string, shown = path): Promise<void> {
  const temporary = join(dirname(path), `.${basename(path)}.${randomUUID().slice(0, 8)}.part`);
  try {
    await makeFolder(dirname(path));
    const file = await open(temporary, 'w');
    try {
      await file.writeFile(bytes);
      await file.datasync();
    } finally {
      await file.close();
    }
    await rename(temporary, path);
    await flushFolder(dirname(path));
  } catch (error) {
    await rm(temporary, { force: true }).catch(() => undefined);
    throw explainWriteError(error, shown);
  }
}

/** Makes a folder with those above it, and keeps their names. */
export async function makeFolder(dir: string): Promise<void> {
  const first = await mkdir(dir, { recursive: true });
  if (first !== undefined) await flushFolder(dirname(first));
}

/** The name of a file is kept by its folder: without this it may be gone after a power cut, whole as it is. */
export async function flushFolder(dir: string): Promise<void> {
  const folder = await open(dir, 'r');
  try {
    await folder.sync();
  } catch (error) {
    // some file systems know no such thing
    if (!['EINVAL', 'EISDIR', 'EPERM', 'ENOTSUP'].includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
  } finally {
    await folder.close();
  }
}

/**
 * Looks, before anything is rendered for it, whether a file can be written; makes the folders on the way.
 * @throws BadInputError with the path and what to do
 */
export async function checkWritable(path: string): Promise<void> {
  const there = await stat(path).catch(() => null);
  if (there && !there.isFile())
    throw new BadInputError(
      `${path}: that is ${there.isDirectory() ? 'a folder' : 'no plain file'}. Give another file name.`,
    );
  try {
    await makeFolder(dirname(path));
    await access(dirname(path), constants.W_OK);
  } catch (error) {
    throw explainWriteError(error, path);
  }
}

/** Turns what the system says into a line for the artist. */
export function explainWriteError(error: unknown, path: string): Error {
  const code = (error as NodeJS.ErrnoException).code;
  const reasons: Record<string, string> = {
    ENOSPC: 'the disk is full. Free some space and try again',
    EDQUOT: 'the disk quota is used up. Free some space and try again',
    EACCES: 'writing there is not allowed. Choose another place',
    EPERM: 'writing there is not allowed. Choose another place',
    EROFS: 'that disk is read-only. Choose another place',
    EISDIR: 'that is a folder. Give a file name',
    EEXIST: 'that, or a part of it, is a file. Choose another place',
    ENAMETOOLONG: 'the name is too long. Choose a shorter one',
    ELOOP: 'a link on that path leads to itself. Choose another place',
    ENOTDIR: 'a part of that path is a file. Choose another place',
  };
  return code && reasons[code] ? new BadInputError(`${path}: ${reasons[code]}.`, error) : (error as Error);
}
