/** A render pool on Node.js worker threads. */
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { RenderPool, type ThreadPort } from '@daxel/core/frame/renderPool';
import type { FromThread } from '@daxel/core/frame/threadProgram';
import { useKernels } from '@daxel/kernel/load';
import { entryUrl } from '../entries';

// does everything in plain TypeScript, to be compared
if (process.env.DAXEL_KERNELS === 'off') useKernels(false);

/** @param threads 0 for as many as the machine has cores */
export function createNodePool(threads = 0): RenderPool {
  const count = threads > 0 ? threads : Math.min(32, availableParallelism());
  return new RenderPool(Array.from({ length: count }, createPort));
}

function createPort(): ThreadPort {
  const worker = new Worker(entryUrl('renderThread'));
  return {
    post: (m) => worker.postMessage(m),
    listen: (handler) => {
      worker.on('message', (m: FromThread) => handler(m));
    },
    terminate: () => void worker.terminate(),
  };
}
