/** Baked probes on disk, by what they depend on: the oldest go when there are too many. They can always be baked again. */
import { mkdir, readdir, readFile, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { isWorthKeeping, packProbes, probeFileName, unpackProbes } from '@daxel/core/frame/probeFile';
import type { ProbeStore } from '@daxel/core/frame/probeStore';
import { atomicWrite } from './atomicWrite';

/** Bytes of all together. */
const MOST_BYTES = 2 ** 29;

export class ProbeShelf implements ProbeStore {
  constructor(
    private readonly dir: string,
    private readonly mostBytes = MOST_BYTES,
  ) {}

  private path(name: string): string {
    if (!/^[0-9a-f]{16}$/.test(name)) throw new Error('not the name of probes');
    return join(this.dir, name);
  }

  async load(key: string): Promise<Float32Array | null> {
    const file = await this.read(probeFileName(key));
    return file?.key === key ? file.probes : null;
  }

  /** @returns null where they are not there, or damaged */
  async read(name: string): Promise<{ key: string; probes: Float32Array; bytes: Buffer } | null> {
    const bytes = await readFile(this.path(name)).catch(() => null);
    if (!bytes) return null;
    const file = unpackProbes(bytes);
    const now = new Date();
    // what is in use is not the oldest
    if (file) await utimes(this.path(name), now, now).catch(() => undefined);
    else await rm(this.path(name), { force: true });
    return file && { ...file, bytes };
  }

  /** A full disk is no reason to fail: they are baked again then. */
  async save(key: string, probes: Float32Array): Promise<void> {
    if (!isWorthKeeping(key)) return;
    await this.put(probeFileName(key), packProbes(key, probes)).catch(() => undefined);
  }

  /** Takes a file from elsewhere. @throws BadInputError where it is none, or not what its name says */
  async take(name: string, bytes: Uint8Array): Promise<void> {
    const file = unpackProbes(bytes);
    if (!file || probeFileName(file.key) !== name)
      throw new BadInputError(`${name}: these are no probes of this version. Reload the page and bake them again.`);
    await this.put(name, bytes);
  }

  private async put(name: string, bytes: Uint8Array): Promise<void> {
    await mkdir(this.dir, { recursive: true });
    await this.makeRoom(this.mostBytes - bytes.length);
    await atomicWrite(this.path(name), bytes, this.dir);
  }

  /** Lets go of the oldest until the others are no more than so many bytes. */
  private async makeRoom(most: number): Promise<void> {
    const found = await Promise.all(
      (await readdir(this.dir)).map(async (name) => {
        const path = join(this.dir, name);
        const { size, mtimeMs } = await stat(path).catch(() => ({ size: 0, mtimeMs: 0 }));
        return { path, size, mtimeMs };
      }),
    );
    let bytes = found.reduce((sum, f) => sum + f.size, 0);
    for (const { path, size } of found.sort((a, b) => a.mtimeMs - b.mtimeMs)) {
      if (bytes <= most) break;
      await rm(path, { force: true });
      bytes -= size;
    }
  }
}
