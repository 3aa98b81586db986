/** All files of a dropped folder, not of the folders within it. */
export async function filesIn(folder: FileSystemDirectoryEntry): Promise<File[]> {
  const reader = folder.createReader();
  const files: File[] = [];
  for (;;) {
    // a reader gives its entries in parts, and none when there are no more
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (part.length === 0) return files;
    for (const entry of part)
      if (entry.isFile)
        files.push(await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)));
  }
}
