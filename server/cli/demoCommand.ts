/** `daxel demo`: serves the application with the demo project. */
import { parseArgs } from 'node:util';
import { join } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { ROOT } from '../entries';
import { serve } from '../serve';

export const DEMO_USAGE = `daxel demo [--port N] [--data DIR] [--host ADDRESS] [--allow NAME] [--restore]
  --port N        where to listen (4780); 0 takes any free port
  --data DIR      where projects and stills are kept (data)
  --host ADDRESS  127.0.0.1 unless told otherwise; others then need the link that is printed, or DAXEL_TOKEN
  --allow NAME    a further name that the server answers to; may be repeated
  --restore       goes back to the newest of the database's daily dumps; what is there is set aside`;

const DEFAULT_PORT = 4780;
const UPLOAD_LIMIT_MB = 1024;

export async function demoCommand(argv: string[]): Promise<void> {
  const values = readOptions(argv);
  const port = Number(values.port ?? DEFAULT_PORT);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new BadInputError(`--port ${values.port}: give a number from 0 to 65535.`);
  const started = performance.now();
  const server = await serve({
    port,
    host: values.host ?? '127.0.0.1',
    dataDir: values.data ?? join(ROOT, 'data'),
    demo: true,
    restore: values.restore,
    allow: values.allow,
    token: process.env.DAXEL_TOKEN || undefined,
    uploadLimit: UPLOAD_LIMIT_MB * 2 ** 20,
  });
  process.stdout.write(
    `Daxel is ready at ${server.url}${server.link} (started in ${((performance.now() - started) / 1000).toFixed(1)} s). Ctrl-C stops it.\n`,
  );
  let stopping = false;
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.on(signal, () => {
      if (stopping) process.exit(1);
      stopping = true;
      void server.close().finally(() => process.exit(0));
    });
  }
}

function readOptions(argv: string[]) {
  try {
    return parseArgs({
      args: argv,
      options: {
        port: { type: 'string' },
        data: { type: 'string' },
        host: { type: 'string' },
        allow: { type: 'string', multiple: true },
        restore: { type: 'boolean' },
      },
    }).values;
  } catch (error) {
    throw new BadInputError(`${(error as Error).message.split('\n')[0]} See: daxel demo --help`);
  }
}
