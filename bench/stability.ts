/** What measuring flicker takes: frames of waves that pan, with a square before them that moves otherwise. */
import { StabilityMeter } from '@daxel/core/measure/stability/meter';
import type { SpawnHelper } from '@daxel/core/measure/stability/rowHelper';
import { WINDOW } from '@daxel/core/measure/stability/track';
import { flickerWindow, plainWindow, type MeterFrame } from '@daxel/core/measure/stability/window';
import { spawnRows } from '@daxel/server/cli/spawnRows';
import { row, type Bench } from './rows';

const [WIDTH, HEIGHT] = [960, 540];
/** Milliseconds for so many frames, on two threads. */
const BAR = 3000;
const FRAMES = 48;

export const stability: Bench = {
  name: 'stability',
  async run() {
    const one = await millisecondsAFrame(flickerWindow, FRAMES, 0);
    const two = await millisecondsAFrame(flickerWindow, FRAMES, 0, spawnRows);
    // by the frames that are measured, all of them alike
    const twin = await millisecondsAFrame(plainWindow, WINDOW + 2, WINDOW);
    const what = '960×540 with motion layer, a frame';
    return [
      row('stability', `${what}, two threads`, 'bar', two, BAR / FRAMES, 'ms'),
      row('stability', `${what}, two threads`, 'one thread', two, one, 'ms'),
      row('stability', `${what}, one thread`, 'plain twin', one, twin, 'ms'),
    ];
  },
};

/** @param untimed frames at the beginning that are not counted */
async function millisecondsAFrame(
  window: typeof flickerWindow,
  frames: number,
  untimed: number,
  spawn?: SpawnHelper,
): Promise<number> {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT, window, spawn });
  let spent = 0;
  for (let n = 0; n < frames; n++) {
    const frame = frameAt(n);
    // as between frames that come from elsewhere: a thread that starts gets its turn
    await new Promise((resolve) => setImmediate(resolve));
    const from = performance.now();
    meter.add(frame);
    if (n >= untimed) spent += performance.now() - from;
  }
  meter.report();
  return spent / (frames - untimed);
}

function frameAt(number: number): MeterFrame {
  const luminance = new Float32Array(WIDTH * HEIGHT);
  const motion = new Float32Array(WIDTH * HEIGHT * 2);
  const ids = new Uint32Array(WIDTH * HEIGHT);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const i = y * WIDTH + x;
      const before = Math.abs(x - 300 - 4 * number) < 100 && Math.abs(y - 270) < 100;
      const [dx, dy] = before ? [4, 0] : [1.3, 0.4];
      const [u, v] = [x - dx * number, y - dy * number];
      luminance[i] = 0.4 + 0.1 * Math.sin(u * 0.31 + v * 0.12) + 0.1 * Math.sin(v * 0.57 - u * 0.2);
      motion[i * 2] = dx;
      motion[i * 2 + 1] = dy;
      ids[i] = before ? 2 : 1;
    }
  return { number, luminance, motion, ids };
}
