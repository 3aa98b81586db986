import { createLocalPort } from '@daxel/core/frame/localPort';
import { RenderPool } from '@daxel/core/frame/renderPool';
import { frameOf, lampRoom, openField } from './scenes';
const pool = new RenderPool([createLocalPort(() => performance.now())]);
const buffer = process.argv[2] === 'lamp' ? await lampRoom() : openField().buffer;
const frame = frameOf(pool, buffer);
for (let i = 0; i < Number(process.argv[3] ?? 8); i++) {
  const f = await frame({ 'output.width': 960, 'output.height': 540, 'samples.pixel': 1, 'shadows.resolution': 2048, 'shadows.taps': 3 });
  console.log(f.seconds.toFixed(3), JSON.stringify(f.stages));
}
process.exit(0);
