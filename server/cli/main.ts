/** Entry of the command line. */
import { DaxelError } from '@daxel/core/errors';
import { DEMO_USAGE, demoCommand } from './demoCommand';
import { MEASURE_USAGE, measureCommand } from './measureCommand';
import { RENDER_USAGE, renderCommand } from './renderCommand';

async function main(argv: string[]): Promise<number> {
  const [command, ...rest] = argv;
  if (command === 'render') {
    if (rest.includes('--help')) process.stdout.write(`${RENDER_USAGE}\n`);
    else await renderCommand(rest);
    return 0;
  }
  if (command === 'measure') {
    if (rest.includes('--help')) process.stdout.write(`${MEASURE_USAGE}\n`);
    else await measureCommand(rest);
    return 0;
  }
  if (command === 'demo') {
    if (rest.includes('--help')) process.stdout.write(`${DEMO_USAGE}\n`);
    else await demoCommand(rest);
    return 0;
  }
  process.stderr.write(
    `daxel: there is no command "${command ?? ''}". Commands: demo, test, bench, render, measure.\n`,
  );
  return 2;
}

main(process.argv.slice(2))
  .then((code) => {
    process.exitCode = code;
  })
  .catch((error: unknown) => {
    const known = error instanceof DaxelError;
    process.stderr.write(`daxel: ${(error as Error).message}\n`);
    if (!known && process.env.DAXEL_DEBUG) process.stderr.write(`${(error as Error).stack}\n`);
    // nothing that a failed start left running may hold the process
    process.exit(known ? 2 : 1);
  });
