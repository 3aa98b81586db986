/** What each way of casting shadows costs beside one map read by a 3 × 3 filter: the stage and the frame. */
import { createNodePool } from '@daxel/server/render/nodePool';
import type { SettingValue } from '@daxel/core/recipe/settings';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { frameOf, openField } from './scenes';

const BASE = {
  'output.width': 960,
  'output.height': 540,
  'samples.pixel': 1,
  'shadows.resolution': 2048,
  'shadows.taps': 3,
  'shadows.lightSamples': 1,
};
const WAYS: [string, Record<string, SettingValue>][] = [
  ['hard, one map', { 'shadows.filter': 'hard' }],
  ['PCF 5 × 5', { 'shadows.taps': 5 }],
  ['percentage-closer soft', { 'shadows.filter': 'soft' }],
  ['light samples automatic', { 'shadows.lightSamples': 0 }],
  ['moment', { 'shadows.filter': 'moment', 'shadows.radius': 3 }],
  ['four cascades', { 'shadows.cascades': 4 }],
  ['four light samples', { 'shadows.lightSamples': 4 }],
  ['contact shadows, 12 steps', { 'shadows.contactLength': 0.2 }],
  ['traced', { 'shadows.method': 'traced' }],
  ['traced, four light samples', { 'shadows.method': 'traced', 'shadows.lightSamples': 4 }],
];

export const shadows: Bench = {
  name: 'shadows',
  async run() {
    const pool = createNodePool(1);
    const frame = frameOf(pool, openField().buffer);
    let n = 0;
    const time = (settings: Record<string, SettingValue>): Promise<number> =>
      medianOf(4, 5, async () => {
        // a depth format that alternates makes maps new without changing their price
        const fresh = { 'shadows.depthFormat': n++ % 2 === 0 ? '24' : '32' };
        return (await frame({ ...BASE, ...settings, ...fresh })).seconds * 1000;
      });
    await time({});
    const plain = await time({});
    const rows: BenchRow[] = [];
    for (const [name, settings] of WAYS)
      rows.push(
        row('shadows', `${name}, open field, one thread`, 'one map, PCF 3 × 3', await time(settings), plain, 'ms'),
      );
    pool.terminate();
    return rows;
  },
};
