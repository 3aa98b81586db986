/** Starts everything behind one address. */
import { randomBytes } from 'node:crypto';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { resolve } from 'node:path';
import { join } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { openDatabase, type Database } from './db/database';
import { dumpDaily } from './db/dumps';
import { ensureDemo } from './demoProject';
import { isLoopback, namesOf, reachedAt } from './http/allowedHosts';
import { createApp } from './http/app';
import { EventStream } from './http/eventStream';
import { refreshScenes, soundCompiled } from './import/scenes';
import { startQueue } from './jobs/queue';
import type { JobTools } from './jobs/jobKind';
import { JobRunner } from './jobs/jobRunner';
import type { JobName } from './jobs/queue';
import { SequenceJobs } from './jobs/sequenceJobs';
import { StillJobs } from './jobs/stillJobs';
import { WedgeJobs } from './jobs/wedgeJobs';
import { explainWriteError } from './store/atomicWrite';
import { checkStoredFiles } from './store/checkFiles';
import { FileStore } from './store/fileStore';
import { StorageKeeper } from './store/storage';

export interface ServeOptions {
  /** 0 takes any free one. */
  port: number;
  host: string;
  dataDir: string;
  demo: boolean;
  /** Goes back to the newest dump of the database. */
  restore?: boolean;
  /** Made when others can reach the server and none is given. */
  token?: string;
  /** Further names that it answers to. */
  allow?: readonly string[];
  uploadLimit: number;
}

export interface RunningServer {
  url: string;
  /** What a browser adds to the address the first time. */
  link: string;
  renderPid: () => number | undefined;
  close(): Promise<void>;
}

const KEEP_ALIVE_MS = 65_000;
const CHECK_AFTER_MS = 90_000;
/** Others on loopback are not reached by this name. */
const LOCALHOST = ['localhost', '127.0.0.1', '::1'];
/** Headers arrive at once; a scene may take its time. */
const HEADERS_MS = 15_000;
const REQUEST_MS = 15 * 60_000;

/** @throws BadInputError when the port or the data folder cannot be had */
export async function serve(options: ServeOptions): Promise<RunningServer> {
  const dataDir = resolve(options.dataDir);
  // the port is open before the database is: who comes that early is told to come again
  let app: RequestListener | null = null;
  const server = createServer((request, response) => {
    if (app) return app(request, response);
    response.writeHead(503, { 'Retry-After': '1', 'Content-Type': 'text/plain' }).end('Daxel is starting.\n');
  });
  // longer than clients keep an idle connection: one that is closed just as it is used again would fail their request
  server.keepAliveTimeout = KEEP_ALIVE_MS;
  server.headersTimeout = HEADERS_MS;
  server.requestTimeout = REQUEST_MS;
  await listen(server, options);
  const log = (error: Error): void => void process.stderr.write(`daxel: ${error.message}\n`);
  const shut = (): void => {
    server.close();
    server.closeAllConnections();
  };
  const db = await openData(dataDir, options, log).catch((error: unknown) => {
    shut();
    throw explainWriteError(error, dataDir);
  });
  try {
    const files = new FileStore(join(dataDir, 'files'));
    await files.open();
    const queue = await startQueue(db, log);
    const events = new EventStream();
    const runner = new JobRunner((hash) => soundCompiled(db, files, hash));
    if (options.demo) await ensureDemo(db, files);
    await refreshScenes(db, files, (line) => log(new Error(line)));
    const tools: JobTools = { db, files, queue, events, runner };
    const [stills, wedges, sequences] = [new StillJobs(tools), new WedgeJobs(tools), new SequenceJobs(tools)];
    const kinds = [stills, wedges, sequences];
    await files.dropUnfinished(new Set((await Promise.all(kinds.map((k) => k.unfinished()))).flat()));
    for (const kind of kinds) await kind.start();
    const run: { [K in JobName]: (id: string, attemptsLeft: number) => Promise<void> } = {
      still: (id, left) => runner.run(stills, id, left),
      wedge: (id, left) => runner.run(wedges, id, left),
      sequence: (id, left) => runner.run(sequences, id, left),
    };
    await queue.work((kind, id, attemptsLeft) => run[kind](id, attemptsLeft));
    const storage = new StorageKeeper(db, files, dataDir);
    const loopback = isLoopback(options.host);
    const token = options.token ?? (loopback ? undefined : randomBytes(18).toString('base64url'));
    app = createApp(
      { db, files, stills, wedges, sequences, runner, events, storage, uploadLimit: options.uploadLimit },
      { answersTo: namesOf(options.host, options.allow ?? []), token },
    );
    const stopDumps = dumpDaily(db, dataDir, log);
    storage.start(log);
    const stopChecks = checkInBackground(db, files, log);
    const { port } = server.address() as AddressInfo;
    return {
      url: `http://${LOCALHOST.includes(options.host) ? 'localhost' : reachedAt(options.host)}:${port}/`,
      link: token ? `?token=${encodeURIComponent(token)}` : '',
      renderPid: () => runner.renderer.pid,
      close: async () => {
        events.close();
        runner.stop();
        await queue.stop();
        server.closeAllConnections();
        await new Promise((done) => server.close(done));
        stopDumps();
        stopChecks();
        await storage.stop();
        await db.close();
      },
    };
  } catch (error) {
    shut();
    await db.close();
    throw error;
  }
}

function openData(dataDir: string, { demo, restore }: ServeOptions, log: (error: Error) => void): Promise<Database> {
  return openDatabase(dataDir, demo ? 'demo' : 'empty', {
    restore,
    say: (line) => log(new Error(line)),
    onLost: () => {
      log(new Error(`${dataDir}: another Daxel has taken this data folder meanwhile. This one ends.`));
      process.exit(1);
    },
  });
}

/** Once a start: what lies on disk is still what was written. @returns a function that ends this */
function checkInBackground(db: Database, files: FileStore, log: (error: Error) => void): () => void {
  const stop = new AbortController();
  const run = async (): Promise<void> => {
    const damaged = await checkStoredFiles(files, stop.signal);
    if (damaged.length === 0) return;
    log(new Error(`${damaged.length} stored files are damaged and were set aside: ${damaged.join(', ')}`));
    await refreshScenes(db, files, (line) => log(new Error(line)));
  };
  const timer = setTimeout(() => run().catch((error: unknown) => log(error as Error)), CHECK_AFTER_MS).unref();
  return () => {
    clearTimeout(timer);
    stop.abort();
  };
}

/** The port is taken before the long part of the start, so that a taken one is told at once. */
function listen(server: Server, { port, host }: ServeOptions): Promise<void> {
  return new Promise((done, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      const reasons: Record<string, string> = {
        EADDRINUSE: `Port ${port} is in use. Stop what uses it, or choose another with --port.`,
        EACCES: `Port ${port} is not allowed for this user. Choose one above 1024 with --port.`,
        EADDRNOTAVAIL: `This machine has no address ${host}.`,
      };
      reject(error.code && reasons[error.code] ? new BadInputError(reasons[error.code]) : error);
    });
    server.listen(port, host, () => done());
  });
}
