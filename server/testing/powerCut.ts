/**
 * What a power cut leaves of a database: everything that was written and flushed, and of the rest any part. Names of
 * files are kept in order, as journalling file systems do.
 */
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { FlushedFs, type FsModule, type FsStream } from '../db/flushedFs';

type Change =
  | { kind: 'write'; path: string; position: number; bytes: Uint8Array }
  | { kind: 'size'; path: string; size: number }
  | { kind: 'flush' | 'remove'; path: string }
  | { kind: 'make'; path: string; folder: boolean }
  | { kind: 'rename'; path: string; to: string }
  /** The database has said that so many rows are kept. */
  | { kind: 'acknowledged'; rows: number };

const IS_FOLDER = 0o040000;
const KIND_MASK = 0o170000;

/** The database's files, and every change to them in order. */
export class RecordedFs extends FlushedFs {
  readonly changes: Change[] = [];

  protected override prepare(module: FsModule): void {
    super.prepare(module);
    const { stream_ops: stream, node_ops: node } = module.NODEFS;
    const path = (n: unknown): string => relative(this.rootDir, module.NODEFS.realPath(n));
    const child = (parent: unknown, name: unknown): string => join(path(parent), String(name));
    const before = (ops: Record<string, unknown>, name: string, note: (...all: never[]) => void): void => {
      const run = ops[name] as (...all: unknown[]) => unknown;
      ops[name] = (...all: unknown[]) => {
        note(...(all as never[]));
        return run(...all);
      };
    };
    before(stream, 'write', (s: FsStream, buffer: Uint8Array, offset: number, length: number, position: number) =>
      this.changes.push({
        kind: 'write',
        path: path(s.node),
        position,
        bytes: Uint8Array.prototype.slice.call(new Uint8Array(buffer.buffer, buffer.byteOffset + offset, length)),
      }),
    );
    before(stream, 'fsync', (s: FsStream) => this.changes.push({ kind: 'flush', path: path(s.node) }));
    before(node, 'setattr', (n: unknown, { size }: { size?: number }) => {
      if (size !== undefined) this.changes.push({ kind: 'size', path: path(n), size });
    });
    before(node, 'mknod', (parent: unknown, name: unknown, mode: number) =>
      this.changes.push({ kind: 'make', path: child(parent, name), folder: (mode & KIND_MASK) === IS_FOLDER }),
    );
    before(node, 'rename', (n: unknown, to: unknown, name: unknown) =>
      this.changes.push({ kind: 'rename', path: path(n), to: child(to, name) }),
    );
    for (const name of ['unlink', 'rmdir'])
      before(node, name, (parent: unknown, file: unknown) =>
        this.changes.push({ kind: 'remove', path: child(parent, file) }),
      );
  }
}

interface KeptFile {
  bytes: Uint8Array;
  unflushed: Change[];
}

/**
 * Lays the folder as the disk has it after the first `count` changes.
 * @param before the folder before the first of them
 * @param survives whether a write that nobody flushed is on the disk all the same
 * @returns rows that were acknowledged until then
 */
export function layAfterCut(
  before: string,
  changes: readonly Change[],
  count: number,
  survives: () => boolean,
  to: string,
): number {
  rmSync(to, { recursive: true, force: true });
  cpSync(before, to, { recursive: true });
  const files = new Map<string, KeptFile>();
  const fileAt = (path: string): KeptFile => {
    let file = files.get(path);
    if (!file) files.set(path, (file = { bytes: readFileSync(join(to, path)), unflushed: [] }));
    return file;
  };
  let rows = 0;
  for (const change of changes.slice(0, count)) {
    if (change.kind === 'acknowledged') {
      rows = change.rows;
      continue;
    }
    const { path } = change;
    if (change.kind === 'write' || change.kind === 'size') fileAt(path).unflushed.push(change);
    else if (change.kind === 'make' && change.folder) mkdirSync(join(to, path), { recursive: true });
    else if (change.kind === 'make') {
      writeFileSync(join(to, path), '');
      files.set(path, { bytes: new Uint8Array(), unflushed: [] });
    } else if (change.kind === 'remove') {
      files.delete(path);
      rmSync(join(to, path), { recursive: true, force: true });
    } else if (change.kind === 'rename') {
      const file = fileAt(path);
      files.delete(path);
      files.set(change.to, file);
      rmSync(join(to, path), { force: true });
    } else if (files.has(path)) settle(fileAt(path), () => true);
  }
  for (const [path, file] of files) {
    settle(file, survives);
    mkdirSync(dirname(join(to, path)), { recursive: true });
    writeFileSync(join(to, path), file.bytes);
  }
  return rows;
}

/** Brings to disk what of a file is not on it yet. */
function settle(file: KeptFile, survives: () => boolean): void {
  for (const change of file.unflushed) {
    if (change.kind === 'size') file.bytes = sized(file.bytes, change.size);
    else if (change.kind === 'write' && survives()) {
      const end = change.position + change.bytes.length;
      if (end > file.bytes.length) file.bytes = sized(file.bytes, end);
      file.bytes.set(change.bytes, change.position);
    }
  }
  file.unflushed = [];
}

function sized(bytes: Uint8Array, size: number): Uint8Array {
  if (size <= bytes.length) return bytes.slice(0, size);
  const grown = new Uint8Array(size);
  grown.set(bytes);
  return grown;
}
