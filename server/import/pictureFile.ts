/** An environment picture file → a stored picture, read in a process with limits. */
import type { SplitSun } from '@daxel/core/light/surroundings/splitSun';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import { intoFile, runLimited } from './runLimited';

export interface ImportedPicture {
  /** Path of the picture as `packPicture` lays it out, which whoever asked for it takes over. */
  packed: string;
  /** SHA-256 of it. */
  hash: string;
  width: number;
  height: number;
  /** What was repaired. */
  notes: string[];
  /** A sun that stands out of it, or null. */
  sun: SplitSun | null;
}
export type PictureReply = { ok: true; picture: ImportedPicture } | { ok: false; code: string; message: string };

export interface PictureOrder {
  path: string;
  name: string;
  /** Agreed to for pictures that are too wide as they are. */
  width?: number;
  /** Where the picture is written. */
  packed: string;
}

const TIME_LIMIT_MS = 60_000;

/**
 * @param outDir where the packed picture is left
 * @param width agreed to for pictures that are too wide as they are
 * @throws BadFileError; DaxelError 'too-wide' with what is offered
 */
export async function importPicture(
  path: string,
  name: string,
  outDir: string,
  width?: number,
  signal?: AbortSignal,
): Promise<ImportedPicture> {
  return intoFile(outDir, async (packed) => {
    const failed = (why: string): PictureReply => ({
      ok: false,
      code: 'bad-file',
      message: `${name}: ${why} Save the picture smaller.`,
    });
    const order: PictureOrder = { path, name, width, packed };
    const reply = await runLimited<PictureReply>('pictureProcess', order, { timeMs: TIME_LIMIT_MS, signal, failed });
    if (reply.ok) return reply.picture;
    if (reply.code === 'bad-file') throw Object.assign(new BadFileError(name, '', ''), { message: reply.message });
    throw new DaxelError(reply.code, reply.message);
  });
}
