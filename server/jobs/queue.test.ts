import { cpSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openDatabase, TEMPLATES, type Database } from '../db/database';
import { temporaryDir } from '../testing/harness';
import { startQueue, type Queue } from './queue';

const dir = temporaryDir();
let db: Database;
let queue: Queue;
const done: string[] = [];
beforeAll(async () => {
  cpSync(TEMPLATES.empty, dir.path, { recursive: true });
  db = await openDatabase(dir.path, null);
  queue = await startQueue(db, () => undefined);
}, 60_000);
afterAll(async () => {
  await queue.stop();
  await db.close();
  dir.remove();
});

describe('servers that die', () => {
  it('do not use up the attempts of a job', async () => {
    const id = await queue.add('still', 'orphan');
    const tries = async (): Promise<unknown> =>
      (await db.query('SELECT state, retry_count AS tries FROM pgboss.job WHERE id = $1', [id]))[0];
    for (let death = 0; death < 5; death++) {
      await db.query(`UPDATE pgboss.job SET state = 'active', started_on = now() WHERE id = $1`, [id]);
      await (await startQueue(db, () => undefined)).stop();
    }
    expect(await tries()).toMatchObject({ state: 'retry', tries: 0 });
    await queue.cancel(id);
  });
});

describe('a clock that is set', () => {
  it('back by an hour keeps no work waiting that was queued before', async () => {
    await queue.add('still', 'before');
    await db.query(
      `UPDATE pgboss.job SET start_after = now() + interval '1 hour', created_on = now() + interval '1 hour'`,
    );
    const take = async (id: string): Promise<void> => void done.push(id);
    await queue.work({ still: take, wedge: take, sequence: take });
    await expect.poll(() => done, { timeout: 40_000, interval: 100 }).toEqual(['before']);
  }, 60_000);

  it('forward by hours ends no work that is being done', async () => {
    const id = await queue.add('still', 'long');
    await expect.poll(() => done, { timeout: 40_000, interval: 100 }).toContain('long');
    await db.query(`UPDATE pgboss.job SET state = 'active', started_on = now() - interval '5 hours' WHERE id = $1`, [
      id,
    ]);
    await new Promise((r) => setTimeout(r, 1500));
    expect(await queue.isOpen(id)).toBe(true);
    expect(done.filter((d) => d === 'long').length).toBe(1);
  }, 60_000);
});
