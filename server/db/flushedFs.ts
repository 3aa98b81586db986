/**
 * The database's files on disk, flushed when it asks for that.
 *
 * Why: the file system that PGlite brings for Node answers every fsync without doing anything, and PGlite tells
 * PostgreSQL not to ask. What was acknowledged would then be lost with the power.
 */
import { closeSync, fsyncSync, openSync } from 'node:fs';
import { PGlite } from '@electric-sql/pglite';
import { NodeFS } from '@electric-sql/pglite/nodefs';

/** An open file or folder of the emulated system. */
export interface FsStream {
  node: unknown;
  /** Of the real system, where it was opened there. */
  nfd?: number;
}
/** What the emulated system calls for files that lie on the real one. */
export interface FsModule {
  NODEFS: {
    realPath(node: unknown): string;
    stream_ops: Record<'read' | 'write', (...all: unknown[]) => unknown> & { fsync?: (stream: FsStream) => number };
    node_ops: Record<string, (...all: never[]) => unknown>;
  };
}

type Init = Awaited<ReturnType<NodeFS['init']>>;

export class FlushedFs extends NodeFS {
  /** @param life one number, counted up at every read and write */
  constructor(
    dir: string,
    private readonly life?: Int32Array,
  ) {
    super(dir);
  }

  override async init(...[pg, options]: Parameters<NodeFS['init']>): Promise<Init> {
    const { emscriptenOpts } = await super.init(pg, options);
    const prepare = (module: unknown): void => this.prepare(module as FsModule);
    return { emscriptenOpts: { ...emscriptenOpts, preRun: [...(emscriptenOpts.preRun ?? []), prepare] } };
  }

  /** Called before the database begins, with the system that it will run on. */
  protected prepare({ NODEFS }: FsModule): void {
    NODEFS.stream_ops.fsync = ({ node, nfd }) => {
      if (nfd !== undefined) fsyncSync(nfd);
      else flushPath(NODEFS.realPath(node));
      return 0;
    };
    const { life } = this;
    if (!life) return;
    for (const name of ['read', 'write'] as const) {
      const run = NODEFS.stream_ops[name];
      NODEFS.stream_ops[name] = (...all: unknown[]) => {
        Atomics.add(life, 0, 1);
        return run(...all);
      };
    }
  }
}

function flushPath(path: string): void {
  const fd = openSync(path, 'r');
  fsyncSync(fd);
  closeSync(fd);
}

/** How PostgreSQL is started: it flushes its log at every commit, and its data at checkpoints. */
export const START_PARAMS: readonly string[] = [
  // -F would turn fsync off
  ...PGlite.defaultStartParams.filter((p) => p !== '-F'),
  // fdatasync, which it would take by itself, never reaches the file system here
  ...['-c', 'fsync=on', '-c', 'wal_sync_method=fsync', '-c', 'synchronous_commit=on', '-c', 'full_page_writes=on'],
  ...['-c', 'shared_buffers=16MB'],
];
