/** Entry of the process that reads one environment picture. */
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { DaxelError } from '@daxel/core/errors';
import { splitSun } from '@daxel/core/light/surroundings/splitSun';
import { readEnvironment } from '@daxel/formats/environment/readEnvironment';
import { packPicture } from '@daxel/formats/environment/storedPicture';
import { inflate } from '../inflate';
import { answerOnce } from './answerOnce';
import type { PictureOrder, PictureReply } from './pictureFile';

answerOnce(({ path, name, width, packed }: PictureOrder): PictureReply => {
  try {
    const { picture, notes } = readEnvironment(readFileSync(path), name, inflate, width);
    const bytes = packPicture(picture);
    writeFileSync(packed, bytes);
    const hash = createHash('sha256').update(bytes).digest('hex');
    const { width: w, height: h } = picture;
    return { ok: true, picture: { packed, hash, width: w, height: h, notes, sun: splitSun(picture) } };
  } catch (error) {
    if (error instanceof DaxelError) return { ok: false, code: error.code, message: error.message };
    return { ok: false, code: 'bad-file', message: `${name}: it cannot be read (${(error as Error).message}).` };
  }
});
