import { describe, expect, it } from 'vitest';
import { formatBytes, formatDate, formatDuration, formatMs, formatPercent } from './format';
import { filesIn } from './filesIn';

describe('figures as they are shown', () => {
  it.each([
    [0.0004, '0.4 ms'],
    [0.00996, '10 ms'],
    [0.25, '250 ms'],
    [0.9994, '999 ms'],
    [0.9996, '1.00 s'],
    [9.949, '9.95 s'],
    [9.96, '10.0 s'],
    [75, '75.0 s'],
  ])('%d seconds of rendering are %s', (seconds, text) => {
    expect(formatMs(seconds)).toBe(text);
  });

  it.each([
    [0, '0.0 MB'],
    [1, '1 kB'],
    [40_000, '39 kB'],
    [5 * 2 ** 20, '5.0 MB'],
    [200 * 2 ** 20, '200 MB'],
    [2 ** 30 - 1, '1.0 GB'],
    [3.25 * 2 ** 30, '3.3 GB'],
  ])('%d bytes are %s', (bytes, text) => {
    expect(formatBytes(bytes)).toBe(text);
  });

  it.each([
    [-3, '0 s'],
    [59.4, '59 s'],
    [59.6, '1 min 00 s'],
    [75, '1 min 15 s'],
    [3599.7, '1 h 00 min'],
    [7 * 3600 + 125, '7 h 02 min'],
  ])('%d seconds to go are %s', (seconds, text) => {
    expect(formatDuration(seconds)).toBe(text);
  });

  it.each([
    [0, '0.0 %'],
    [0.0123, '1.2 %'],
    [0.0996, '10 %'],
    [0.1234, '12 %'],
    [-0.34, '-34 %'],
  ])('a share of %d is %s', (share, text) => {
    expect(formatPercent(share)).toBe(text);
  });

  it('names a day without doubt which number is the month', () => {
    expect(formatDate('2026-03-04T12:00:00Z')).toMatch(/4 Mar 2026/);
  });
});

describe('a dropped folder', () => {
  const file = (name: string) => ({ isFile: true, file: (done: (f: File) => void) => done(new File([], name)) });
  /** A reader gives its entries in parts, and none when there are no more. */
  const folder = (parts: unknown[][]): FileSystemDirectoryEntry => {
    const left = [...parts, []];
    return {
      createReader: () => ({ readEntries: (done: (part: unknown) => void) => done(left.shift()) }),
    } as unknown as FileSystemDirectoryEntry;
  };

  it('is read to its end, without the folders in it', async () => {
    const found = await filesIn(folder([[file('a.1.exr'), { isFile: false }], [file('a.2.exr')]]));
    expect(found.map((f) => f.name)).toEqual(['a.1.exr', 'a.2.exr']);
    expect(await filesIn(folder([]))).toEqual([]);
  });

  it('that cannot be read says why', async () => {
    const broken = {
      createReader: () => ({ readEntries: (_: unknown, fail: (e: Error) => void) => fail(new Error('no right to')) }),
    } as unknown as FileSystemDirectoryEntry;
    await expect(filesIn(broken)).rejects.toThrow('no right to');
  });
});
