/** What a frame's file was rendered from, written into it: one that is there already need not be rendered again. */
import { createHash } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import { isExr, readExrHeader } from '@daxel/formats/exr/exrHeader';
import { textOfPng } from '@daxel/formats/png/displayPng';

/** Name of the text in a file that holds the mark, in PNG and EXR alike. */
export const FRAME_TEXT = 'daxelFrame';
/** Grows when the same scene and settings give another picture than before. */
const MARK_VERSION = 1;

/** @param from everything that the picture depends on */
export function frameMark(from: unknown): string {
  const plain = (_key: string, value: unknown): unknown =>
    ArrayBuffer.isView(value) ? [...(value as unknown as Iterable<number>)] : value;
  return createHash('sha256')
    .update(JSON.stringify([MARK_VERSION, from], plain))
    .digest('hex')
    .slice(0, 32);
}

/** @returns null of a file that is not there, is none of ours, or is damaged */
export async function markOf(path: string): Promise<string | null> {
  try {
    if (!(await stat(path)).isFile()) return null;
    const bytes = await readFile(path);
    return isExr(bytes) ? (readExrHeader(bytes, path).texts[FRAME_TEXT] ?? null) : textOfPng(bytes, FRAME_TEXT);
  } catch {
    return null;
  }
}
