import { randomUUID } from 'node:crypto';
import { cpSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openDatabase, TEMPLATES, type Database } from '../db/database';
import { temporaryDir } from '../testing/harness';
import { placeOfSockets } from '../db/lock';
import { startQueue, type Queue } from './queue';
import { processName } from './workers';

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

describe('a second server on the same database', () => {
  const active = async (id: string, worker: string | null): Promise<void> => {
    const data = { stillId: 'held', kind: 'still', ...(worker && { worker }) };
    await db.query(`UPDATE pgboss.job SET state = 'active', started_on = now(), data = $2 WHERE id = $1`, [
      id,
      JSON.stringify(data),
    ]);
  };
  const stateOf = async (id: string): Promise<unknown> =>
    (await db.query<{ state: string }>('SELECT state FROM pgboss.job WHERE id = $1', [id]))[0].state;
  const worker = async (place: string, process: string): Promise<string> => {
    const id = randomUUID();
    await db.query('INSERT INTO workers (id, place, process) VALUES ($1, $2, $3)', [id, place, process]);
    return id;
  };

  it('leaves the jobs of the first alone while that lives, and takes those of a dead one', async () => {
    const [held, lost] = [await queue.add('still', 'a'), await queue.add('still', 'b')];
    await active(held, await worker(placeOfSockets(), processName('self')));
    await active(lost, await worker(placeOfSockets(), '1 began-at-another-time'));
    const idle = await worker('elsewhere', '9 9');
    await (await startQueue(db, () => undefined)).stop();
    expect(await db.query('SELECT id FROM workers WHERE id = $1', [idle])).toEqual([]);
    expect([await stateOf(held), await stateOf(lost)]).toEqual(['active', 'retry']);
    for (const id of [held, lost]) await queue.cancel(id);
  });

  it('watches one of another machine: whoever beats keeps its job, who is silent loses it', async () => {
    const [held, lost] = [await queue.add('still', 'c'), await queue.add('still', 'd')];
    const [beating, silent] = [await worker('elsewhere', '7 7'), await worker('elsewhere', '8 8')];
    await active(held, beating);
    await active(lost, silent);
    const second = await startQueue(db, () => undefined, { watchMs: 300 });
    expect([await stateOf(held), await stateOf(lost)]).toEqual(['active', 'active']);
    await db.query('UPDATE workers SET beats = beats + 1 WHERE id = $1', [beating]);
    await expect.poll(() => stateOf(lost), { timeout: 10_000 }).toBe('retry');
    expect(await stateOf(held)).toBe('active');
    await second.stop();
    for (const id of [held, lost]) await queue.cancel(id);
  });
});

describe('a clock that is set', () => {
  it('back by an hour keeps no work waiting that was queued before', async () => {
    await queue.add('still', 'before');
    await db.query(
      `UPDATE pgboss.job SET start_after = now() + interval '1 hour', created_on = now() + interval '1 hour'`,
    );
    const take = async (id: string): Promise<void> => void done.push(id);
    let holder: unknown;
    await queue.work(async (_kind, id) => {
      [holder] = await db.query(
        `SELECT w.process FROM workers w JOIN pgboss.job j ON j.data->>'worker' = w.id::text AND j.state = 'active'`,
      );
      await take(id);
    });
    await expect.poll(() => done, { timeout: 40_000, interval: 100 }).toEqual(['before']);
    // whoever works on it is known by then
    expect(holder).toEqual({ process: processName('self') });
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
