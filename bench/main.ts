/** `daxel bench [NAME…] [--json FILE] [--page FILE]`. */
import { parseArgs } from 'node:util';
import { resolve } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { atomicWrite } from '@daxel/server/store/atomicWrite';
import { bounce } from './bounce';
import { filters } from './filters';
import { methods } from './methods';
import { path } from './path';
import { raster } from './raster';
import { rays } from './rays';
import { interaction, rasterBrowser } from './rasterBrowser';
import type { Bench, BenchRow } from './rows';
import { shadows } from './shadows';
import { stability } from './stability';
import { threads } from './threads';
import { lastPage, verdicts } from './verdicts';

const BENCHES: readonly Bench[] = [
  raster,
  shadows,
  rays,
  filters,
  stability,
  verdicts,
  path,
  bounce,
  methods,
  threads,
  rasterBrowser,
  interaction,
];

function figure(value: number): string {
  return value.toFixed(Math.abs(value) < 10 ? 3 : 1);
}

async function main(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { json: { type: 'string' }, page: { type: 'string' } },
  });
  for (const name of positionals) {
    if (!BENCHES.some((b) => b.name === name))
      throw new BadInputError(`There is no bench "${name}". Choose from ${BENCHES.map((b) => b.name).join(', ')}.`);
  }
  if (values.page && positionals.length > 0 && !positionals.includes(verdicts.name))
    throw new BadInputError(`--page lists the cases of the bench ${verdicts.name}: run that.`);
  const rows: BenchRow[] = [];
  for (const bench of BENCHES) {
    if (positionals.length > 0 && !positionals.includes(bench.name)) continue;
    for (const r of await bench.run()) {
      rows.push(r);
      const figures = `${figure(r.ours)} against ${figure(r.theirs)} ${r.unit}`;
      process.stdout.write(
        `${r.bench.padEnd(12)} ${r.case.padEnd(58)} ${figures.padEnd(30)} ${r.ratio.toFixed(2)} × ${r.contender}\n`,
      );
    }
  }
  if (values.page) await atomicWrite(resolve(values.page), lastPage());
  if (values.json) await atomicWrite(resolve(values.json), `${JSON.stringify({ rows }, null, 2)}\n`);
}

main()
  .then(() => process.exit(0))
  .catch((error: unknown) => {
    process.stderr.write(`daxel: ${(error as Error).message}\n`);
    process.exit(error instanceof BadInputError ? 2 : 1);
  });
