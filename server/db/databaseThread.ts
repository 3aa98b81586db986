/** Entry of the thread that holds the embedded PostgreSQL, so that the server's own thread never waits for it. */
import { PGlite } from '@electric-sql/pglite';
import { readFile } from 'node:fs/promises';
import { parentPort, workerData } from 'node:worker_threads';
import { FlushedFs, START_PARAMS } from './flushedFs';

export interface Statement {
  sql: string;
  params: unknown[];
}
export type DatabaseRequest =
  | { id: number; kind: 'query'; statement: Statement }
  | { id: number; kind: 'script'; sql: string }
  | { id: number; kind: 'together'; statements: Statement[] }
  /** Answered by one row, with all files of the database as `tar`. */
  | { id: number; kind: 'dump' }
  | { id: number; kind: 'close' };
export type DatabaseReply =
  { id: number; rows: Record<string, unknown>[] } | { id: number; error: { code: string; message: string } };

if (!parentPort) throw new Error('databaseThread runs as a worker thread');
const port = parentPort;
/** Where the database lies, and the dump that it is to be made from, if any. */
export interface DatabasePlace {
  dir: string;
  dump?: string;
  /** Counted up at every read and write: who opens it sees that it goes on. */
  life: Int32Array;
}
const { dir, dump, life } = workerData as DatabasePlace;

async function open(): Promise<PGlite> {
  const loadDataDir = dump === undefined ? undefined : new Blob([await readFile(dump)]);
  return PGlite.create({ fs: new FlushedFs(dir, life), startParams: [...START_PARAMS], loadDataDir });
}
const opened = open();
opened.then(
  () => port.postMessage({ id: 0, rows: [] } satisfies DatabaseReply),
  (error: unknown) => port.postMessage(failure(0, error)),
);

port.on('message', (request: DatabaseRequest) => {
  opened
    .then((db) => run(db, request))
    .then(
      (rows) => port.postMessage({ id: request.id, rows } satisfies DatabaseReply),
      (error: unknown) => port.postMessage(failure(request.id, error)),
    );
});

async function run(db: PGlite, request: DatabaseRequest): Promise<Record<string, unknown>[]> {
  switch (request.kind) {
    case 'query':
      return (await db.query<Record<string, unknown>>(request.statement.sql, request.statement.params)).rows;
    case 'script':
      try {
        const results = await db.exec(request.sql);
        return results.at(-1)?.rows ?? [];
      } catch (error) {
        // a script that began a transaction would leave everyone inside the failed one
        await db.exec('ROLLBACK').catch(() => undefined);
        throw error;
      }
    case 'together':
      return db.transaction(async (tx) => {
        let rows: Record<string, unknown>[] = [];
        for (const s of request.statements) rows = (await tx.query<Record<string, unknown>>(s.sql, s.params)).rows;
        return rows;
      });
    case 'dump':
      await db.exec('CHECKPOINT');
      return [{ tar: new Uint8Array(await (await db.dumpDataDir('none')).arrayBuffer()) }];
    case 'close':
      await db.exec('CHECKPOINT').catch(() => undefined);
      await db.close();
      return [];
  }
}

function failure(id: number, error: unknown): DatabaseReply {
  const { code, message } = error as { code?: string; message?: string };
  return { id, error: { code: code ?? 'unknown', message: message ?? String(error) } };
}
