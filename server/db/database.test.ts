import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { temporaryDir } from '../testing/harness';
import { openDatabase, type Database } from './database';

const dir = temporaryDir();
let db: Database;
beforeAll(async () => {
  db = await openDatabase(dir.path, 'empty');
  await db.script('CREATE TABLE things (n int PRIMARY KEY, label text)');
}, 60_000);
afterAll(async () => {
  await db.close();
  dir.remove();
});
const count = async (): Promise<number> => Number((await db.query('SELECT count(*) AS n FROM things'))[0].n);

describe('the database', () => {
  it('answers with parameters, and many at once in order', async () => {
    await Promise.all(
      Array.from({ length: 50 }, (_, i) => db.query('INSERT INTO things VALUES ($1, $2)', [i, `thing ${i}`])),
    );
    expect(await count()).toBe(50);
    expect(await db.query('SELECT label FROM things WHERE n = $1', [7])).toEqual([{ label: 'thing 7' }]);
  });

  it('takes statements together or not at all', async () => {
    const before = await count();
    await expect(
      db.together([
        { sql: 'INSERT INTO things VALUES ($1, $2)', params: [100, 'new'] },
        { sql: 'INSERT INTO things VALUES ($1, $2)', params: [7, 'twice'] },
      ]),
    ).rejects.toMatchObject({ code: '23505' });
    expect(await count()).toBe(before);
  });

  it('is not left in a failed transaction by a broken script', async () => {
    await expect(
      db.script('BEGIN; INSERT INTO things VALUES (200, NULL); SELECT nonsense FROM nowhere; COMMIT;'),
    ).rejects.toThrow();
    expect(await count()).toBe(50);
    await db.query('INSERT INTO things VALUES (201, NULL)');
    expect(await count()).toBe(51);
  });

  it('keeps values as data, whatever they look like', async () => {
    const nasty = `'; DROP TABLE things; --`;
    await db.query('UPDATE things SET label = $1 WHERE n = 201', [nasty]);
    expect(await db.query('SELECT label FROM things WHERE n = 201')).toEqual([{ label: nasty }]);
  });

  it('does not hold this thread while it works', async () => {
    let ticks = 0;
    const timer = setInterval(() => ticks++, 5);
    await db.query('SELECT count(*) FROM generate_series(1, 2000000)');
    clearInterval(timer);
    expect(ticks).toBeGreaterThan(5);
  });

  it('applies migrations once', async () => {
    const applied = await db.query('SELECT number FROM migrations ORDER BY number');
    expect(applied.map((r) => r.number)).toEqual([1, 2, 3, 4, 5, 6, 7, 8, 9]);
  });
});
