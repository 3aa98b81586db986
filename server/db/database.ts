/** The database as the rest of the server sees it. */
import { cp, mkdir, rename, rm, stat } from 'node:fs/promises';
import { constants, existsSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { BadInputError } from '@daxel/core/errors';
import { BUILD, entryUrl } from '../entries';
import { flushFolder } from '../store/atomicWrite';
import type { DatabasePlace, DatabaseReply, DatabaseRequest, Statement } from './databaseThread';
import { keepBefore, listDumps } from './dumps';
import { takeLock } from './lock';
import { migrate } from './migrate';
import { watchLife } from './watchLife';

export type Row = Record<string, unknown>;

export interface Database {
  /** One statement with parameters $1, $2, … */
  query<T extends Row>(sql: string, params?: unknown[]): Promise<T[]>;
  /** Several statements without parameters. @returns the rows of the last */
  script(sql: string): Promise<Row[]>;
  /** Statements that all take effect or none. @returns the rows of the last */
  together(statements: Statement[]): Promise<Row[]>;
  /** All its files as they are now, a tar. */
  dump(): Promise<Uint8Array>;
  close(): Promise<void>;
}

export class DatabaseError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
    this.name = 'DatabaseError';
  }
}

const HOUSEKEEPING_MS = 15 * 60_000;
/** Folders made by the build that a first start is copied from: an empty database, and one with the demo in it. */
export const TEMPLATES = { empty: join(BUILD, 'template-empty'), demo: join(BUILD, 'template-demo') } as const;
export type Template = keyof typeof TEMPLATES;

export interface OpenOptions {
  /** Goes back to the newest dump that can be opened. */
  restore?: boolean;
  /** Told what was done, a line each. */
  say?: (line: string) => void;
  /** Another process has taken the folder: nothing may be written any more. */
  onLost?: () => void;
}

/**
 * Opens, or makes, the database in a folder.
 * @param template what a new folder begins with; null for nothing
 * @throws BadInputError when another process has it open, or it cannot be opened: with what to do then
 */
export async function openDatabase(
  dir: string,
  template: Template | null,
  { restore = false, say = () => undefined, onLost }: OpenOptions = {},
): Promise<Database> {
  await mkdir(dir, { recursive: true });
  const unlock = await takeLock(dir, { onLost, say });
  try {
    const postgres = join(dir, 'postgres');
    if (restore) await goBack(dir, postgres, say);
    if (template && !existsSync(postgres)) await copyTemplate(TEMPLATES[template], dir);
    else if (existsSync(postgres)) await lookWhole(postgres);
    const database = await startThread({ dir: postgres });
    try {
      const beforeUpgrade = async (step: number): Promise<void> =>
        keepBefore(dir, step, await database.dump(), new Date());
      await migrate(database, { beforeUpgrade });
    } catch (error) {
      await database.close();
      throw error;
    }
    const close = (): Promise<void> => database.close().finally(unlock);
    return { ...database, close };
  } catch (error) {
    await unlock();
    const { message } = error as Error;
    // what concerns the folder as a whole names it already
    if (!(error instanceof BadInputError) || message.startsWith(dir)) throw error;
    throw new BadInputError(`${join(dir, 'postgres')}: ${message} ${await remedy(dir)}`.trim(), error);
  }
}

/** What an artist can do about a database that cannot be opened. */
async function remedy(dir: string): Promise<string> {
  const [newest] = await listDumps(dir);
  const other = 'start with another --data folder';
  if (!newest) return `It was not changed. To go on without it, ${other}.`;
  return `It was not changed. Go back to how it was on ${newest.day} with --restore, or ${other}.`;
}

/** PostgreSQL would begin anew in a folder that lacks this, over whatever else lies in it. */
async function lookWhole(postgres: string): Promise<void> {
  const version = await stat(join(postgres, 'PG_VERSION')).catch((error: NodeJS.ErrnoException) => error);
  if (!(version instanceof Error)) return;
  if (version.code === 'EACCES') throw new BadInputError('reading it is not allowed.');
  const isFolder = (await stat(postgres)).isDirectory();
  throw new BadInputError(
    isFolder ? 'the database is damaged (PG_VERSION is missing).' : 'that is a file, not a folder.',
  );
}

