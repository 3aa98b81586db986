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
  'shadows.lightSamples': 1,
};
/** Milliseconds: on one thread and on two, with the map redrawn and kept. */
const BARS = [
  { threads: 1, redraw: true, ms: 60 },
  { threads: 1, redraw: false, ms: 40 },
  { threads: 2, redraw: true, ms: 35 },
  { threads: 2, redraw: false, ms: 22 },
];
const NOTHING_AROUND = { 'bounce.environment': 0, 'reflections.environment': 0 };

export const raster: Bench = {
  name: 'raster',
  async run() {
    const rows: BenchRow[] = [];
    const field = openField().buffer;
    for (const [name, buffer, more] of [
      ['open field, 100 000 triangles', field, {}],
      ['the same, sun alone', field, NOTHING_AROUND],
      ['lamp-room', await lampRoom(), {}],
    ] as const) {
      const time = async (threads: number, redraw: boolean): Promise<number> => {
        const pool = createNodePool(threads);
        const frame = frameOf(pool, buffer);
        let n = 0;
        // another depth format makes the maps new at about the same price
        const format = (): string => (redraw && n++ % 2 === 0 ? '24' : '32');
        const once = async (): Promise<number> =>
          (await frame({ ...SIZE, ...more, 'shadows.depthFormat': format() })).seconds * 1000;
        const result = await medianOf(6, 9, once);
        pool.terminate();
        return result;
      };
      for (const { threads, redraw, ms } of BARS) {
        const what = `${name}, ${threads === 1 ? 'one thread' : 'two threads'}, map ${redraw ? 'redrawn' : 'kept'}`;
        rows.push(row('raster', what, 'bar', await time(threads, redraw), ms, 'ms'));
      }
    }
    return rows;
  },
};
