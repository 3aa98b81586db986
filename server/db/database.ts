/** The database as the rest of the server sees it. */
import { cp, mkdir, rename, rm } from 'node:fs/promises';
import { constants, existsSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { BadInputError } from '@daxel/core/errors';
import { BUILD, entryUrl } from '../entries';
import type { DatabaseReply, DatabaseRequest, Statement } from './databaseThread';
import { takeLock } from './lock';
import { migrate } from './migrate';

export type Row = Record<string, unknown>;

export interface Database {
  /** One statement with parameters $1, $2, … */
  query<T extends Row>(sql: string, params?: unknown[]): Promise<T[]>;
  /** Several statements without parameters. @returns the rows of the last */
  script(sql: string): Promise<Row[]>;
  /** Statements that all take effect or none. @returns the rows of the last */
  together(statements: Statement[]): Promise<Row[]>;
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

const HOUSEKEEPING_MS = 5 * 60_000;
/** Folders made by the build that a first start is copied from: an empty database, and one with the demo in it. */
export const TEMPLATES = { empty: join(BUILD, 'template-empty'), demo: join(BUILD, 'template-demo') } as const;
export type Template = keyof typeof TEMPLATES;

/**
 * Opens, or makes, the database in a folder.
 * @param template what a new folder begins with; null for nothing
 * @throws BadInputError when another process has it open
 */
export async function openDatabase(dir: string, template: Template | null): Promise<Database> {
  await mkdir(dir, { recursive: true });
  const unlock = await takeLock(dir);
  try {
    const postgres = join(dir, 'postgres');
    if (template && !existsSync(postgres)) await copyTemplate(TEMPLATES[template], dir);
    const database = await startThread(postgres, unlock);
    await migrate(database);
    return database;
  } catch (error) {
    await unlock();
    throw error;
  }
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

async function startThread(dir: string, unlock: () => Promise<void>): Promise<Database> {
  const worker = new Worker(entryUrl('databaseThread'), { workerData: { dir } });
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
  await new Promise<Row[]>((resolve, reject) => waiting.set(0, { resolve, reject })).catch((error: Error) => {
    void worker.terminate();
    throw new BadInputError(
      `${dir}: the database cannot be opened (${error.message}). Start with another --data folder.`,
    );
  });

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
    for (const sql of ['CHECKPOINT', 'VACUUM (ANALYZE) stills']) void query(sql).catch(() => undefined);
  }, HOUSEKEEPING_MS);
  housekeeping.unref();
  return {
    query,
    script: (sql) => send({ kind: 'script', sql }),
    together: (statements) => send({ kind: 'together', statements }),
    close: async () => {
      clearInterval(housekeeping);
      await send({ kind: 'close' }).catch(() => undefined);
      await worker.terminate();
      await unlock();
    },
  };
}
