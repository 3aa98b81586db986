/** A render pool on web workers. */
import { RenderPool, type ThreadPort } from '@daxel/core/frame/renderPool';
import type { FromThread } from '@daxel/core/frame/threadProgram';

const MOST_THREADS = 16;

export function createBrowserPool(): RenderPool {
  const count = Math.min(MOST_THREADS, Math.max(1, navigator.hardwareConcurrency || 2));
  return new RenderPool(Array.from({ length: count }, createPort));
}

function createPort(): ThreadPort {
  const worker = new Worker(new URL('./renderWorker.ts', import.meta.url), { type: 'module' });
  return {
    post: (m) => worker.postMessage(m),
    listen: (handler) => {
      worker.onmessage = (e: MessageEvent<FromThread>) => handler(e.data);
    },
    terminate: () => worker.terminate(),
  };
}
