/** What a second thread brings: rasterised and path traced. */
import { createNodePool } from '@daxel/server/render/nodePool';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { frameOf, lampRoom, openField } from './scenes';

const RASTER = { 'output.width': 960, 'output.height': 540, 'samples.pixel': 2, 'shadows.lightSamples': 1 };
const PATH = { 'samples.method': 'path', 'output.width': 192, 'output.height': 108, 'samples.pixel': 4 };

export const threads: Bench = {
  name: 'threads',
  async run() {
    const rows: BenchRow[] = [];
    const scenes = { 'open field': openField().buffer, 'lamp-room': await lampRoom() };
    for (const [name, buffer] of Object.entries(scenes)) {
      for (const [method, settings] of [
        ['rasterised', RASTER],
        ['path traced', PATH],
      ] as const) {
        const time = async (count: number): Promise<number> => {
          const pool = createNodePool(count);
          const frame = frameOf(pool, buffer);
          const result = await medianOf(2, 5, async () => (await frame(settings)).seconds * 1000);
          pool.terminate();
          return result;
        };
        const [one, two] = [await time(1), await time(2)];
        rows.push(row('threads', `${name}, ${method}, two threads`, 'one thread', two, one, 'ms'));
      }
    }
    return rows;
  },
};
