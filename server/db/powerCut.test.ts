import { cpSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { hashCombine } from '@daxel/core/math/random';
import { cases } from '@daxel/core/testing/cases';
import { temporaryDir } from '../testing/harness';
import { layAfterCut, RecordedFs } from '../testing/powerCut';
import { TEMPLATES } from './database';
import { FlushedFs, START_PARAMS } from './flushedFs';

const ROWS = 24;
const dir = temporaryDir();
const before = join(TEMPLATES.empty, 'postgres');
afterAll(() => dir.remove(), 60_000);

/** Rows small and large, with a checkpoint on the way. @returns every change to the files */
async function work(name: string, startParams: readonly string[]): Promise<RecordedFs['changes']> {
  const place = join(dir.path, name);
  cpSync(before, place, { recursive: true });
  const fs = new RecordedFs(place);
  const db = await PGlite.create({ fs, startParams: [...startParams] });
  await db.exec('CREATE TABLE kept (n int PRIMARY KEY, body text)');
  for (let n = 1; n <= ROWS; n++) {
    const body = `${n} `.repeat(n % 5 === 0 ? 20_000 : 20);
    await db.query('INSERT INTO kept VALUES ($1, $2)', [n, body]);
    await db.query('UPDATE kept SET body = body || $1 WHERE n = 1', ['.']);
    fs.changes.push({ kind: 'acknowledged', rows: n });
    if (n === ROWS / 2) await db.exec('CHECKPOINT');
  }
  const changes = [...fs.changes];
  await db.close();
  return changes;
}

/** @returns rows that are there, and whose contents are whole; −1 when the database does not open */
async function rowsAfter(place: string): Promise<number> {
  const db = await PGlite.create({ fs: new FlushedFs(place), startParams: [...START_PARAMS] }).catch(() => null);
  if (!db) return -1;
  const { rows } = await db.query<{ n: number; whole: boolean }>(
    `SELECT n, n = 1 OR body = repeat(n || ' ', CASE WHEN n % 5 = 0 THEN 20000 ELSE 20 END) AS whole
     FROM kept ORDER BY n`,
  );
  await db.close();
  return rows.every((row, i) => row.n === i + 1 && row.whole) ? rows.length : -1;
}

describe('a power cut', () => {
  let changes: RecordedFs['changes'];
  beforeAll(async () => {
    changes = await work('flushed', START_PARAMS);
  }, 120_000);

  const first = (): number => changes.findIndex((c) => c.kind === 'acknowledged');
  it.each(Array.from({ length: cases(5) }, (_, i) => [i] as const))(
    'number %i loses nothing that was acknowledged',
    async (i) => {
      const from = first();
      const count = from + 1 + Math.floor((hashCombine(i, 77) / 2 ** 32) * (changes.length - from));
      let draw = 0;
      // of what was not flushed nothing, everything, or any part
      const survives = (): boolean => i % 3 === 1 || (i % 3 === 2 && hashCombine(i, draw++) % 2 === 0);
      const place = join(dir.path, `cut-${i}`);
      const acknowledged = layAfterCut(before, changes, count, survives, place);
      expect(await rowsAfter(place)).toBeGreaterThanOrEqual(acknowledged);
      rmSync(place, { recursive: true });
    },
    60_000,
  );

  it('would lose rows without flushes: this is seen here', async () => {
    const loose = await work('loose', PGlite.defaultStartParams);
    expect(loose.filter((c) => c.kind === 'flush').length).toBeLessThan(5);
    const place = join(dir.path, 'loose-cut');
    const acknowledged = layAfterCut(before, loose, loose.length, () => false, place);
    expect(acknowledged).toBe(ROWS);
    const left = await rowsAfter(place).catch(() => -1);
    expect(left).toBeLessThan(ROWS);
  }, 120_000);

  it('finds one flush for every commit, and those of the data at the checkpoint', () => {
    const logs = changes.filter((c) => c.kind === 'flush' && c.path.startsWith('pg_wal/'));
    expect(logs.length).toBeGreaterThanOrEqual(2 * ROWS);
    expect(changes.some((c) => c.kind === 'flush' && c.path.startsWith('base/'))).toBe(true);
  });
});
