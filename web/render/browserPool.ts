/** Rendering in the browser: threads that share memory, or a single one where the page may not share any. */
import { RenderPool, type ThreadPort } from '@daxel/core/frame/renderPool';
import type { FromThread } from '@daxel/core/frame/threadProgram';
import { api } from '../api/client';
import { sharedProbes } from './sharedProbes';
import { LonePool, type LonePort, type Renderer } from './lonePool';
import type { FromLone } from './loneProgram';

export type { Renderer };

const MOST_THREADS = 16;

/** What this page can render with. */
export function createRenderer(): Renderer {
  return window.crossOriginIsolated ? createBrowserPool() : new LonePool(createLonePort);
}

export function createBrowserPool(): RenderPool {
  const count = Math.min(MOST_THREADS, Math.max(1, navigator.hardwareConcurrency || 2));
  const pool = new RenderPool(Array.from({ length: count }, createPort));
  pool.keepProbesIn(sharedProbes({ fetch: api.probes, send: api.keepProbes }));
  return pool;
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

function createLonePort(): LonePort {
  const worker = new Worker(new URL('./loneWorker.ts', import.meta.url), { type: 'module' });
  return {
    post: (m) => worker.postMessage(m),
    listen: (handler) => {
      worker.onmessage = (e: MessageEvent<FromLone>) => handler(e.data);
    },
    terminate: () => worker.terminate(),
  };
}
