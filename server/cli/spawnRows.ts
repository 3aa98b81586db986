/** Starts a thread that helps to measure flicker. */
import { Worker } from 'node:worker_threads';
import type { SpawnHelper } from '@daxel/core/measure/stability/rowHelper';
import { entryUrl } from '../entries';

export const spawnRows: SpawnHelper = (start) => {
  const worker = new Worker(entryUrl('rowThread'), { workerData: start });
  // it waits for work for as long as there may be some, which must not keep the program running
  worker.unref();
  return { terminate: () => void worker.terminate() };
};
