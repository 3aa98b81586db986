/** Hands something to the artist as a file. */
export function saveBlob(name: string, blob: Blob): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

export function saveText(name: string, text: string, type = 'application/json'): void {
  saveBlob(name, new Blob([text], { type }));
}
