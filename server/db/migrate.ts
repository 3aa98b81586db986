/** Numbered migrations, each applied once and whole. */
import type { Database } from './database';
import start from './migrations/0001_start.sql?raw';
import rigs from './migrations/0002_rigs.sql?raw';
import wedges from './migrations/0003_wedges.sql?raw';
import optics from './migrations/0004_optics.sql?raw';
import sequences from './migrations/0005_sequences.sql?raw';
import takes from './migrations/0006_takes.sql?raw';
import paths from './migrations/0007_paths.sql?raw';
import handles from './migrations/0008_handles.sql?raw';

const MIGRATIONS: readonly { number: number; sql: string }[] = [
  { number: 1, sql: start },
  { number: 2, sql: rigs },
  { number: 3, sql: wedges },
  { number: 4, sql: optics },
  { number: 5, sql: sequences },
  { number: 6, sql: takes },
  { number: 7, sql: paths },
  { number: 8, sql: handles },
];

export async function migrate(database: Database): Promise<void> {
  await database.script(
    'CREATE TABLE IF NOT EXISTS migrations (number int PRIMARY KEY, applied_at timestamptz NOT NULL DEFAULT now())',
  );
  const done = new Set(
    (await database.query<{ number: number }>('SELECT number FROM migrations')).map((r) => r.number),
  );
  for (const { number, sql } of MIGRATIONS) {
    if (done.has(number)) continue;
    await database.script(`BEGIN; ${sql}; INSERT INTO migrations (number) VALUES (${number}); COMMIT;`);
  }
}
