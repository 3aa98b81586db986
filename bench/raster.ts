/** The rasteriser: one frame, by thread count, with the shadow map redrawn and kept. */
import { createNodePool } from '@daxel/server/render/nodePool';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { frameOf, lampRoom, openField } from './scenes';

const SIZE = {
  'output.width': 960,
  'output.height': 540,
  'samples.pixel': 1,
  'shadows.resolution': 2048,
  'shadows.taps': 3,
};
/** Milliseconds on one thread. */
const BAR_MS = 60;

export const raster: Bench = {
  name: 'raster',
  async run() {
    const rows: BenchRow[] = [];
    for (const [name, buffer] of [
      ['open field, 100 000 triangles', openField().buffer],
      ['lamp-room', await lampRoom()],
    ] as const) {
      const time = async (threads: number, redraw: boolean): Promise<number> => {
        const pool = createNodePool(threads);
        const frame = frameOf(pool, buffer);
        let n = 0;
        // a bias of a hair's breadth makes the maps new without changing their price
        const once = async (): Promise<number> =>
          (await frame({ ...SIZE, 'shadows.depthFormat': redraw && n++ % 2 === 0 ? '24' : '32' })).seconds * 1000;
        const result = await medianOf(6, 9, once);
        pool.terminate();
        return result;
      };
      const one = await time(1, true);
      const oneKept = await time(1, false);
      const two = await time(2, true);
      rows.push(row('raster', `${name}, one thread, map redrawn`, 'bar', one, BAR_MS, 'ms'));
      rows.push(row('raster', `${name}, map kept`, 'map redrawn', oneKept, one, 'ms'));
      rows.push(row('raster', `${name}, two threads`, 'one thread', two, one, 'ms'));
    }
    return rows;
  },
};
