/** Entry of the thread that helps to measure flicker. */
import { workerData } from 'node:worker_threads';
import { serveRows, type HelperStart } from '@daxel/core/measure/stability/rowHelper';

serveRows(workerData as HelperStart);
