/**
 * One process a data folder: two that opened the same database would lose rows without a word.
 *
 * On one machine a socket tells, which the kernel frees when its process dies. Containers and other machines that share
 * the folder do not see it: for them a file in the folder is written again and again, and who finds it watches whether
 * that goes on. Clocks are not asked.
 */
import { createHash, randomUUID } from 'node:crypto';
import { readlinkSync, readFileSync } from 'node:fs';
import { readFile, realpath, rename, rm, writeFile } from 'node:fs/promises';
import { createServer } from 'node:net';
import { hostname, tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { z } from 'zod';
import { BadInputError } from '@daxel/core/errors';

export interface LockOptions {
  /** What sees the same sockets as this process; tests give another. */
  place?: string;
  /** Told what is waited for. */
  say?: (line: string) => void;
  /** Called when another process has taken the folder meanwhile, as after a long sleep of this one. */
  onLost?: () => void;
  /** Milliseconds between two beats, and for which a beat is waited for. */
  beatMs?: number;
  watchMs?: number;
}

const BEAT_MS = 3000;
const WATCH_MS = 8000;
const LOOK_MS = 100;

const beatFile = z.object({
  token: z.string(),
  place: z.string(),
  host: z.string(),
  pid: z.number(),
  beat: z.number(),
});
type Beat = z.infer<typeof beatFile>;

/**
 * Takes the lock of a folder.
 * @returns a function that gives it back
 * @throws BadInputError when another process holds it
 */
export async function takeLock(dir: string, options: LockOptions = {}): Promise<() => Promise<void>> {
  const place = options.place ?? placeOfSockets();
  const closeSocket = await takeSocket(dir, place);
  try {
    const stop = await takeFile(dir, place, options);
    return async () => {
      await stop();
      await closeSocket();
    };
  } catch (error) {
    await closeSocket();
    throw error;
  }
}

async function takeSocket(dir: string, place: string): Promise<() => Promise<void>> {
  const hash = createHash('sha256').update(await realpath(dir));
  // on Linux sockets of other places are out of reach anyway: the name tells places apart for tests alone
  const name = hash.update(place).digest('hex').slice(0, 40);
  const path = process.platform === 'linux' ? `\0daxel-${name}` : join(tmpdir(), `daxel-${name}.sock`);
  const server = createServer();
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? taken(dir, 'another Daxel') : error),
    );
    server.listen(path, resolve);
  });
  server.unref();
  return () => new Promise((resolve) => server.close(() => resolve()));
}

async function takeFile(dir: string, place: string, options: LockOptions): Promise<() => Promise<void>> {
  const { beatMs = BEAT_MS, watchMs = WATCH_MS, onLost, say } = options;
  const path = join(dir, 'daxel.lock');
  const own: Beat = { token: randomUUID(), place, host: hostname(), pid: process.pid, beat: 0 };
  const found = await readBeat(path);
  if (found && found.place !== place)
    say?.(`${dir} was left open on ${found.host}. Looking for up to ${watchMs / 1000} seconds whether it is in use…`);
  // of one of this place the socket has told that it is gone
  if (found && found.place !== place && (await goesOn(path, found, watchMs)))
    throw taken(dir, `another Daxel, on ${found.host},`);
  await writeBeat(path, own);
  // of two that found a dead one at the same time the last one to write has it
  if (found && found.place !== place) await wait(2 * LOOK_MS);
  if ((await readBeat(path))?.token !== own.token) throw taken(dir, 'another Daxel');

  let stopped = false;
  let beating: Promise<void> = Promise.resolve();
  const beat = async (): Promise<void> => {
    const now = await readBeat(path).catch(() => own);
    if (stopped) return;
    if (now && now.token !== own.token) {
      stopped = true;
      clearInterval(timer);
      return onLost?.();
    }
    own.beat++;
    // a full disk is told where something is to be kept on it
    await writeBeat(path, own).catch(() => undefined);
  };
  const timer = setInterval(() => (beating = beat()), beatMs);
  timer.unref();
  return async () => {
    const lost = stopped;
    stopped = true;
    clearInterval(timer);
    await beating;
    if (!lost) await rm(path, { force: true });
  };
}

/** Whether whoever wrote a beat writes another. */
async function goesOn(path: string, { token, beat }: Beat, ms: number): Promise<boolean> {
  const end = performance.now() + ms;
  while (performance.now() < end) {
    await wait(LOOK_MS);
    const now = await readBeat(path);
    if (!now) return false;
    if (now.token !== token || now.beat !== beat) return true;
  }
  return false;
}

/** @returns null where there is none, or none that can be read */
async function readBeat(path: string): Promise<Beat | null> {
  try {
    return beatFile.parse(JSON.parse(await readFile(path, 'utf8')));
  } catch {
    return null;
  }
}

async function writeBeat(path: string, beat: Beat): Promise<void> {
  const part = `${path}.${beat.token.slice(0, 8)}.part`;
  await writeFile(part, JSON.stringify(beat));
  await rename(part, path);
}

function taken(dir: string, who: string): BadInputError {
  return new BadInputError(`${dir}: ${who} is running with this data folder. Stop it, or choose another with --data.`);
}

/** Names what shares its sockets and processes with this one: a machine since it was started, or a container on it. */
export function placeOfSockets(): string {
  if (process.platform !== 'linux') return hostname();
  return [
    hostname(),
    readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim(),
    readlinkSync('/proc/self/ns/net'),
  ].join(' ');
}
