/**
 * One job in a process of its own with limits of time and memory, one job at a time: whatever a file does to it, the
 * server lives on, and gets one clear line.
 */
import { fork } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { constants, setPriority, totalmem } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { entryUrl } from '../entries';
import type { FromLimited } from './answerOnce';

export interface Limits<Reply, Progress = never> {
  timeMs: number;
  /** Bytes that it may hold in memory; a share of the machine's by default. */
  memory?: number;
  /** Stops the job when nobody waits for it any more. */
  signal?: AbortSignal;
  /** Makes a reply of what went wrong, a sentence, when the process gives none. */
  failed: (why: string) => Reply;
  /** Told how far it is. */
  onProgress?: (progress: Progress) => void;
}

const MEMORY_SHARE = 0.6;
const LOOK_MS = 50;
const HEAP_MB = 4096;
const PAGE = 4096;

let last: Promise<unknown> = Promise.resolve();

/** @param entry name of the process's entry: see `answerOnce` */
export function runLimited<Reply, Progress = never>(
  entry: string,
  order: unknown,
  limits: Limits<Reply, Progress>,
): Promise<Reply> {
  // two at once could each stay within the limit and fill the machine together
  const run = last.then(() => (limits.signal?.aborted ? limits.failed(CANCELLED) : runNow(entry, order, limits)));
  last = run.catch(() => undefined);
  return run;
}
const CANCELLED = 'the import was cancelled.';

/**
 * For a job that leaves a file.
 * @param run is given its path; where it throws, nothing is left
 */
export async function intoFile<T>(dir: string, run: (packed: string) => Promise<T>): Promise<T> {
  const packed = join(dir, `${randomUUID()}.packed`);
  try {
    return await run(packed);
  } catch (error) {
    await rm(packed, { force: true });
    throw error;
  }
}

async function runNow<Reply, Progress>(entry: string, order: unknown, limits: Limits<Reply, Progress>): Promise<Reply> {
  const memory = limits.memory ?? MEMORY_SHARE * machineMemory();
  const child = fork(fileURLToPath(entryUrl(entry)), [], {
    serialization: 'advanced',
    execArgv: [`--max-old-space-size=${HEAP_MB}`, '--expose-gc'],
    stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
  });
  let [timer, watch]: (NodeJS.Timeout | undefined)[] = [];
  const cancel = new AbortController();
  const reply = await new Promise<Reply>((resolve) => {
    const fail = (why: string): void => resolve(limits.failed(why));
    timer = setTimeout(() => fail(`reading it took over ${limits.timeMs / 1000} seconds.`), limits.timeMs);
    watch = setInterval(() => {
      if (residentBytes(child.pid) > memory)
        fail(`reading it needs more than ${(memory / 2 ** 30).toFixed(1)} GB of memory.`);
    }, LOOK_MS);
    limits.signal?.addEventListener('abort', () => fail(CANCELLED), { once: true, signal: cancel.signal });
    child.on('message', (message: FromLimited<Reply, Progress>) => {
      if ('reply' in message) resolve(message.reply);
      else limits.onProgress?.(message.progress);
    });
    child.once('error', (error) => fail(`it cannot be read (${error.message}).`));
    child.once('exit', (_code, signal) =>
      fail(signal === 'SIGABRT' ? 'reading it needs too much memory.' : 'reading it ended unexpectedly.'),
    );
    child.send(order as object, (error) => error && fail(`it cannot be read (${error.message}).`));
    if (child.pid !== undefined) lowerPriority(child.pid);
  });
  clearTimeout(timer);
  clearInterval(watch);
  cancel.abort();
  const gone = child.exitCode !== null || child.signalCode !== null || child.pid === undefined;
  child.kill('SIGKILL');
  // what it wrote is looked at only when it writes no more
  if (!gone) await new Promise((done) => child.once('exit', done));
  return reply;
}

function lowerPriority(pid: number): void {
  try {
    setPriority(pid, constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // it has ended already, which is told elsewhere
  }
}

function machineMemory(): number {
  const most = process.constrainedMemory?.() ?? 0;
  return most > 0 && most < totalmem() ? most : totalmem();
}

/** Bytes in memory; 0 where that cannot be told. */
function residentBytes(pid: number | undefined): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'latin1').split(' ')[1]) * PAGE;
  } catch {
    return 0;
  }
}
