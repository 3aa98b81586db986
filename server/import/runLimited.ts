/** One job in a thread of its own with limits of time and memory, so that no file can take the server down. */
import { Worker } from 'node:worker_threads';
import { entryUrl } from '../entries';

const HEAP_MB = 3072;

/**
 * @param entry name of the thread's entry; it posts one reply
 * @param failed makes a reply of what went wrong, a sentence, when the thread gives none
 * @param signal stops the job when nobody waits for it any more
 */
export async function runLimited<Reply>(
  entry: string,
  workerData: unknown,
  timeMs: number,
  signal: AbortSignal | undefined,
  failed: (why: string) => Reply,
): Promise<Reply> {
  const worker = new Worker(entryUrl(entry), { workerData, resourceLimits: { maxOldGenerationSizeMb: HEAP_MB } });
  let timer: NodeJS.Timeout | undefined;
  const reply = await new Promise<Reply>((resolve) => {
    const fail = (why: string): void => resolve(failed(why));
    timer = setTimeout(() => fail(`reading it took over ${timeMs / 1000} seconds.`), timeMs);
    signal?.addEventListener('abort', () => fail('the import was cancelled.'), { once: true });
    worker.once('message', resolve);
    worker.once('error', (error: NodeJS.ErrnoException) =>
      fail(
        error.code === 'ERR_WORKER_OUT_OF_MEMORY'
          ? 'reading it needs too much memory.'
          : `it cannot be read (${error.message}).`,
      ),
    );
    worker.once('exit', () => fail('reading it ended unexpectedly.'));
  });
  clearTimeout(timer);
  void worker.terminate();
  return reply;
}
