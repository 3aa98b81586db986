/** Entry of the only render thread of a page that may not share memory. */
import { createLoneProgram, type ToLone } from './loneProgram';

const handle = createLoneProgram((m) => postMessage(m));
addEventListener('message', (e: MessageEvent<ToLone>) => handle(e.data));
