/** Entry of the thread that reads one environment picture. */
import { readFileSync } from 'node:fs';
import { parentPort, workerData } from 'node:worker_threads';
import { inflateSync } from 'node:zlib';
import { DaxelError } from '@daxel/core/errors';
import { splitSun } from '@daxel/core/light/splitSun';
import { readEnvironment } from '@daxel/formats/environment/readEnvironment';
import { packPicture } from '@daxel/formats/environment/storedPicture';
import type { PictureReply } from './pictureFile';

const { path, name, width } = workerData as { path: string; name: string; width?: number };

function read(): PictureReply {
  try {
    const inflate = (bytes: Uint8Array, maxOutputLength: number): Uint8Array => inflateSync(bytes, { maxOutputLength });
    const { picture, notes } = readEnvironment(readFileSync(path), name, inflate, width);
    const { width: w, height: h } = picture;
    return { ok: true, picture: { packed: packPicture(picture), width: w, height: h, notes, sun: splitSun(picture) } };
  } catch (error) {
    if (error instanceof DaxelError) return { ok: false, code: error.code, message: error.message };
    return { ok: false, code: 'bad-file', message: `${name}: it cannot be read (${(error as Error).message}).` };
  }
}

parentPort?.postMessage(read());
