/** Entry of the thread that reads the frames of a sequence, one for every path it is sent. */
import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { parentPort } from 'node:worker_threads';
import { BadInputError, DaxelError } from '@daxel/core/errors';
import { displayLuminance, imageBuffers, type MeasuredImage } from '@daxel/core/measure/imageError';
import { readPicture } from '@daxel/formats/image/readPicture';
import { inflate } from '../inflate';
import type { FrameReply } from './frameReader';

parentPort?.on('message', (path: string) => {
  const reply = read(path);
  parentPort?.postMessage(reply, 'image' in reply ? imageBuffers(reply.image) : []);
});

function read(path: string): FrameReply {
  try {
    return { image: readFrame(path) };
  } catch (error) {
    const code = error instanceof DaxelError ? error.code : 'bad-file';
    return { code, message: (error as Error).message };
  }
}

/** A frame with its motion. */
function readFrame(path: string): MeasuredImage {
  let bytes: Uint8Array;
  try {
    bytes = readFileSync(path);
  } catch {
    throw new BadInputError(`${path}: the file cannot be read.`);
  }
  const image = readPicture(bytes, basename(path), inflate, true);
  return { ...image, shown: displayLuminance(image) };
}
