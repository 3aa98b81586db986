/** Entry of the thread that helps to measure flicker. */
import { serveRows, type HelperStart } from '@daxel/core/measure/stability/rowHelper';

addEventListener('message', ({ data }: MessageEvent<HelperStart>) => serveRows(data));
