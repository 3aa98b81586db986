/** What lies on disk, by kind, and letting go of what nothing holds: rows mark, and files without a mark are swept. */
import { readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Storage, StorageKind } from '@daxel/api/schemas';
import type { Database } from '../db/database';
import { DAYS_KEPT } from '../db/dumps';
import { nowAndThen } from '../nowAndThen';
import { heldFiles, purgeDeleted } from '../sql/held';
import type { FileStore } from './fileStore';

/** A file lies there a moment before the row that holds it does, a picture around a scene until its rig is saved. */
const YOUNG_MS = 60 * 60_000;
/** What a row held until now waits for no row of its own: another may be about to hold the same. */
const HELD_MS = 5000;
const FIRST_MS = 60_000;
const AGAIN_MS = 6 * 60 * 60_000;

interface StoredPart {
  path: string;
  /** Null of what is left of a write that was broken off. */
  hash: string | null;
  bytes: number;
  changedAt: number;
}

export class StorageKeeper {
  private stopSweeping = (): void => undefined;
  private busy: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly db: Database,
    private readonly files: FileStore,
    private readonly dataDir: string,
  ) {}

  /** Sweeps now and then. */
  start(log: (error: Error) => void): void {
    this.stopSweeping = nowAndThen(FIRST_MS, AGAIN_MS, () => this.sweep(DAYS_KEPT), log);
  }

  stop(): Promise<unknown> {
    this.stopSweeping();
    return this.busy;
  }

  /** Bytes by kind. */
  async usage(): Promise<Storage> {
    const held = await heldFiles(this.db);
    const kinds = new Map<StorageKind, { bytes: number; files: number }>();
    const add = (kind: StorageKind, bytes: number, files = 1): void => {
      const sum = kinds.get(kind) ?? { bytes: 0, files: 0 };
      kinds.set(kind, { bytes: sum.bytes + bytes, files: sum.files + files });
    };
    for (const { hash, bytes, changedAt } of await this.parts()) {
      const holder = hash === null ? undefined : held.get(hash);
      if (holder) add(holder.deleted ? 'deleted' : holder.kind, bytes);
      else add(isYoung(changedAt) ? 'new' : 'unused', bytes);
    }
    const baked = await sizeOf(this.files.baked).catch(() => null);
    if (baked && baked[1] > 0) add('baked', ...baked);
    for (const name of await readdir(this.dataDir)) {
      const kind: StorageKind | null =
        name === 'postgres' ? 'database' : name === 'dumps' || name.startsWith('postgres.') ? 'dumps' : null;
      if (kind) add(kind, ...(await sizeOf(join(this.dataDir, name))));
    }
    const free = ['deleted', 'unused'].reduce((sum, kind) => sum + (kinds.get(kind as StorageKind)?.bytes ?? 0), 0);
    return { kinds: [...kinds].map(([kind, sum]) => ({ kind, ...sum })), free };
  }

  /**
   * @param days for which what was deleted can still be brought back
   * @returns bytes that were freed
   */
  sweep(days: number): Promise<number> {
    const run = this.busy.then(() => this.sweepNow(days));
    this.busy = run.catch(() => undefined);
    return run;
  }

  private async sweepNow(days: number): Promise<number> {
    const before = await heldFiles(this.db);
    await purgeDeleted(this.db, days);
    // files first: a row that is written meanwhile holds one that is young
    const parts = await this.parts();
    const held = await heldFiles(this.db);
    let freed = 0;
    for (const { path, hash, bytes } of parts) {
      if (hash !== null && held.has(hash)) continue;
      // it may have been put there again just now
      const now = await stat(path).catch(() => null);
      const grace = hash !== null && before.has(hash) ? HELD_MS : YOUNG_MS;
      if (!now || isYoung(now.mtimeMs, grace)) continue;
      await rm(path, { force: true });
      freed += bytes;
    }
    return freed;
  }

  private async parts(): Promise<StoredPart[]> {
    const parts: StoredPart[] = [];
    for await (const { path, hash } of this.files.entries()) {
      const found = await stat(path).catch(() => null);
      if (found?.isFile()) parts.push({ path, hash, bytes: found.size, changedAt: found.mtimeMs });
    }
    return parts;
  }
}

/** A clock that was set back must not make everything young for ever. */
function isYoung(changedAt: number, grace = YOUNG_MS): boolean {
  return Math.abs(Date.now() - changedAt) < grace;
}

/** Bytes and files of a folder with all below it. */
async function sizeOf(dir: string): Promise<[number, number]> {
  let [bytes, files] = [0, 0];
  for (const entry of await readdir(dir, { withFileTypes: true, recursive: true })) {
    if (!entry.isFile()) continue;
    bytes += (await stat(join(entry.parentPath ?? entry.path, entry.name)).catch(() => null))?.size ?? 0;
    files++;
  }
  return [bytes, files];
}
