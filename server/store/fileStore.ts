/** Files named by the SHA-256 of their contents: written once, never changed. */
import { createHash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { mkdir, open, readdir, rename, rm, stat, utimes } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { atomicWrite, explainWriteError, flushFolder, makeFolder } from './atomicWrite';

export interface StoredFile {
  hash: string;
  bytes: number;
}

export class FileStore {
  /** @param dir made when missing */
  constructor(readonly dir: string) {}

  /** For uploads on their way in; cleared at every start. */
  get temporary(): string {
    return join(this.dir, 'incoming');
  }

  /** Where baked light is kept, which can be baked again. */
  get baked(): string {
    return join(this.dir, 'baked');
  }

  /** Where a render is kept half way; outlives a restart. */
  unfinished(id: string): string {
    if (!/^[\w-]+$/.test(id)) throw new Error('not an id');
    return join(this.dir, 'unfinished', id);
  }

  async dropOne(id: string): Promise<void> {
    await rm(this.unfinished(id), { force: true });
  }

  /** Removes what was kept half way of renders that will not go on. */
  async dropUnfinished(goOn: ReadonlySet<string>): Promise<void> {
    for (const name of await readdir(join(this.dir, 'unfinished')))
      if (!goOn.has(name)) await rm(join(this.dir, 'unfinished', name), { force: true });
  }

  async open(): Promise<void> {
    await mkdir(join(this.dir, 'unfinished'), { recursive: true });

    await rm(this.temporary, { recursive: true, force: true });
    await mkdir(this.temporary, { recursive: true });
  }

  path(hash: string): string {
    if (!/^[0-9a-f]{64}$/.test(hash)) throw new Error('not a file hash');
    return join(this.dir, hash.slice(0, 2), hash);
  }

  /** Everything in the store, what a write that was broken off has left included: that has no hash. */
  async *entries(): AsyncGenerator<{ path: string; hash: string | null }> {
    const shards = (await readdir(this.dir, { withFileTypes: true })).filter(
      (entry) => entry.isDirectory() && /^[0-9a-f]{2}$/.test(entry.name),
    );
    for (const shard of shards)
      for (const name of await readdir(join(this.dir, shard.name)))
        yield { path: join(this.dir, shard.name, name), hash: /^[0-9a-f]{64}$/.test(name) ? name : null };
  }

  has(hash: string): boolean {
    return existsSync(this.path(hash));
  }

  /** Whether a file is there and as long as it was. */
  async isWhole({ hash, bytes }: StoredFile): Promise<boolean> {
    return (await stat(this.path(hash)).catch(() => null))?.size === bytes;
  }

  /** @param known hash of the bytes, when it has been worked out elsewhere */
  async put(bytes: Uint8Array, known?: string): Promise<StoredFile> {
    const hash = known ?? createHash('sha256').update(bytes).digest('hex');
    // one that is there already is as new as what is about to hold it: nobody may sweep it before that
    const now = new Date();
    if (this.has(hash)) await utimes(this.path(hash), now, now);
    else await atomicWrite(this.path(hash), bytes, this.dir);
    return { hash, bytes: bytes.length };
  }

  /**
   * Takes over a finished file, which must lie on the same disk.
   * @param known hash of its bytes, when it has been worked out elsewhere
   */
  async adopt(from: string, known?: string): Promise<StoredFile> {
    const hash = known ?? (await hashOfFile(from));
    const { size } = await stat(from);
    const to = this.path(hash);
    try {
      await makeFolder(dirname(to));
      // its row is written next, and must not outlive it
      const file = await open(from, 'r+');
      await file.datasync().finally(() => file.close());
      await rename(from, to);
      await flushFolder(dirname(to));
    } catch (error) {
      throw explainWriteError(error, this.dir);
    }
    return { hash, bytes: size };
  }
}

export async function hashOfFile(path: string): Promise<string> {
  const digest = createHash('sha256');
  for await (const chunk of createReadStream(path)) digest.update(chunk as Buffer);
  return digest.digest('hex');
}
