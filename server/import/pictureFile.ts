/** An environment picture file → a stored picture, read in a thread with limits. */
import type { SplitSun } from '@daxel/core/light/splitSun';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import { runLimited } from './runLimited';

export interface ImportedPicture {
  /** As `packPicture` lays it out. */
  packed: Uint8Array;
  width: number;
  height: number;
  /** What was repaired. */
  notes: string[];
  /** A sun that stands out of it, or null. */
  sun: SplitSun | null;
}
export type PictureReply = { ok: true; picture: ImportedPicture } | { ok: false; code: string; message: string };

const TIME_LIMIT_MS = 60_000;

/**
 * @param width agreed to for pictures that are too wide as they are
 * @throws BadFileError; DaxelError 'too-wide' with what is offered
 */
export async function importPicture(
  path: string,
  name: string,
  width?: number,
  signal?: AbortSignal,
): Promise<ImportedPicture> {
  const reply = await runLimited<PictureReply>(
    'pictureThread',
    { path, name, width },
    TIME_LIMIT_MS,
    signal,
    (why) => ({
      ok: false,
      code: 'bad-file',
      message: `${name}: ${why} Save the picture smaller.`,
    }),
  );
  if (reply.ok) return reply.picture;
  if (reply.code === 'bad-file') throw Object.assign(new BadFileError(name, '', ''), { message: reply.message });
  throw new DaxelError(reply.code, reply.message);
}
