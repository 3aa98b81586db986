/** What measuring flicker takes: frames of waves that pan, with a square before them that moves otherwise. */
import { StabilityMeter, type MeterFrame } from '@daxel/core/measure/stability/meter';
import { medianOf, row, type Bench } from './rows';

const [WIDTH, HEIGHT] = [960, 540];
/** Milliseconds for 48 frames, on two threads. */
const BAR = 3000;
const BAR_FRAMES = 48;
/** Those that are timed: the first five fill the window. */
const FRAMES = 8;

export const stability: Bench = {
  name: 'stability',
  async run() {
    const frames = Array.from({ length: 5 + FRAMES }, (_, n) => frameAt(n));
    const perFrame = await medianOf(1, 3, () => {
      const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT });
      for (const frame of frames.slice(0, 5)) meter.add(frame);
      const from = performance.now();
      for (const frame of frames.slice(5)) meter.add(frame);
      return (performance.now() - from) / FRAMES;
    });
    return [
      row('stability', '960×540 with motion layer, a frame, one thread', 'bar', perFrame, (2 * BAR) / BAR_FRAMES, 'ms'),
    ];
  },
};

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