/** Sets the database aside and makes it from the newest dump that opens. @throws BadInputError when there is none */
async function goBack(dir: string, postgres: string, say: (line: string) => void): Promise<void> {
  const dumps = await listDumps(dir);
  const part = `${postgres}.part`;
  for (const { path, day } of dumps) {
    await rm(part, { recursive: true, force: true });
    try {
      await (await startThread({ dir: part, dump: path })).close();
    } catch (error) {
      say(`${path} cannot be opened: ${(error as Error).message}`);
      continue;
    }
    const aside = `${postgres}.aside-${new Date().toISOString().replace(/[:.]/g, '-')}`;
    if (existsSync(postgres)) await rename(postgres, aside);
    await rename(part, postgres);
    await flushFolder(dir);
    return say(`The database is as it was on ${day}. What was there before is kept in ${aside}.`);
  }
  await rm(part, { recursive: true, force: true });
  throw new BadInputError(
    `${dir}: there is no ${dumps.length > 0 ? 'whole ' : ''}dump to restore. One is made every day that Daxel runs. Start without --restore.`,
  );
}

/** Files first and the database last, each beside its place and renamed: an interrupted copy must not look whole. */
async function copyTemplate(template: string, dir: string): Promise<void> {
  for (const part of ['files', 'postgres']) {
    const from = join(template, part);
    const to = join(dir, part);
    if (!existsSync(from) || existsSync(to)) continue;
    const copy = `${to}.part`;
    await rm(copy, { recursive: true, force: true });
    await cp(from, copy, { recursive: true, mode: constants.COPYFILE_FICLONE });
    await rename(copy, to);
  }
}

async function startThread(place: Omit<DatabasePlace, 'life'>): Promise<Database> {
  const life = new Int32Array(new SharedArrayBuffer(4));
  const worker = new Worker(entryUrl('databaseThread'), { workerData: { ...place, life } satisfies DatabasePlace });
  const waiting = new Map<number, { resolve: (rows: Row[]) => void; reject: (error: Error) => void }>();
  let next = 1;
  let gone: Error | null = null;
  const failAll = (error: Error): void => {
    gone = error;
    for (const w of waiting.values()) w.reject(error);
    waiting.clear();
  };
  worker.on('message', (reply: DatabaseReply) => {
    const w = waiting.get(reply.id);
    waiting.delete(reply.id);
    if ('error' in reply) w?.reject(new DatabaseError(reply.error.code, reply.error.message));
    else w?.resolve(reply.rows);
  });
  worker.on('error', (error) =>
    failAll(new DatabaseError('gone', `the database stopped: ${(error as Error).message}`)),
  );
  worker.on('exit', () => failAll(new DatabaseError('gone', 'the database has stopped')));
  const opened = new Promise<Row[]>((resolve, reject) => waiting.set(0, { resolve, reject }));
  const watch = watchLife(life, () => failAll(new DatabaseError('gone', 'it does not answer')));
  try {
    await opened;
  } catch (error) {
    void worker.terminate();
    throw new BadInputError(`the database cannot be opened (${(error as Error).message}).`, error);
  } finally {
    clearInterval(watch);
  }

  type Without<T> = T extends unknown ? Omit<T, 'id'> : never;
  const send = (request: Without<DatabaseRequest>): Promise<Row[]> => {
    if (gone) return Promise.reject(gone);
    return new Promise((resolve, reject) => {
      const id = next++;
      waiting.set(id, { resolve, reject });
      worker.postMessage({ ...request, id });
    });
  };
  const query = <T extends Row>(sql: string, params: unknown[] = []): Promise<T[]> =>
    send({ kind: 'query', statement: { sql, params } }) as Promise<T[]>;
  const housekeeping = setInterval(() => {
    // nothing checkpoints or vacuums an embedded database by itself
    for (const sql of ['CHECKPOINT', 'VACUUM (ANALYZE)']) void query(sql).catch(() => undefined);
  }, HOUSEKEEPING_MS);
  housekeeping.unref();
  return {
    query,
    script: (sql) => send({ kind: 'script', sql }),
    together: (statements) => send({ kind: 'together', statements }),
    dump: async () => (await send({ kind: 'dump' }))[0].tar as Uint8Array,
    close: async () => {
      clearInterval(housekeeping);
      await send({ kind: 'close' }).catch(() => undefined);
      await worker.terminate();
    },
  };
}
