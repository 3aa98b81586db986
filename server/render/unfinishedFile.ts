/** What a render that was stopped goes on from, on disk: written whole or not at all, and ignored when it is of no use. */
import { readFile, rm } from 'node:fs/promises';
import { packHistory, unpackHistory, type KeptHistory } from '@daxel/core/frame/keptHistory';
import { packCheckpoint, unpackCheckpoint, type Checkpoint } from '@daxel/core/trace/checkpoint';
import { PATH_SUMS } from '@daxel/core/trace/pathSums';
import { atomicWrite } from '../store/atomicWrite';

interface Form<T> {
  pack: (value: T, key: string) => Uint8Array;
  unpack: (bytes: Uint8Array, key: string) => T;
}
const CHECKPOINT: Form<Checkpoint> = {
  pack: packCheckpoint,
  unpack: (bytes, key) => unpackCheckpoint(bytes, key, PATH_SUMS),
};
const HISTORY: Form<KeptHistory> = { pack: packHistory, unpack: unpackHistory };

/** Of one path-traced frame. @param key names what is rendered; at most 64 ASCII letters */
export function checkpointFile(path: string, key: string): UnfinishedFile<Checkpoint> {
  return new UnfinishedFile(path, key, CHECKPOINT);
}
/** Of a run with temporal accumulation. @param key names what is rendered; at most 64 ASCII letters */
export function historyFile(path: string, key: string): UnfinishedFile<KeptHistory> {
  return new UnfinishedFile(path, key, HISTORY);
}

export class UnfinishedFile<T> {
  private writing: Promise<void> = Promise.resolve();
  private removed = false;

  constructor(
    private readonly path: string,
    private readonly key: string,
    private readonly form: Form<T>,
  ) {}

  /** @returns undefined when there is none, or none that fits: then rendering starts from the beginning */
  async read(): Promise<T | undefined> {
    try {
      return this.form.unpack(await readFile(this.path), this.key);
    } catch {
      return undefined;
    }
  }

  /** Keeps the newest; a disk that is full only costs the way back. */
  write(value: T): void {
    this.writing = this.writing
      .then(() => (this.removed ? undefined : atomicWrite(this.path, this.form.pack(value, this.key))))
      .catch(() => undefined);
  }

  /** Until what was given is on disk. */
  async settled(): Promise<void> {
    await this.writing;
  }

  async remove(): Promise<void> {
    this.removed = true;
    await this.writing;
    await rm(this.path, { force: true });
  }
}
