import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { BadInputError } from '@daxel/core/errors';
import { temporaryDir } from '../testing/harness';
import { atomicWrite, explainWriteError } from './atomicWrite';
import { FileStore } from './fileStore';

let dir: { path: string; remove: () => void };
beforeEach(() => {
  dir = temporaryDir();
});
afterEach(() => {
  chmodSync(dir.path, 0o700);
  dir.remove();
});

describe('writing', () => {
  it('makes folders on the way, replaces whole files and leaves nothing beside them', async () => {
    const path = join(dir.path, 'a', 'b', 'x.txt');
    await atomicWrite(path, 'one');
    await atomicWrite(path, 'two');
    expect(readFileSync(path, 'utf8')).toBe('two');
    expect(readdirSync(join(dir.path, 'a', 'b'))).toEqual(['x.txt']);
  });

  it('that fails keeps the old file', async () => {
    const path = join(dir.path, 'x');
    mkdirSync(path);
    writeFileSync(join(path, 'inside'), 'kept');
    await expect(atomicWrite(path, 'new')).rejects.toThrow(BadInputError);
    expect(readFileSync(join(path, 'inside'), 'utf8')).toBe('kept');
    expect(readdirSync(dir.path)).toEqual(['x']);
  });

  it.each([
    ['ENOSPC', /disk is full/],
    ['EACCES', /not allowed/],
    ['EROFS', /read-only/],
    ['EDQUOT', /quota/],
  ])('explains %s with the path and the remedy', (code, expected) => {
    const error = explainWriteError(Object.assign(new Error('raw'), { code }), '/out/still.exr');
    expect(error.message).toMatch(/^\/out\/still\.exr: /);
    expect(error.message).toMatch(expected);
  });

  it('passes on what it does not know', () => {
    const odd = Object.assign(new Error('odd'), { code: 'EODD' });
    expect(explainWriteError(odd, 'x')).toBe(odd);
  });
});

describe('the file store', () => {
  it('names files by their contents and keeps each once', async () => {
    const store = new FileStore(join(dir.path, 'files'));
    await store.open();
    const a = await store.put(new TextEncoder().encode('same'));
    const b = await store.put(new TextEncoder().encode('same'));
    const c = await store.put(new TextEncoder().encode('other'));
    expect(a).toEqual(b);
    expect(c.hash).not.toBe(a.hash);
    expect(readFileSync(store.path(a.hash), 'utf8')).toBe('same');
    expect(store.has(c.hash)).toBe(true);
    expect(store.has('0'.repeat(64))).toBe(false);
  });

  it('takes a finished file over by moving it', async () => {
    const store = new FileStore(join(dir.path, 'files'));
    await store.open();
    const from = join(store.temporary, 'still');
    writeFileSync(from, 'picture');
    const { hash, bytes } = await store.adopt(from);
    expect(bytes).toBe(7);
    expect(existsSync(from)).toBe(false);
    expect(readFileSync(store.path(hash), 'utf8')).toBe('picture');
  });

  it('never makes a path from anything but a hash', () => {
    const store = new FileStore(dir.path);
    for (const bad of ['../../etc/passwd', '', 'ABC', `${'a'.repeat(63)}/`, 'a'.repeat(65)])
      expect(() => store.path(bad)).toThrow();
  });

  it('keeps renders that were left half way over a start, until they will not go on', async () => {
    const store = new FileStore(join(dir.path, 'files'));
    await store.open();
    for (const id of ['going', 'gone']) writeFileSync(store.unfinished(id), 'half');
    await store.open();
    await store.dropUnfinished(new Set(['going']));
    expect(readdirSync(join(dir.path, 'files', 'unfinished'))).toEqual(['going']);
    expect(() => store.unfinished('../x')).toThrow();
  });

  it('forgets half-sent files at the start', async () => {
    const store = new FileStore(join(dir.path, 'files'));
    await store.open();
    writeFileSync(join(store.temporary, 'half.upload'), 'x');
    await store.open();
    expect(readdirSync(store.temporary)).toEqual([]);
  });
});
