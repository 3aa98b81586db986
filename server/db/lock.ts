/** One process a data folder: two that opened the same database would lose rows without a word. */
import { createHash } from 'node:crypto';
import { realpath } from 'node:fs/promises';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { BadInputError } from '@daxel/core/errors';

/**
 * Takes the lock of a folder. On Linux it is an abstract socket, which the kernel frees when the process dies.
 * @returns a function that gives it back
 * @throws BadInputError when another process holds it
 */
export async function takeLock(dir: string): Promise<() => Promise<void>> {
  const name = createHash('sha256')
    .update(await realpath(dir))
    .digest('hex')
    .slice(0, 40);
  const path = process.platform === 'linux' ? `\0daxel-${name}` : join(tmpdir(), `daxel-${name}.sock`);
  const server = createServer();
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new BadInputError(
              `${dir}: another Daxel is running with this data folder. Stop it, or choose another with --data.`,
            )
          : error,
      ),
    );
    server.listen(path, resolve);
  });
  server.unref();
  return () => new Promise((resolve) => server.close(() => resolve()));
}
