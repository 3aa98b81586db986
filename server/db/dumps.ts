/** Copies of the database beside it: one a day, the last seven kept, and one before it is brought up to a newer version. */
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import { nowAndThen } from '../nowAndThen';
import { atomicWrite } from '../store/atomicWrite';
import type { Database } from './database';

/** Days that dumps go back. What is deleted stays on disk at least as long, so that an old dump finds its files. */
export const DAYS_KEPT = 7;
const DAILY = /^(\d{4}-\d\d-\d\d)\.tar\.gz$/;
const ANY = /^(?:before-step-\d+ )?(\d{4}-\d\d-\d\d)\.tar\.gz$/;

export interface Dump {
  path: string;
  /** YYYY-MM-DD, UTC. */
  day: string;
  /** Or made before an upgrade. */
  daily: boolean;
}

const dumpsOf = (dir: string): string => join(dir, 'dumps');
const dayOf = (now: Date): string => now.toISOString().slice(0, 10);

/** Every dump of a data folder, the newest first. */
export async function listDumps(dir: string): Promise<Dump[]> {
  const names = await readdir(dumpsOf(dir)).catch(() => []);
  const found = names.flatMap((name) => {
    const day = ANY.exec(name)?.[1];
    return day ? [{ path: join(dumpsOf(dir), name), day, daily: DAILY.test(name) }] : [];
  });
  // of one day, the daily one is made after an upgrade
  return found.sort((a, b) => b.day.localeCompare(a.day) || Number(b.daily) - Number(a.daily));
}

export async function dumpIsDue(dir: string, now: Date): Promise<boolean> {
  return !(await listDumps(dir)).some((d) => d.daily && d.day === dayOf(now));
}

/** @param tar all files of the database, which is at rest */
export async function keepDaily(dir: string, tar: Uint8Array, now: Date): Promise<void> {
  await write(join(dumpsOf(dir), `${dayOf(now)}.tar.gz`), tar);
  const daily = (await listDumps(dir)).filter((d) => d.daily);
  for (const { path } of daily.slice(DAYS_KEPT)) await rm(path, { force: true });
}

/** @param step number of the migration that comes next */
export async function keepBefore(dir: string, step: number, tar: Uint8Array, now: Date): Promise<void> {
  await write(join(dumpsOf(dir), `before-step-${step} ${dayOf(now)}.tar.gz`), tar);
}

/** After a start there is enough to do without. */
const FIRST_MS = 20_000;
const AGAIN_MS = 60 * 60_000;

/** Makes the day's dump while the server runs. @returns a function that ends this */
export function dumpDaily(db: Pick<Database, 'dump'>, dir: string, log: (error: Error) => void): () => void {
  const look = async (): Promise<void> => {
    const now = new Date();
    if (await dumpIsDue(dir, now)) await keepDaily(dir, await db.dump(), now);
  };
  return nowAndThen(FIRST_MS, AGAIN_MS, look, log);
}

async function write(path: string, tar: Uint8Array): Promise<void> {
  await atomicWrite(path, await promisify(gzip)(tar, { level: 6 }));
}
