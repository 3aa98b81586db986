/** Starts that cannot go well end soon, with one line and a remedy; what was there is still there. */
import { cpSync, existsSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { BadInputError } from '@daxel/core/errors';
import { temporaryDir } from '../testing/harness';
import { openDatabase, TEMPLATES } from './database';
import { dumpIsDue, keepBefore, keepDaily, listDumps } from './dumps';
import { takeLock } from './lock';
import { migrate } from './migrate';

let dir: { path: string; remove: () => void };
beforeEach(() => {
  dir = temporaryDir();
});
/** Before the tests of a group: the folder holds an empty database. */
const withDatabase = (): void => beforeEach(() => cpSync(TEMPLATES.empty, dir.path, { recursive: true }));
afterEach(() => dir.remove());
const postgres = (...names: string[]): string => join(dir.path, 'postgres', ...names);

/** @returns what the artist is told */
async function refusal(options = {}): Promise<string> {
  const error = await openDatabase(dir.path, null, options).then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(BadInputError);
  const { message } = error as Error;
  expect(message).toContain(dir.path);
  expect(message.split('\n').length).toBe(1);
  return message;
}

describe('a damaged database', () => {
  withDatabase();

  it.each([
    ['its version is missing', () => rmSync(postgres('PG_VERSION')), /PG_VERSION is missing/],
    ['its version is another', () => writeFileSync(postgres('PG_VERSION'), '12\n'), /cannot be opened/],
    [
      'its control file is empty',
      () => writeFileSync(postgres('global', 'pg_control'), new Uint8Array(8192)),
      /cannot/,
    ],
    ['its log is gone', () => rmSync(postgres('pg_wal'), { recursive: true }), /cannot be opened/],
    ['its data is gone', () => rmSync(postgres('base'), { recursive: true }), /cannot be opened/],
    [
      'there is a file in its place',
      () => (rmSync(postgres(), { recursive: true }), writeFileSync(postgres(), '')),
      /a file/,
    ],
  ])('is told and left alone: %s', async (_name, damage, expected) => {
    damage();
    const before = existsSync(postgres('base')) && readdirSync(postgres('base')).length;
    const message = await refusal();
    expect(message).toMatch(expected);
    expect(message).toMatch(/start with another --data folder/);
    expect(existsSync(postgres('base')) && readdirSync(postgres('base')).length).toBe(before);
    // nothing holds the folder any more
    await (
      await takeLock(dir.path)
    )();
  });

  it('offers the newest dump, and goes back to it; what was there is set aside', async () => {
    const db = await openDatabase(dir.path, null);
    await db.query(`INSERT INTO projects (id, name, source) VALUES (gen_random_uuid(), 'kept', 'file')`);
    await keepDaily(dir.path, await db.dump(), new Date('2026-03-01T10:00:00Z'));
    await db.query(`INSERT INTO projects (id, name, source) VALUES (gen_random_uuid(), 'later', 'file')`);
    await db.close();
    // a newer one that is broken is passed over
    writeFileSync(join(dir.path, 'dumps', '2026-03-02.tar.gz'), 'broken');
    rmSync(postgres('PG_VERSION'));
    expect(await refusal()).toMatch(/Go back to how it was on 2026-03-02 with --restore/);
    const said: string[] = [];
    const back = await openDatabase(dir.path, null, { restore: true, say: (line) => said.push(line) });
    expect(await back.query('SELECT name FROM projects')).toEqual([{ name: 'kept' }]);
    await back.close();
    expect(said[0]).toMatch(/2026-03-02\.tar\.gz cannot be opened/);
    expect(said[1]).toMatch(/as it was on 2026-03-01/);
    const aside = readdirSync(dir.path).find((name) => name.startsWith('postgres.aside-'));
    expect(existsSync(join(dir.path, aside!, 'base'))).toBe(true);
  });

  it('says so when there is no dump to go back to, and changes nothing', async () => {
    expect(await refusal({ restore: true })).toMatch(/no dump to restore/);
    await (await openDatabase(dir.path, null)).close();
  });
});

describe('a data folder of another version', () => {
  withDatabase();

  it('is refused when it is newer', async () => {
    const db = await openDatabase(dir.path, null);
    await db.query('INSERT INTO migrations (number) VALUES (999)');
    await db.close();
    expect(await refusal()).toMatch(/newer Daxel \(step 999/);
  });

  it('is kept as it was before it is brought up to date, and a step that fails changes nothing', async () => {
    const db = await openDatabase(dir.path, null);
    const kept: number[] = [];
    const beforeUpgrade = async (step: number): Promise<void> => void kept.push(step);
    const good = { number: 1000, sql: 'CREATE TABLE more (n int)' };
    const bad = { number: 1001, sql: 'CREATE TABLE half (n int); SELECT nonsense FROM nowhere' };
    await migrate(db, { migrations: [good], beforeUpgrade });
    await expect(migrate(db, { migrations: [good, bad], beforeUpgrade })).rejects.toThrow(/step 1001/);
    expect(kept).toEqual([1000, 1001]);
    expect(await db.query(`SELECT to_regclass('half') AS half, to_regclass('more') AS more`)).toEqual([
      { half: null, more: 'more' },
    ]);
    await db.close();
  });

  it('whose upgrade fails is told so, and the process does not hang on it', async () => {
    const db = await openDatabase(dir.path, null);
    await db.query('DELETE FROM migrations WHERE number = 8');
    await db.close();
    expect(await refusal()).toMatch(/brought up to date \(step 8: .*handles.*already exists/);
    expect((await listDumps(dir.path)).length).toBe(1);
    await (
      await takeLock(dir.path)
    )();
  });
});

describe('dumps', () => {
  it('are made once a day, and the last seven are kept beside those of upgrades', async () => {
    const day = (n: number): Date => new Date(Date.UTC(2026, 0, n, 23, 59));
    const tar = new Uint8Array(2000);
    await keepBefore(dir.path, 9, tar, day(1));
    for (let n = 1; n <= 9; n++) {
      expect(await dumpIsDue(dir.path, day(n))).toBe(true);
      await keepDaily(dir.path, tar, day(n));
      expect(await dumpIsDue(dir.path, day(n))).toBe(false);
    }
    const days = (await listDumps(dir.path)).map((d) => d.day.slice(-2));
    expect(days).toEqual(['09', '08', '07', '06', '05', '04', '03', '01']);
  });
});

describe('the lock of a folder', () => {
  const quick = { beatMs: 40, watchMs: 1500 };

  it('is seen by who shares no sockets with its holder, as another container on the same folder', async () => {
    const unlock = await takeLock(dir.path, { ...quick, place: 'here' });
    await expect(takeLock(dir.path, { ...quick, place: 'there' })).rejects.toThrow(/another Daxel, on .*, is running/);
    await unlock();
    await (
      await takeLock(dir.path, { ...quick, place: 'there' })
    )();
  });

  it('is taken from a holder that beats no more, who ends when it wakes', async () => {
    let lost = 0;
    // as one that sleeps for long
    const first = await takeLock(dir.path, { place: 'here', beatMs: 6000, watchMs: 100, onLost: () => lost++ });
    const second = await takeLock(dir.path, { ...quick, watchMs: 300, place: 'there' });
    await expect.poll(() => lost, { timeout: 45_000 }).toBe(1);
    await first();
    // the folder is the second one's still
    await expect(takeLock(dir.path, { ...quick, place: 'elsewhere' })).rejects.toThrow(/another Daxel/);
    await second();
  });

  it('left by one that was killed is free at once where its sockets are', async () => {
    const file = { token: 'x', place: 'here', host: 'h', pid: 1, beat: 3 };
    writeFileSync(join(dir.path, 'daxel.lock'), JSON.stringify(file));
    // who watched for it would do so for longer than this test may take
    await (
      await takeLock(dir.path, { place: 'here', watchMs: 120_000 })
    )();
    expect(existsSync(join(dir.path, 'daxel.lock'))).toBe(false);
  });
});
