/** What methods of bounced light cost: lamp-room, a sample, two threads, all kept from before that may be. */
import { createNodePool } from '@daxel/server/render/nodePool';
import { median, row, type Bench, type BenchRow } from './rows';
import { frameOf, lampRoom } from './scenes';

const FRAME = { 'output.width': 960, 'output.height': 540, 'samples.pixel': 1, 'shadows.lightSamples': 1 };
const METHODS: Readonly<Record<string, Record<string, string | number | boolean>>> = {
  'ambient occlusion, half size': { 'bounce.occlusion': true, 'bounce.occlusionScale': 'half' },
  'screen, 8 rays of 12 steps, half size': {
    'bounce.method': 'screen',
    'bounce.screenRays': 8,
    'bounce.screenNext': 'environment',
  },
  'screen as it is set at first, probes for the rest': { 'bounce.method': 'screen' },
  'screen, 12 % of overscan': { 'bounce.method': 'screen', 'output.overscan': 12 },
  'voxels, 128 along the longest side': { 'bounce.method': 'voxels' },
  probes: { 'bounce.method': 'probes' },
  'probes, ambient occlusion': { 'bounce.method': 'probes', 'bounce.occlusion': true },
  traced: { 'bounce.method': 'traced' },
  'mirrors by rays': { 'reflections.method': 'traced' },
};
const ROUNDS = 9;
const MAKINGS = 5;

export const bounce: Bench = {
  name: 'bounce',
  async run() {
    const pool = createNodePool(2);
    const frame = frameOf(pool, await lampRoom());
    const rows: BenchRow[] = [];
    for (const [name, settings] of Object.entries(METHODS)) {
      const [alone, asked]: number[][] = [[], []];
      let baked = 0;
      for (let k = 0; k <= ROUNDS; k++) {
        // in turn, so that a neighbour on the machine slows both
        const without = await frame(FRAME);
        const result = await frame({ ...FRAME, ...settings });
        baked += result.probes?.seconds ?? 0;
        if (k === 0) continue;
        alone.push(without.seconds * 1000);
        asked.push(result.seconds * 1000);
      }
      rows.push(row('bounce', `lamp-room, ${name}`, 'surroundings alone', median(asked), median(alone), 'ms'));
      if (settings['bounce.method'] === 'voxels') rows.push(...(await makingVoxels(frame, median(asked))));
      if (baked > 0)
        rows.push(row('bounce', `lamp-room, ${name}, baking`, 'a frame', baked * 1000, median(asked), 'ms'));
    }
    pool.terminate();
    return rows;
  },
};

/** What voxels take that are made for a frame, beside the same frame that finds them made. */
async function makingVoxels(frame: ReturnType<typeof frameOf>, kept: number): Promise<BenchRow[]> {
  const made: Record<string, number[]> = { lit: [], whole: [] };
  for (let k = 0; k < MAKINGS; k++)
    for (const [name, total] of [
      ['lit', 1],
      ['whole', 8],
    ] as const) {
      // another light, so that nothing stands
      const values = { 'bounce.method': 'voxels', 'bounce.total': total, 'bounce.environment': 1 + (k + 1) / 1000 };
      made[name].push((await frame({ ...FRAME, ...values })).seconds * 1000);
    }
  return Object.entries(made).map(([name, times]) =>
    row(
      'bounce',
      `lamp-room, voxels made anew${name === 'lit' ? ', one bounce' : ', all bounces'}`,
      'kept',
      median(times),
      kept,
      'ms',
    ),
  );
}
