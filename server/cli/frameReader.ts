/** The frames of a sequence, read by a thread of their own: while one is measured the next is read. */
import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import { DaxelError } from '@daxel/core/errors';
import type { MeasuredImage } from '@daxel/core/measure/imageError';
import { entryUrl } from '../entries';

export type FrameReply = { image: MeasuredImage } | { code: string; message: string };

/**
 * In the order of their paths; holds two at most.
 * @throws DaxelError naming a file that cannot be read, when its turn comes
 */
export async function* readFrames(paths: readonly string[]): AsyncGenerator<MeasuredImage> {
  const worker = new Worker(entryUrl('frameThread'));
  const ask = (path: string): Promise<[FrameReply]> => {
    // rejected when the thread fails
    const reply = once(worker, 'message') as Promise<[FrameReply]>;
    // which is looked at in its turn
    reply.catch(() => undefined);
    worker.postMessage(path);
    return reply;
  };
  try {
    let next = paths.length > 0 ? ask(paths[0]) : null;
    for (let k = 0; next; k++) {
      const [reply]: [FrameReply] = await next;
      if (!('image' in reply)) throw new DaxelError(reply.code, reply.message);
      next = k + 1 < paths.length ? ask(paths[k + 1]) : null;
      yield reply.image;
    }
  } finally {
    await worker.terminate();
  }
}
