import { createNodePool } from '@daxel/server/render/nodePool';
import { frameOf, openField, lampRoom } from '/work/main/bench/scenes';
const SIZE = {
  'output.width': 960,
  'output.height': 540,
  'samples.pixel': 1,
  'shadows.resolution': 2048,
  'shadows.taps': 3,
};
const which = process.argv[2] ?? 'field';
const n = Number(process.argv[3] ?? 12);
const buffer = which === 'field' ? openField().buffer : await lampRoom();
const pool = createNodePool(Number(process.argv[4] ?? 1));
const frame = frameOf(pool, buffer);
for (let i = 0; i < n; i++) {
  const f = await frame({ ...SIZE, 'shadows.depthFormat': i % 2 ? '24' : '32' });
  if (i >= n - 4 || i === 0)
    console.log(
      (f.seconds * 1000).toFixed(0),
      JSON.stringify(f.stages, (_, v) => (typeof v === 'number' ? Math.round(v * 1000) : v)),
    );
}
pool.terminate();
