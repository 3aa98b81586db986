/** Entry of a render worker thread. */
import { parentPort } from 'node:worker_threads';
import { createThreadProgram, type ToThread } from '@daxel/core/frame/threadProgram';

if (!parentPort) throw new Error('renderThread runs as a worker thread');
const port = parentPort;
const handle = createThreadProgram(
  (m) => port.postMessage(m),
  () => performance.now(),
);
port.on('message', (m: ToThread) => handle(m));
