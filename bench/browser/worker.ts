/** Entry of a render thread of the benchmark page. */
import { createThreadProgram, type ToThread } from '@daxel/core/frame/threadProgram';

const handle = createThreadProgram(
  (m) => postMessage(m),
  () => performance.now(),
);
addEventListener('message', (e: MessageEvent<ToThread>) => handle(e.data));
