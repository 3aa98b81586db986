/** A large body into a temporary file, counted on its way. */
import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request } from 'express';
import { DaxelError } from '@daxel/core/errors';
import { explainWriteError } from '../store/atomicWrite';

/** The last part of a name from outside, without control characters; it is shown, never used as a path. */
export function fileName(text: string, otherwise: string): string {
  const last = text.split(/[\\/]/).pop() ?? '';
  return last.replace(/\p{Cc}/gu, '').slice(0, 120) || otherwise;
}

/** @returns the path of the file; the caller removes it */
export async function receiveFile(request: Request, dir: string, limit: number, name: string): Promise<string> {
  const tooLarge = (): DaxelError =>
    new DaxelError('too-large', `${name}: it is larger than ${Math.round(limit / 2 ** 20)} MB. Reduce it.`);
  if (Number(request.get('Content-Length') ?? 0) > limit) throw tooLarge();
  const path = join(dir, `${randomUUID()}.upload`);
  let bytes = 0;
  const count = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      bytes += chunk.length;
      if (bytes > limit) done(tooLarge());
      else done(null, chunk);
    },
  });
  try {
    await pipeline(request, count, createWriteStream(path));
  } catch (error) {
    await rm(path, { force: true });
    throw error instanceof DaxelError ? error : explainWriteError(error, name);
  }
  return path;
}
