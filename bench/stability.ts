/** What measuring flicker takes: frames of waves that pan, with a square before them that moves otherwise. */
import { StabilityMeter } from '@daxel/core/measure/stability/meter';
import type { SpawnHelper } from '@daxel/core/measure/stability/rowHelper';
import { WINDOW } from '@daxel/core/measure/stability/track';
import { flickerWindow, plainWindow, type MeterFrame } from '@daxel/core/measure/stability/window';
import { spawnRows } from '@daxel/server/cli/spawnRows';
import { median, row, type Bench } from './rows';

const [WIDTH, HEIGHT] = [960, 540];
/** Milliseconds for so many frames, on two threads. */
const BAR = 3000;
const FRAMES = 48;

/** Frames that are only taken before the first is measured. */
const TAKEN = WINDOW - 1;

export const stability: Bench = {
  name: 'stability',
  async run() {
    const one = await measured(flickerWindow, FRAMES);
    const two = await measured(flickerWindow, FRAMES, spawnRows);
    // by a few frames, all of them alike
    const twin = await measured(plainWindow, WINDOW + 2);
    const all = two.taken + (FRAMES - TAKEN) * two.frame;
    return [
      row(
        'stability',
        `${FRAMES} frames of 960×540 with motion layer, two threads`,
        'bar',
        all / 1000,
        BAR / 1000,
        's',
      ),
      row('stability', 'one of these frames, two threads', 'one thread', two.frame, one.frame, 'ms'),
      row('stability', 'one of these frames, one thread', 'plain twin', one.frame, twin.frame, 'ms'),
    ];
  },
};

/** @returns milliseconds that a measured frame takes, the median, and the first ones together that are only taken */
async function measured(
  window: typeof flickerWindow,
  frames: number,
  spawn?: SpawnHelper,
): Promise<{ frame: number; taken: number }> {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT, window, spawn });
  const spent: number[] = [];
  const frame = emptyFrame();
  for (let n = 0; n < frames; n++) {
    // in the same arrays: what is thrown away would be swept while the next frame is measured
    draw(frame, n);
    // as between frames that come from elsewhere: a thread that starts gets its turn
    await new Promise((resolve) => setImmediate(resolve));
    const from = performance.now();
    meter.add(frame);
    spent.push(performance.now() - from);
  }
  meter.report();
  return { frame: median(spent.slice(TAKEN)), taken: spent.slice(0, TAKEN).reduce((a, b) => a + b, 0) };
}

interface DrawnFrame extends MeterFrame {
  luminance: Float32Array;
  motion: Float32Array;
  ids: Uint32Array;
}
function emptyFrame(): DrawnFrame {
  const pixels = WIDTH * HEIGHT;
  return {
    number: 0,
    luminance: new Float32Array(pixels),
    motion: new Float32Array(pixels * 2),
    ids: new Uint32Array(pixels),
  };
}

function draw(frame: DrawnFrame, number: number): void {
  frame.number = number;
  const { luminance, motion, ids } = frame;
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
}
