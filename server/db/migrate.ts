/** Numbered migrations, each applied once and whole. */
import { BadInputError } from '@daxel/core/errors';
import type { Database } from './database';
import start from './migrations/0001_start.sql?raw';
import rigs from './migrations/0002_rigs.sql?raw';
import wedges from './migrations/0003_wedges.sql?raw';
import optics from './migrations/0004_optics.sql?raw';
import sequences from './migrations/0005_sequences.sql?raw';
import takes from './migrations/0006_takes.sql?raw';
import paths from './migrations/0007_paths.sql?raw';
import handles from './migrations/0008_handles.sql?raw';
import workers from './migrations/0009_workers.sql?raw';

export interface Migration {
  number: number;
  sql: string;
}

const MIGRATIONS: readonly Migration[] = [
  { number: 1, sql: start },
  { number: 2, sql: rigs },
  { number: 3, sql: wedges },
  { number: 4, sql: optics },
  { number: 5, sql: sequences },
  { number: 6, sql: takes },
  { number: 7, sql: paths },
  { number: 8, sql: handles },
  { number: 9, sql: workers },
];

export interface MigrateOptions {
  /** Steps to apply; those of this version by default. */
  migrations?: readonly Migration[];
  /** Called with the number of the next step before an older folder is changed. */
  beforeUpgrade?: (step: number) => Promise<void>;
}

/**
 * Brings a database up to this version.
 * @throws BadInputError when it is of a newer one, or a step fails, which then has changed nothing
 */
export async function migrate(
  database: Database,
  { migrations = MIGRATIONS, beforeUpgrade }: MigrateOptions = {},
): Promise<void> {
  await database.script(
    'CREATE TABLE IF NOT EXISTS migrations (number int PRIMARY KEY, applied_at timestamptz NOT NULL DEFAULT now())',
  );
  const done = new Set(
    (await database.query<{ number: number }>('SELECT number FROM migrations')).map((r) => r.number),
  );
  const known = Math.max(...migrations.map((m) => m.number));
  const newest = Math.max(0, ...done);
  if (newest > known)
    throw new BadInputError(
      `it was written by a newer Daxel (step ${newest}, and this one knows ${known}). Start the newer one, or choose another folder with --data.`,
    );
  const left = migrations.filter(({ number }) => !done.has(number));
  if (done.size > 0 && left.length > 0) await beforeUpgrade?.(left[0].number);
  for (const { number, sql } of left) {
    try {
      await database.script(`BEGIN; ${sql}; INSERT INTO migrations (number) VALUES (${number}); COMMIT;`);
    } catch (error) {
      throw new BadInputError(`it cannot be brought up to date (step ${number}: ${(error as Error).message}).`, error);
    }
  }
}
