/** The checkpoint of one path-traced frame on disk: written whole or not at all, and ignored when it is of no use. */
import { readFile, rm } from 'node:fs/promises';
import { packCheckpoint, unpackCheckpoint, type Checkpoint } from '@daxel/core/trace/checkpoint';
import { PATH_SUMS } from '@daxel/core/trace/pathSums';
import { atomicWrite } from '../store/atomicWrite';

export class UnfinishedFile {
  private writing: Promise<void> = Promise.resolve();
  private removed = false;

  /** @param key names what is rendered; at most 64 ASCII letters */
  constructor(
    private readonly path: string,
    private readonly key: string,
  ) {}

  /** @returns undefined when there is none, or none that fits: then rendering starts from the beginning */
  async read(): Promise<Checkpoint | undefined> {
    try {
      return unpackCheckpoint(await readFile(this.path), this.key, PATH_SUMS);
    } catch {
      return undefined;
    }
  }

  /** Keeps the newest; a disk that is full only costs the way back. */
  write(checkpoint: Checkpoint): void {
    this.writing = this.writing
      .then(() => (this.removed ? undefined : atomicWrite(this.path, packCheckpoint(checkpoint, this.key))))
      .catch(() => undefined);
  }

  async remove(): Promise<void> {
    this.removed = true;
    await this.writing;
    await rm(this.path, { force: true });
  }
}
