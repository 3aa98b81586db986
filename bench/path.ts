/** The path tracer: threads, time to a given quality with and without denoising. */
import { createNodePool } from '@daxel/server/render/nodePool';
import { errorFigures, pairMaps, type MeasuredImage } from '@daxel/core/measure/imageError';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { frameOf, lampRoom, openField } from './scenes';

const PATH = { 'samples.method': 'path', 'output.width': 192, 'output.height': 108 };
/** The quality asked for, and the samples of what it is held against. */
const FLIP = 0.08;
const REFERENCE = 64;

export const path: Bench = {
  name: 'path',
  async run() {
    const rows: BenchRow[] = [];
    const field = openField().buffer;
    const time = async (threads: number): Promise<number> => {
      const pool = createNodePool(threads);
      const frame = frameOf(pool, field);
      const result = await medianOf(1, 3, async () => (await frame({ ...PATH, 'samples.pixel': 8 })).seconds * 1000);
      pool.terminate();
      return result;
    };
    const one = await time(1);
    const two = await time(2);
    rows.push(row('path', 'open field, 192×108, 8 samples, two threads', 'one thread', two, one, 'ms'));

    const pool = createNodePool();
    const frame = frameOf(pool, await lampRoom());
    const render = async (samples: number, denoise: string): Promise<{ image: MeasuredImage; seconds: number }> => {
      const f = await frame({ ...PATH, 'samples.pixel': samples, 'samples.denoise': denoise, 'lens.exposure': -10 });
      const { width, height } = f;
      const rgb = f.views.beauty.slice(0, width * height * 3);
      return { image: { name: `${samples}`, width, height, rgb, tone: 'neutral' }, seconds: f.seconds };
    };
    const reference = await render(REFERENCE, 'off');
    for (const denoise of ['off', 'spatial']) {
      for (let samples = 1; samples < REFERENCE; samples *= 2) {
        const { image, seconds } = await render(samples, denoise);
        const { flip } = errorFigures(image, reference.image, pairMaps(image, reference.image));
        if (flip > FLIP && samples * 2 < REFERENCE) continue;
        const what = `lamp-room 192×108 to FLIP ${flip.toFixed(3)}: ${samples} samples, denoise ${denoise}`;
        rows.push(row('path', what, `${REFERENCE} samples`, seconds * 1000, reference.seconds * 1000, 'ms'));
        break;
      }
    }
    pool.terminate();
    return rows;
  },
};
