/** Entry of the thread that reads frames from files while those before them are measured. */
import type { ToneCurve } from '@daxel/core/film/tone';
import { displayLuminance, imageBuffers, type MeasuredImage } from '@daxel/core/measure/imageError';
import { displayCodes, readPictureFile } from './pictureFile';

export interface FrameFile {
  number: number;
  name: string;
  bytes: Uint8Array;
  /** An EXR is seen through. */
  tone: ToneCurve;
}
export type ReadFrame =
  { number: number; image: MeasuredImage; codes: Uint8ClampedArray<ArrayBuffer> } | { failed: string };

addEventListener('message', ({ data }: MessageEvent<FrameFile>) => {
  const frame = readFrame(data);
  postMessage(frame, { transfer: 'image' in frame ? [frame.codes.buffer, ...imageBuffers(frame.image)] : [] });
});

function readFrame({ number, name, bytes, tone }: FrameFile): ReadFrame {
  try {
    const read = readPictureFile(bytes, name, true);
    const image = read.tone === 'none' ? read : { ...read, tone };
    return { number, image: { ...image, shown: displayLuminance(image) }, codes: displayCodes(image) };
  } catch (error) {
    return { failed: (error as Error).message };
  }
}
