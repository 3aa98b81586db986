/** Entry of the command line. */
import { DaxelError } from '@daxel/core/errors';

interface Command {
  usage: string;
  run: (args: string[]) => Promise<void>;
}
/** Each with what it needs alone: a server's parts take a second to load. */
const COMMANDS: Record<string, () => Promise<Command>> = {
  render: () => import('./renderCommand').then((c) => ({ usage: c.RENDER_USAGE, run: c.renderCommand })),
  bake: () => import('./bakeCommand').then((c) => ({ usage: c.BAKE_USAGE, run: c.bakeCommand })),
  measure: () => import('./measureCommand').then((c) => ({ usage: c.MEASURE_USAGE, run: c.measureCommand })),
  demo: () => import('./demoCommand').then((c) => ({ usage: c.DEMO_USAGE, run: c.demoCommand })),
};

async function main(argv: string[]): Promise<number> {
  const [name, ...rest] = argv;
  if (name !== undefined && Object.hasOwn(COMMANDS, name)) {
    const { usage, run } = await COMMANDS[name]();
    if (rest.includes('--help')) process.stdout.write(`${usage}\n`);
    else await run(rest);
    return 0;
  }
  process.stderr.write(
    `daxel: there is no command "${name ?? ''}". Commands: demo, test, bench, render, bake, measure.\n`,
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
