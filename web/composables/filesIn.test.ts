import { describe, expect, it } from 'vitest';
import { filesIn } from './filesIn';

type Given = { name: string; folder?: boolean; broken?: boolean };
/** A folder whose reader gives so many entries at a time. */
function folderOf(entries: Given[], at = 2): FileSystemDirectoryEntry {
  const rest = entries.map(({ name, folder, broken }) => ({
    isFile: !folder,
    file: (done: (f: File) => void, failed: (e: Error) => void) =>
      broken ? failed(new Error(`${name} cannot be read.`)) : done(new File(['x'], name)),
  }));
  return {
    createReader: () => ({ readEntries: (done: (part: unknown[]) => void) => done(rest.splice(0, at)) }),
  } as unknown as FileSystemDirectoryEntry;
}

describe('files in a dropped folder', () => {
  it('are all of them, however many the browser gives at once, but not those of folders within', async () => {
    const names = ['f.1.png', 'f.2.png', 'f.3.png', 'f.4.png', 'f.5.png'].map((name) => ({ name }));
    const given = [...names.slice(0, 2), { name: 'old', folder: true }, ...names.slice(2)];
    const files = await filesIn(folderOf(given));
    expect(files.map((f) => f.name)).toEqual(names.map((n) => n.name));
  });

  it('are none in an empty one', async () => expect(await filesIn(folderOf([]))).toEqual([]));

  it('that cannot be read are told', async () =>
    expect(filesIn(folderOf([{ name: 'a.png' }, { name: 'b.png', broken: true }]))).rejects.toThrow('b.png'));
});
